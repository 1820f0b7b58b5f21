"""unvek export [FILE]"""

import sys
from pathlib import Path

import click

from unvek.cli.measured import measure_all
from unvek.cli.options import logbook_option, open_logbook, tell


@click.command()
@click.argument("file", required=False, type=click.Path(path_type=Path, dir_okay=False))
@click.option("--dataset", type=click.Path(path_type=Path), metavar="FOLDER", help="Many .parquet by machine and day.")
@logbook_option
def export(file: Path | None, dataset: Path | None, where: str | None) -> None:
    """Write the runs out, one a row: as a .csv, .jsonl or .parquet FILE, or as CSV to standard output.

    Warm-ups, failed and voided runs are among them, and said to be. Times are in seconds, sizes in bytes; every measure
    has a column measure:NAME. 'unvek import' reads all three.

    \b
    Examples, in the demo's folder:
      unvek export runs.parquet
      unvek export | head -3
      unvek export --dataset years
    """
    from unvek.core.exchange.columns import sort_of
    from unvek.core.exchange.dataset import write_dataset
    from unvek.core.exchange.exporting import export_runs
    from unvek.core.exchange.files import ending_of, write_csv, write_rows
    from unvek.core.units import counted

    if file is not None and dataset is not None:
        raise click.UsageError("a FILE or --dataset, and not both")
    if file is not None:
        ending_of(file)
    with open_logbook(where) as logbook:
        measure_all(logbook, logbook.has_any_output)
        exported = export_runs(logbook)
        sorts = {name: sort_of(name) for name in exported.columns}
        if dataset is not None:
            count, files = write_dataset(exported.rows(), exported.columns, dataset, sorts)
            tell(f"{counted(count, 'run')} in {counted(files, 'file')} in {dataset}")
            return
        if file is None:
            write_csv(exported.rows(), exported.columns, sys.stdout)
            return
        count = write_rows(exported.rows(), exported.columns, file, sorts)
    tell(f"{counted(count, 'run')} in {file}")
