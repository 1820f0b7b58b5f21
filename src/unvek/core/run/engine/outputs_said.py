"""What is to be known of a run's files before they are measured: which come first, and which nobody has reported."""

from collections.abc import Iterator, Sequence
from pathlib import PurePath

from unvek.core.run.outputs_room import OutputFile
from unvek.core.units import few_of

MOST_NAMED = 4
OWN_PARTS = 2  # of a kept file's path come before the run's own names: outputs/RUN/...


def in_order(files: Sequence[OutputFile], reported: Sequence[str]) -> tuple[OutputFile, ...]:
    """Return a run's files, those that were reported first, in the order in which they were: the first is measured."""
    places = {name: place for place, name in enumerate(reported)}
    return tuple(sorted(files, key=lambda file: places.get(_own_name(file), len(places))))


def said_of(
    variant: str, files: Sequence[OutputFile], reported: Sequence[str]
) -> Iterator[tuple[tuple[str, str], str]]:
    """Yield what is to be said of a script's files, under what it is of, so that it is said once of each variant."""
    names = [name for file in files if len(PurePath(name := _own_name(file)).parts) == 1]
    silent = [name for name in names if name not in reported]
    if silent:
        words = f"{variant} leaves files in job.out that it does not report: {few_of(silent, MOST_NAMED)}. "
        yield (variant, "not reported"), f"{words}They are kept behind what probe.output() was told of."
    by_ending: dict[str, list[str]] = {}
    for name in names:
        by_ending.setdefault(PurePath(name).suffix.lower(), []).append(name)
    for ending, alike in by_ending.items():
        if len(alike) > 1:
            words = (
                f"{variant} makes several files that end alike: {few_of(alike, MOST_NAMED)}. {alike[0]} is measured; "
            )
            yield (variant, f"several {ending}"), f'{words}output = "{alike[1]}" under [[measures]] names another.'


def _own_name(file: OutputFile) -> str:
    return str(PurePath(*PurePath(file.path).parts[OWN_PARTS:]))
