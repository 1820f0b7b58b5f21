"""unvek log"""

from pathlib import Path
from typing import Any

import click

from unvek.cli.options import as_option, check_plot, logbook_option, open_logbook, plot, plot_option, settings_option

MOST_SHOWN = 200  # runs in a table, unless all are asked for


@click.command()
@click.option("--variant", default="*", metavar="GLOB", help="Only variants whose name fits, such as '*-bit'.")
@click.option("--task", default="*", metavar="GLOB", help="Only tasks whose name fits.")
@click.option("--status", "statuses", multiple=True, metavar="STATUS", help="Only this status; may be given again.")
@settings_option("--varied", "Only runs with this varied value, such as steps=8.")
@click.option("--session", default="*", metavar="GLOB", help="Only runs of sessions whose name fits.")
@click.option("--since", metavar="WHEN", help="Only since then: '2 h' ago, or a date such as 2026-11-23 (UTC).")
@click.option("--tries", is_flag=True, help="The runs made by 'unvek try', not those of plans.")
@click.option("--all", "every", is_flag=True, help="All of them, however many: a table shows the newest 200.")
@click.option("--sessions", is_flag=True, help="The sessions that made or brought in runs, instead of the runs.")
@click.option("--forecasts", is_flag=True, help="How often the time foreseen held, instead of the runs.")
@plot_option("Draw what the runs took: a .png or .svg file.")
@logbook_option
@as_option
def log(
    variant: str, task: str, statuses: tuple[str, ...], varied: dict[str, Any], session: str,
    since: str | None, tries: bool, every: bool, sessions: bool, forecasts: bool, plot_path: Path | None,
    where: str | None, how: str,
) -> None:  # fmt: skip
    """List the runs, in the order in which they were made.

    A run's status is one of finished, failed, out-of-memory, timed-out, stalled, looping, over-limit, skipped and
    interrupted.

    \b
    Examples, in the demo's folder:
      unvek log --variant '*-bit' --since '2 h'
      unvek log --sessions
      unvek log --all --plot session.png
    """
    from datetime import UTC, datetime

    from unvek.core.findings.log.run_list import RunFilter, list_runs, parse_since
    from unvek.core.run.events.record import STATUSES
    from unvek.show.results.run_list import RUNS
    from unvek.show.terminal.views import put

    for status in statuses:
        if status not in STATUSES:
            raise click.UsageError(f"there is no status {status!r}; there are {', '.join(STATUSES)}")
    check_plot(plot_path)
    if plot_path is not None and (sessions or forecasts):
        raise click.UsageError("--plot draws the runs: leave out --sessions and --forecasts")
    moment = parse_since(since, datetime.now(UTC)) if since is not None else None
    with open_logbook(where) as logbook:
        if forecasts:
            from unvek.core.findings.log.forecasts import score_forecasts
            from unvek.show.results.forecasts import FORECASTS

            put(score_forecasts(logbook), FORECASTS, how)
        elif sessions:
            from unvek.core.findings.log.sessions import list_sessions
            from unvek.show.results.sessions import SESSIONS

            put(list_sessions(logbook), SESSIONS, how)
        else:
            wanted = RunFilter(
                variant=variant, task=task, session=session, statuses=statuses, varied=varied, since=moment,
                trials=tries, newest=None if every or how != "table" else MOST_SHOWN,
            )  # fmt: skip
            found = list_runs(logbook, wanted)
            if plot_path is not None:
                from unvek.show.picture.plots.times import draw_session

                plot(plot_path, draw_session, found)
            put(found, RUNS, how)
