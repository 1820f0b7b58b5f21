"""Reading the [[measures]] of a plan, and what those are made of that ask a program of the user's."""

import json
import os
from collections.abc import Iterator
from pathlib import Path
from types import MappingProxyType

from unvek.core.measures.kind import YES, as_words
from unvek.core.measures.kinds import KINDS, RENAMED
from unvek.core.plan.digests import DigestCache
from unvek.core.plan.model import WantedMeasure
from unvek.core.plan.placeholders import INTERPRETER, names_in
from unvek.core.plan.reading.door import PROGRAM_WANTED, Table, found_program
from unvek.core.plan.reading.quoting import nearest_words, shown

TOGETHER = (("rate", "seconds"),)  # options that say nothing alone
PLACEHOLDERS = ("output", "out", "reference", "task", "prompt", "seed", INTERPRETER)


def read_measures(table: Table, folder: Path) -> tuple[WantedMeasure, ...]:
    """Read the tables of a plan that lies in this folder."""
    if not table.has("measures"):
        return ()
    measures = tuple(_read_measure(entry, folder) for entry in table.tables("measures", "[[measures]] tables"))
    for measure in measures:
        others = tuple(other for other in measures if other.name != measure.name)
        if is_asked(measure.name, others):
            table.problem(f"measures[{measure.name}].name", shown(measure.name),
                          "a name that no number of a program has: it begins with that of another measure")  # fmt: skip
    return measures


def is_asked(name: str, measures: tuple[WantedMeasure, ...]) -> bool:
    """Whether a plan asks for a measure of this name, or for a program that may give a number under it."""
    return any(
        measure.name == name or (measure.of_kind.asks and name.startswith(f"{measure.name}.")) for measure in measures
    )


def _read_measure(table: Table, folder: Path) -> WantedMeasure:
    name, kinds = table.name(), tuple(KINDS)
    kind = table.choice("kind", kinds, kinds[0], renamed=RENAMED)
    if not table.has("kind"):
        table.problem("kind", "nothing", "one of " + ", ".join(kinds))
    options = {}
    for option in KINDS[kind].options:
        if table.has(option.name):
            options[option.name] = table.option(option)
        elif option.is_needed:
            table.problem(option.name, "nothing", f"{option.name}, which a measure of kind {kind!r} needs")
    if KINDS[kind].asks:
        _check_asking(table, options, folder)
        options |= _made_of(options, folder)
    for one, other in TOGETHER:
        if (one in options) != (other in options):
            table.problem(other if one in options else one, "nothing", f"{one} and {other} together, or neither")
    table.close()
    return WantedMeasure(name=name, kind=kind, options=MappingProxyType(options))


def _check_asking(table: Table, options: dict[str, str], folder: Path) -> None:
    if table.has("files"):
        table.problem("files", "an unknown key", "the command alone: what it is made of is seen from that")
    if options.get("pass") == YES and options.get("points") == YES:
        table.problem("points", "pass beside it", "one of the two: what the exit code says, or what is printed")
    words = as_words(options.get("command", "[]")) or [options.get("python", "")]
    if words[0] and not any(names_in(words[0])):
        key = "command[0]" if "command" in options else "python"
        _, state = found_program(words[0], folder)
        if state is not None:
            table.problem(key, f"{shown(words[0])}, {state}", PROGRAM_WANTED)
    for name in names_in(as_words(options.get("command", "[]"))):
        if name not in PLACEHOLDERS:
            wanted = "one of " + ", ".join(f"{{{known}}}" for known in PLACEHOLDERS) + nearest_words(name, PLACEHOLDERS)
            table.problem("command", shown(f"{{{name}}}"), wanted)


def _made_of(options: dict[str, str], folder: Path) -> dict[str, str]:
    """Return the digests of the files that a measure names: changed ones make another measure of it."""
    with DigestCache() as digests:
        found = {name: digests.digest(folder / name) for name in named_files(options, folder)}
    return {"files": json.dumps(found, sort_keys=True)}


def named_files(options: dict[str, str], folder: Path) -> Iterator[str]:
    """Yield the files in the plan's folder that a measure names, as it names them."""
    words = (*as_words(options.get("command", "[]")), options.get("script", ""))
    yield from (word for word in dict.fromkeys(words) if word and os.path.isfile(folder / word))
