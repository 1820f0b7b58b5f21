"""What a model's side tells of a run in numbers: what can't be is refused with a word, what takes a name is told.

A number is kept as it was told, under its name; under which name it is then shown, the plan and Unvek's own names say.
"""

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

import psutil

from unvek.core.measures.catalogue import is_ours
from unvek.core.measures.definition import SHARE, Measure
from unvek.core.measures.kind import NUMBERS
from unvek.core.plan.model import WantedMeasure
from unvek.core.run.events.record import Progress, Value
from unvek.core.units import BYTES, LARGEST_NUMBER, LONGEST_S, SECONDS, SHORTEST_S, SMALLEST_NUMBER, is_0_or_within

REFUSED = "refused"  # the fault that a refusal is noted as
NO_SIZE = "more bytes than this machine has"
SIZES = PEAK, DEVICE = "memory_peak_bytes", "memory_device_bytes"  # of a run's progress, as its process tells them
LONGEST_SHOWN = 40


@dataclass(frozen=True, slots=True)
class Sifted:
    """A run's progress without what can't be; and what is to be said once of each name, by the name and what it is."""

    progress: Progress
    words: Mapping[tuple[str, str], str]


class Sieve:
    """Holds what runs tell against what the plan asks for and what this machine can have."""

    def __init__(self, measures: Iterable[WantedMeasure] = (), most_bytes: int | None = None):
        """most_bytes: more than the machine has, in memory and on its disks together; None where that is not known."""
        self._wanted = {measure.name: measure for measure in measures}
        self._most_bytes = most_bytes

    def sift(self, progress: Progress) -> Sifted:
        values: list[Value] = []
        faults: list[tuple[str, str]] = []
        words: dict[tuple[str, str], str] = {}
        for kind, note in progress.faults:  # the probe refuses what JSON has no number for
            if kind == REFUSED:
                subject, _, why = note.partition(": ")
                words[subject, why] = f"{subject} was refused: {why}."
        for value in progress.values:
            wrong = self._wrong(value)
            if wrong is not None:
                faults.append((REFUSED, f"{_shown(value)}: {wrong}"))
                words[value.name, wrong] = f"{_shown(value)} was refused: {wrong}."
                continue
            values.append(value)
            taken = self._taken(value)
            if taken is not None:
                words[value.name, taken] = taken
        refused = [name for name in SIZES if (size := getattr(progress, name)) is not None and self._is_no_size(size)]
        faults += [(REFUSED, f"{name} {getattr(progress, name)}: {NO_SIZE}") for name in refused]
        kept = replace(
            progress,
            values=tuple(values),
            faults=(*progress.faults, *faults),
            cpu_s=progress.cpu_s if progress.cpu_s is None or progress.cpu_s >= 0 else None,
            memory_peak_bytes=None if PEAK in refused else progress.memory_peak_bytes,
            memory_device_bytes=None if DEVICE in refused else progress.memory_device_bytes,
        )
        return Sifted(kept, words)

    def _wrong(self, value: Value) -> str | None:
        """Return why a value can't be, in words; None where it can."""
        number, unit = value.number, value.unit
        if not math.isfinite(number):
            return "no finite number"
        if not is_0_or_within(number, SMALLEST_NUMBER, LARGEST_NUMBER):
            return f"not between {SMALLEST_NUMBER:g} and {LARGEST_NUMBER:g}"
        if unit in SECONDS and number < 0:
            return "a time can't be negative"
        if unit in SECONDS and not is_0_or_within(number * SECONDS[unit], SHORTEST_S, LONGEST_S):
            return f"a time can't be but from {SHORTEST_S:g} to {LONGEST_S:g} s"
        if unit in BYTES and self._is_no_size(number * BYTES[unit]):
            return NO_SIZE if number > 0 else "a size can't be negative"
        measure = self._asked(value)
        if measure is not None and measure.summed_up == SHARE and not 0 <= number <= 1:
            return "a share lies between 0 and 1"
        return None

    def _is_no_size(self, size: float) -> bool:
        return size < 0 or (self._most_bytes is not None and size > self._most_bytes)

    def _asked(self, value: Value) -> Measure | None:
        """Return the measure that the plan asks the model's side to tell under this name."""
        wanted = None if value.ours else self._wanted.get(value.name)
        return wanted.measure if wanted is not None and wanted.of_kind.of == NUMBERS else None

    def _taken(self, value: Value) -> str | None:
        """Say whose name a value was told under, where it is not the model's to give."""
        if value.ours:
            return None
        kept = f"kept as told.{value.name}"
        asked = self._asked(value)
        if asked is not None:
            if asked.unit == value.unit:
                return None
            told, wanted = value.unit or "no unit", asked.unit or "no unit"
            return f"{value.name} was told in {told}, and the plan asks for it in {wanted}: {kept}."
        if value.name in self._wanted:
            kind = self._wanted[value.name].kind
            return (f"{value.name} was told by the model's side, and is what the plan measures by {kind}: {kept}. Give "
                    "one of them another name, or ask for what is told with kind = \"told\".")  # fmt: skip
        if is_ours(value.name):
            return f"{value.name} was told by the model's side, and is a name of Unvek's own: {kept}."
        return None


def most_bytes_of(rig: Mapping[str, Any], disk_bytes: int) -> int:
    """Return more bytes than a machine can hold anything in: its memories and the disk that results are kept on."""
    devices = sum(device.get("memory_bytes") or 0 for device in rig.get("accelerators", ()))
    return int(rig["memory_bytes"] or 0) + psutil.swap_memory().total + devices + disk_bytes


def _shown(value: Value) -> str:
    return f"{value.name[:LONGEST_SHOWN]} {value.number:g}{' ' if value.unit else ''}{value.unit}"
