"""unvek judge export FILE"""

from pathlib import Path

import click

from unvek.cli.options import logbook_option, open_logbook, tell


@click.command("export")
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False), default=Path("verdicts.csv"))
@logbook_option
def export_verdicts(file: Path, where: str | None) -> None:
    """Write every verdict out, one a row, into FILE: .csv or .jsonl. 'unvek judge import' reads both.

    Outputs are named by their runs' ids, which 'unvek export' writes too.

    \b
    Examples, in the demo's folder:
      unvek judge export verdicts.csv
      unvek judge export verdicts.jsonl
    """
    from unvek.core.exchange.verdict_files import export_verdicts as write_out
    from unvek.core.units import counted

    with open_logbook(where) as logbook:
        tell(f"{counted(write_out(logbook, file), 'verdict')} in {file}")
