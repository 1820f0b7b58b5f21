"""unvek import FILE..."""

from pathlib import Path

import click

from unvek.cli.options import logbook_option, tell


@click.command("import")
@click.argument(
    "files", nargs=-1, required=True, type=click.Path(path_type=Path, dir_okay=False, exists=True), metavar="FILE..."
)
@click.option("--reference", metavar="VARIANT", help="Hold the others against this one, where no plan says which.")
@click.option("--here", is_flag=True, help="The timings were taken on this machine.")
@logbook_option
def importing(files: tuple[Path, ...], reference: str | None, here: bool, logbook_path: Path | None) -> None:
    """Bring in timings from elsewhere: each FILE a .csv, .jsonl or .parquet, one run a row.

    Needed are variant and time_s (seconds); form, task, seed, round, repeat, warm_up, status, steps and measure:NAME
    may be there too. Rounds are what intervals are over: without the column each timing counts as a round. The runs
    are marked as imported, and go through the same statistics. A file comes in whole or not at all.

    \b
    Examples, in the demo's folder:
      unvek export runs.csv
      unvek import runs.csv --logbook brought --here
      unvek import other-machine.parquet --reference full --logbook other
    """
    from unvek.core.errors import LogbookError
    from unvek.core.exchange.importing import import_timings
    from unvek.core.logbook.folder import FOLDER_NAME, LogbookFolder, find_logbook
    from unvek.core.logbook.store import Logbook
    from unvek.core.units import counted

    if logbook_path is None:
        try:
            logbook_path = find_logbook(Path.cwd())
        except LogbookError:
            logbook_path = Path.cwd() / FOLDER_NAME
    folder = LogbookFolder(logbook_path)
    is_new = not folder.database.is_file()
    folder.make()
    with folder.locked(), Logbook.make_or_open(logbook_path) as logbook:
        for path in files:
            made = import_timings(logbook, path, reference, _this_rig() if here else None, tell)
            tell(
                f"{path}: {counted(made.runs, 'run')} of {', '.join(made.variants)}; "
                f"'unvek compare' holds them against {made.reference}"
            )
    if is_new:
        tell(f"The logbook is {logbook_path}.")


def _this_rig() -> tuple[str, dict[str, object]]:
    from unvek.core.plan.model import RigWanted
    from unvek.core.rig.present import accelerators_present

    with accelerators_present(RigWanted()) as present:
        return present.rig.fingerprint, dict(present.rig.as_mapping())
