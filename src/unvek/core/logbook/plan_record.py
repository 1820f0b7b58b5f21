"""A plan on record: the plan as it was run, to and from JSON, with what is known of it beside.

The file may change or go; results speak of the plan as it was when its runs were made.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from types import MappingProxyType
from typing import Any

import msgspec

from unvek.core.plan.model import Plan, Schedule, Task


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanOnRecord:
    """A plan under its number: all of it, the keys of its cells, and what its variants' weights weigh.

    Of a plan that was recorded by an earlier Unvek, the runners and limits are not known and left out.
    """

    number: int
    plan: Plan
    cells: tuple[str, ...]
    weights_bytes: Mapping[str, int | None]

    def task(self, name: str) -> Task | None:
        """Return a task by its name; None for one that only runs from elsewhere are of."""
        return next((task for task in self.plan.tasks if task.name == name), None)


def plan_as_json(plan: Plan, cells: Sequence[str], weights_bytes: Mapping[str, int | None]) -> dict[str, Any]:
    """Return what a logbook keeps of a plan beside its path and its text."""
    whole = plain(plan)
    for name in ("path", "text", "logbook", "outputs"):  # where runs are kept says nothing of them
        del whole[name]
    return {"plan": whole, "cells": list(cells), "weights_bytes": dict(weights_bytes)}


def plan_from_json(number: int, path: str, text: str, content: Mapping[str, Any]) -> PlanOnRecord:
    """Return a plan as it was kept; ValueError where that is none."""
    try:
        return PlanOnRecord(
            number=number,
            plan=typed({**content["plan"], "path": path, "text": text}, Plan),
            cells=typed(content["cells"], tuple[str, ...]),
            weights_bytes=typed(content["weights_bytes"], Mapping[str, int | None]),
        )
    except (KeyError, TypeError) as error:
        raise ValueError(f"a plan without its {error}") from error


def plan_of_runs_from_elsewhere(title: str, reference: str) -> Plan:
    """Return what stands for the plan of a logbook into which timings were brought before any plan was run."""
    return Plan(
        path=Path(), text="", title=title, reference=reference, quality=None, schedule=Schedule(rounds=1, repeats=1),
        runners={}, variants=(), tasks=(),
    )  # fmt: skip


def plain(value: Any) -> Any:
    """Return a value as JSON has it: tables, lists, texts, numbers, true and false."""
    return msgspec.to_builtins(value, enc_hook=_plain)


def typed(value: Any, kind: Any) -> Any:
    """Return the value of this type that JSON values stand for; ValueError where they stand for none."""
    try:
        return msgspec.convert(value, kind, dec_hook=_typed)
    except (msgspec.ValidationError, NotImplementedError) as error:
        raise ValueError(str(error)) from error


def _plain(value: Any) -> Any:
    if isinstance(value, MappingProxyType):
        return dict(value)
    if isinstance(value, Path):
        return str(value)
    raise NotImplementedError(f"{type(value)} has no place in a logbook")


def _typed(kind: Any, value: Any) -> Any:
    if kind is Path and isinstance(value, str):
        return Path(value)
    raise NotImplementedError(f"{kind} has no place in a logbook")
