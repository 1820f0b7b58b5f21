"""Timings from elsewhere into a logbook: all of a file, or nothing of it."""

import hashlib
import json
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from unvek.core.errors import InputError
from unvek.core.exchange.columns import CellError, Timing, check_columns, timing_of
from unvek.core.exchange.files import read_rows
from unvek.core.logbook.foreign import ForeignRun
from unvek.core.logbook.store import Logbook
from unvek.core.measures.catalogue import BUILT_IN, RUN_COLUMNS
from unvek.core.rig.facts import elsewhere
from unvek.core.run.record import CELL_FROM_ELSEWHERE

MOST_PROBLEMS = 20  # told at once
TOLD_EVERY = 20_000  # runs
WHOLE_COLUMNS = ("memory_peak_bytes", "memory_device_bytes", "tokens", "steps")


@dataclass(frozen=True, slots=True, kw_only=True)
class Imported:
    """What came of it."""

    runs: int
    variants: tuple[str, ...]
    reference: str


def import_timings(
    logbook: Logbook,
    path: Path,
    reference: str | None = None,
    rig: tuple[str, dict[str, object]] | None = None,
    tell: Callable[[str], None] | None = None,
) -> Imported:
    """Put a file's runs into the logbook, in one transaction.

    reference: the variant that the others are held against, where the logbook has no plan that says so; the file's
    first if None. rig: the fingerprint and facts of the machine that the timings are of; an unknown one if None.
    tell: hears now and then how far a long file is.
    InputError names line and column of what can't be used; the logbook is then as it was.
    """
    fingerprint, facts = rig if rig is not None else elsewhere()
    variants: dict[str, None] = {}

    def seen() -> Iterator[ForeignRun]:
        for count, run in enumerate(_runs_of(path), 1):
            variants.setdefault(run.columns["variant"])
            if tell is not None and count % TOLD_EVERY == 0:
                tell(f"{path.name}: {count} runs read...")
            yield run

    runs = logbook.keep_imported(seen(), fingerprint, facts, lambda: _content(path, list(variants), reference))
    plan = logbook.newest_plan()
    assert plan is not None, "there is one from now on"
    return Imported(runs=runs, variants=tuple(variants), reference=plan.content["reference"])


def _content(path: Path, variants: Sequence[str], reference: str | None) -> dict[str, object]:
    """What findings need to know of a logbook that no plan has been run into."""
    if reference is not None and reference not in variants:
        raise InputError(f"there is no variant {reference!r} to be the reference; there are {', '.join(variants)}")
    return {
        "title": f"Timings from {path.name}", "reference": reference or variants[0], "quality": None, "rounds": 1,
        "repeats": 1, "variants": [], "tasks": [], "vary": {}, "measures": [], "cells": [],
    }  # fmt: skip


def _runs_of(path: Path) -> Iterator[ForeignRun]:
    """Yield the file's runs; after the last, InputError with every problem there was (up to MOST_PROBLEMS)."""
    order = _Order()
    problems: list[str] = []
    count = 0
    checked: set[tuple[str, ...]] = set()
    for line, header, row in read_rows(path):
        try:
            if header is not None and tuple(header) not in checked:
                check_columns(header)
                checked.add(tuple(header))
            if not row:
                continue
            run = order.placed(timing_of(row), line)
        except CellError as error:
            problems.append(f"line {line}, {error}")
            if len(problems) == MOST_PROBLEMS or (header is not None and not row):
                break
            continue
        count += 1
        if not problems:
            yield run
    if problems:
        raise InputError(f"{path} was not imported, and nothing was changed:\n  " + "\n  ".join(problems))
    if not count:
        raise InputError(f"{path} holds no run")


class _Order:
    """Gives each run its round and repeat where the file does not, and finds the same run told twice."""

    def __init__(self) -> None:
        self._rounds: Counter[tuple[str, int | None]] = Counter()
        self._repeats: Counter[tuple[str, int]] = Counter()
        self._lines: dict[tuple[str, int, int], int] = {}

    def placed(self, timing: Timing, line: int) -> ForeignRun:
        cell = _cell(timing)
        round_number, repeat = timing.round, timing.repeat
        if timing.warm_up:
            return _foreign(timing, cell, round_number or 1, repeat or 1)
        if round_number is None:
            self._rounds[cell, repeat] += 1
            round_number = self._rounds[cell, repeat]
        if repeat is None:
            self._repeats[cell, round_number] += 1
            repeat = self._repeats[cell, round_number]
        slot = (cell, round_number, repeat)
        if timing.voided is None and self._lines.setdefault(slot, line) != line:
            raise CellError("repeat", repeat, f"each run once: line {self._lines[slot]} has this one")
        return _foreign(timing, cell, round_number, repeat)


def _cell(timing: Timing) -> str:
    what = [timing.variant, timing.form, timing.task, timing.seed, sorted(timing.varied.items())]
    return CELL_FROM_ELSEWHERE + hashlib.sha256(json.dumps(what).encode()).hexdigest()[:24]


def _foreign(timing: Timing, cell: str, round_number: int, repeat: int) -> ForeignRun:
    columns = {
        "cell": cell, "variant": timing.variant, "form": timing.form, "task": timing.task, "seed": timing.seed,
        "round": round_number, "repeat": repeat, "warm_up": timing.warm_up, "varied": dict(timing.varied),
        "status": timing.status, "voided": timing.voided, "time_s": timing.time_s, "steps": timing.steps,
        "source": timing.source,
    }  # fmt: skip
    measures = dict(timing.measures)
    load_s = measures.pop("time.load", None)
    for name, column in RUN_COLUMNS.items():
        if name in measures:
            value = measures.pop(name)
            columns[column] = round(value) if column in WHOLE_COLUMNS else value
    units = {name: (value, BUILT_IN[name].unit if name in BUILT_IN else "") for name, value in measures.items()}
    return ForeignRun(columns=columns, measures=units, load_s=load_s)
