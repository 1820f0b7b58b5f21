"""unvek judge import FILE..."""

from pathlib import Path

import click

from unvek.cli.options import logbook_option, open_logbook, tell


@click.command("import")
@click.argument("files", type=click.Path(path_type=Path, dir_okay=False), nargs=-1, required=True)
@logbook_option
def import_verdicts(files: tuple[Path, ...], where: str | None) -> None:
    """Bring in the verdicts of FILE..., as 'unvek judge export' writes them; their runs have to be here.

    A file comes in whole or not at all. A verdict that is here already is left as it is.

    \b
    Examples, in the demo's folder:
      unvek judge import verdicts.csv
      unvek judge import verdicts.jsonl --logbook other
    """
    from unvek.core.exchange.verdict_files import import_verdicts as bring_in
    from unvek.core.units import counted

    with open_logbook(where) as logbook:
        for file in files:
            new, known = bring_in(logbook, file)
            tell(f"{file}: {counted(new, 'verdict')} new" + (f", {known} were here already" if known else ""))
