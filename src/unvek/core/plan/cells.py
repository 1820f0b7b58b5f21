"""From a plan to what gets repeated: items, cells and their keys, and the order of the variants in each round."""

import hashlib
import json
import random
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from types import MappingProxyType

from unvek.core.plan.digests import DigestCache
from unvek.core.plan.model import Plan, Settings, Task, Variant


@dataclass(frozen=True, slots=True, kw_only=True)
class Cell:
    """A variant and an item, with the settings merged: what gets repeated.

    `key` is a digest of everything that could change the outcome: a plan that changes in a way that touches a
    cell gives it another key, so its earlier runs no longer count for it.
    """

    key: str
    variant: Variant
    task: Task
    seed: int
    settings: Settings


@dataclass(frozen=True, slots=True, kw_only=True)
class Sources:
    """Digests of the files that a plan's variants are made of."""

    scripts: Mapping[str, str]  # by runner
    files: Mapping[Path, str]

    def of_variant(self, variant: Variant) -> dict[str, str]:
        return {str(path): self.files[path] for path in (*variant.weights, *variant.parts.values())}


def read_sources(plan: Plan, tell: Callable[[str], None] | None = None) -> Sources:
    """Digest every weights, companion, input and script file of the plan, each once; `tell` hears of long readings."""
    paths = {path for variant in plan.variants for path in (*variant.weights, *variant.parts.values())}
    paths |= {path for task in plan.tasks for path in task.inputs}
    with DigestCache(tell) as digests:
        return Sources(
            scripts=MappingProxyType({name: digests.digest(runner.script) for name, runner in plan.runners.items()}),
            files=MappingProxyType({path: digests.digest(path) for path in sorted(paths)}),
        )


def weights_bytes(variant: Variant) -> int | None:
    """Return the size of a variant's weights files together; None where it names none."""
    return sum(path.stat().st_size for path in variant.weights) or None


def cells_of(plan: Plan, sources: Sources) -> tuple[Cell, ...]:
    """Return the plan's cells: variants in their order, and for each the tasks in theirs, with their seeds."""
    return tuple(
        _cell(plan, sources, variant, task, seed)
        for variant in plan.variants
        for task in plan.tasks
        for seed in task.seeds
    )


def _cell(plan: Plan, sources: Sources, variant: Variant, task: Task, seed: int) -> Cell:
    settings = MappingProxyType({**task.settings, **variant.settings})
    runner = plan.runners[variant.runner]
    made_of = {
        "variant": variant.name,
        "form": variant.form,
        "weights": [sources.files[path] for path in variant.weights],
        "parts": {name: sources.files[path] for name, path in variant.parts.items()},
        "runner": [sources.scripts[runner.name], runner.python, dict(runner.environment)],
        "settings": dict(settings),
        "task": [task.name, task.prompt, [sources.files[path] for path in task.inputs]],
        "seed": seed,
    }
    key = hashlib.sha256(json.dumps(made_of, sort_keys=True).encode()).hexdigest()[:24]
    return Cell(key=key, variant=variant, task=task, seed=seed, settings=settings)


def order_of_round(names: tuple[str, ...], order: str, shuffle_seed: int, round_number: int) -> tuple[str, ...]:
    """Return the variants' order in a round (from 1): as listed, rotated by one each round, or shuffled."""
    if order == "rotated":
        start = (round_number - 1) % len(names)
        return names[start:] + names[:start]
    if order == "shuffled":
        return tuple(random.Random(f"{shuffle_seed}/{round_number}").sample(names, len(names)))
    return names
