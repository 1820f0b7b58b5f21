"""unvek import FILE..."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.options import logbook_option, name_option, place_to_write, tell

if TYPE_CHECKING:
    from unvek.core.exchange.importing import Imported


@click.command("import")
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path, exists=True), metavar="FILE...")
@click.option("--reference", metavar="VARIANT", help="Hold the others against this one, where no plan says which.")
@click.option("--here", is_flag=True, help="The timings were taken on this machine, where they do not say on which.")
@name_option
@logbook_option
def importing(files: tuple[Path, ...], reference: str | None, here: bool, name: str | None, where: str | None) -> None:
    """Bring in timings from elsewhere: each FILE a .csv, .jsonl or .parquet, one run a row; or a folder of .parquet.

    Needed are variant and time_s (seconds); form, task, seed, round, repeat, warm_up, status, steps and measure:NAME
    may be there too. Rounds are what intervals are over: without the column each timing counts as a round, and those
    of a second file come after the first's. The runs are marked as imported, and go through the same statistics. A
    file comes in whole or not at all.

    A run that was here already (by its id; or by session, variant, task, seed, round and repeat) is left as it is, or
    replaced where the file says otherwise. The same file again changes nothing.

    \b
    Examples, in the demo's folder:
      unvek export runs.csv
      unvek import runs.csv --logbook brought
      unvek import other-machine.parquet --reference full --name tuesday --logbook other
    """
    from unvek.core.exchange.importing import import_timings
    from unvek.core.logbook.store import Logbook
    from unvek.core.rig.present import this_rig

    place = place_to_write(where)
    with Logbook.locked_at(place) as (logbook, is_new):
        for path in files:
            made = import_timings(logbook, path, reference, this_rig() if here else None, name, tell)
            for words in _words(path, made):
                tell(words)
    if is_new:
        tell(f"The logbook is {place.name}.")


def _words(path: Path, made: "Imported") -> list[str]:
    """Say what came of a file: what is new, what took another's place, what was there."""
    from unvek.core.units import counted

    variants = ", ".join(made.variants)
    if made.already_in is not None:
        return [f"{path}: nothing is changed; this file came in before, as the session {made.already_in} "
                f"({counted(made.unchanged, 'run')} of {variants})"]  # fmt: skip
    said = [f"{counted(made.new, 'run')} of {variants}"] if made.new or not (made.replaced or made.unchanged) else []
    if made.replaced:
        said.append(
            f"{counted(made.replaced, 'run')} replaced, which the file tells otherwise (the earlier are voided)"
        )
    if made.unchanged:
        said.append(f"{counted(made.unchanged, 'run')} {'was' if made.unchanged == 1 else 'were'} here already")
    words = [f"{path}: {'; '.join(said)}. Session {made.session}; 'unvek compare' holds them against {made.reference}"]
    if made.alike:
        words.append(
            f"{counted(made.alike, 'run')} of these told the very time of an item that one here told before: were they "
            "brought in twice? 'unvek log' lists them, 'unvek void' takes one out"
        )
    return words
