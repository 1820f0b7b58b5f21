"""From a plan to what gets repeated: items, cells and their keys, and the order of the variants in each round."""

import hashlib
import json
import random
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from itertools import product
from pathlib import Path
from types import MappingProxyType
from typing import Any, NamedTuple

from unvek.core.errors import InputError
from unvek.core.plan.digests import DigestCache
from unvek.core.plan.model import WORDING, Plan, Settings, SettingValue, Task, Variant
from unvek.core.plan.model_folder import FolderError, files_of
from unvek.core.plan.runners import Runner

SEED = "seed"
_sorted_json = json.JSONEncoder(sort_keys=True).encode


class Cell(NamedTuple):
    """A variant, an item and values of what is varied, with the settings merged: what gets repeated.

    `key` is a digest of everything that could change the outcome: a plan that changes in a way that touches a
    cell gives it another key, so its earlier runs no longer count for it. There may be hundreds of thousands of cells.
    """

    key: str
    seed: int
    variant: Variant
    task: Task
    settings: Settings
    keeps_previews: bool = False
    varied: Settings = MappingProxyType({})


@dataclass(frozen=True, slots=True, kw_only=True)
class Sources:
    """Digests of the files that a plan's variants are made of; `folders` has the files of those that are folders."""

    files: Mapping[Path, str]
    folders: Mapping[Path, tuple[Path, ...]] = field(default_factory=dict)

    def digest(self, path: Path) -> str:
        """Return a file's digest; of a folder that of its manifest, the names and digests of the files in it."""
        if path not in self.folders:
            return self.files[path]
        manifest = [(str(file.relative_to(path)), self.files[file]) for file in self.folders[path]]
        return hashlib.sha256(json.dumps(manifest).encode()).hexdigest()

    def under(self, path: Path) -> dict[str, str]:
        """Return the digest of every file that a path stands for."""
        return {str(file): self.files[file] for file in self.folders.get(path, (path,))}

    def of_runner(self, runner: Runner) -> dict[str, str]:
        return {str(path): self.files[path] for path in runner.files}

    def of_variant(self, variant: Variant) -> dict[str, str]:
        return {name: digest for path in variant.models for name, digest in self.under(path).items()}


def read_sources(plan: Plan, tell: Callable[[str], None] | None = None) -> Sources:
    """Digest every file that the plan names, each once; `tell` hears of long readings."""
    models = {path for variant in plan.variants for path in variant.models}
    folders = {path: _files_of(path) for path in models if path.is_dir()}
    paths = {file for path in models for file in folders.get(path, (path,))}
    paths |= {path for task in plan.tasks for path in task.inputs}
    paths |= {path for runner in plan.runners.values() for path in runner.files}
    with DigestCache(tell) as digests:
        files = {path: digests.digest(path) for path in sorted(paths)}
    return Sources(files=MappingProxyType(files), folders=MappingProxyType(folders))


def _files_of(folder: Path) -> tuple[Path, ...]:
    try:
        return files_of(folder)
    except FolderError as error:  # since the plan was read
        raise InputError(f"{folder}, {error}") from error


def weights_bytes(variant: Variant) -> int | None:
    """Return the size of a variant's weights together, of folders all files in them; None where it names none."""
    return sum(file.stat().st_size for path in variant.weights for file in files_of(path)) or None


def cells_of(plan: Plan, sources: Sources) -> tuple[Cell, ...]:
    """Return the plan's cells: variants in their order, then what is varied, then the tasks, with their seeds."""
    made = (_Made(plan, sources, variant) for variant in plan.variants)
    return tuple(
        cell
        for one in made
        for varied in combinations_of(plan, one.variant)
        for task in plan.tasks
        for cell in one.cells(varied, task)
    )


def vary_of(plan: Plan, variant: Variant) -> Mapping[str, tuple[SettingValue, ...]]:
    """Return the settings that are varied for a variant, by its runner or by the plan, each with its values."""
    runner = plan.runner_of(variant)
    return {**runner.vary, **plan.vary}


def combinations_of(plan: Plan, variant: Variant) -> Iterator[Settings]:
    """Yield every combination of the values that are varied for a variant; one that is empty where nothing is."""
    vary = vary_of(plan, variant)
    for values in product(*vary.values()):
        yield MappingProxyType(dict(zip(vary, values, strict=True)))


class _Made:
    """A variant as its cells are made of it.

    A cell's key is the digest of sorted JSON. What stands before the seed there is of the variant alone, and digested
    once; what stands behind it is of a task in one wording, and worked out once for all its seeds.
    """

    def __init__(self, plan: Plan, sources: Sources, variant: Variant):
        self.variant = variant
        self._sources, self._runner, self._keeps_previews = sources, plan.runner_of(variant), plan.keeps_previews
        before: dict[str, Any] = {
            "form": variant.form,
            "parts": {name: sources.digest(path) for name, path in variant.parts.items()},
            "runner": self._runner.made_of(sources.files),
        }
        if variant.precision is not None:
            before["precision"] = variant.precision
        if plan.keeps_previews:  # which takes time: such runs are others than those that are timed
            before["previews"] = plan.previews
        assert max(before) < SEED
        self._begun = hashlib.sha256((_sorted_json(before).removesuffix("}") + f', "{SEED}": ').encode())
        self._behind = {"variant": variant.name, "weights": [sources.digest(path) for path in variant.weights]}

    def cells(self, varied: Settings, task: Task) -> Iterator[Cell]:
        """Yield the cells of a task: seed by seed, each wording of it."""
        settings = MappingProxyType({**self._runner.load, **task.settings, **self.variant.settings, **varied})
        worded = [self._worded(varied, settings, task, n) for n in range(1, len(task.wordings) + 2)]
        for seed in task.seeds:
            for behind, known in worded:
                digest = self._begun.copy()
                digest.update(b"%d" % seed + behind)
                yield Cell(digest.hexdigest()[:24], seed, *known)

    def _worded(
        self, varied: Settings, settings: Settings, task: Task, wording: int
    ) -> tuple[bytes, tuple[Variant, Task, Settings, bool, Settings]]:
        """Return what stands behind the seed, and what the cells of a task in one wording have in common."""
        if task.wordings:
            task = replace(task, prompt=task.worded(wording))
            varied = MappingProxyType({**varied, WORDING: wording})
        of_task = [task.name, task.prompt, [self._sources.files[path] for path in task.inputs]]
        behind = _sorted_json({**self._behind, "settings": dict(settings), "task": of_task}).removeprefix("{")
        return f", {behind}".encode(), (self.variant, task, settings, self._keeps_previews, varied)


def order_of_round(names: tuple[str, ...], order: str, shuffle_seed: int, round_number: int) -> tuple[str, ...]:
    """Return the variants' order in a round (from 1): balanced, rotated by one each round, shuffled, or as listed.

    Balanced is such that after as many rounds as there are variants (twice as many, where their number is odd) each has
    stood at each place equally often, and has followed every other equally often (Williams 1949, "Experimental designs
    balanced for the estimation of residual effects of treatments").
    """
    if order == "balanced":
        return _balanced(names, round_number - 1)
    if order == "rotated":
        start = (round_number - 1) % len(names)
        return names[start:] + names[:start]
    if order == "shuffled":
        return tuple(random.Random(f"{shuffle_seed}/{round_number}").sample(names, len(names)))
    return names


def _balanced(names: tuple[str, ...], row: int) -> tuple[str, ...]:
    """A row of Williams' square; of an odd number every second row is the one before it, turned round."""
    count = len(names)
    is_odd = count % 2 == 1
    shift = (row // 2 if is_odd else row) % count
    zigzag = [(place + 1) // 2 if place % 2 else -(place // 2) for place in range(count)]  # 0, 1, -1, 2, -2...
    ordered = tuple(names[(step + shift) % count] for step in zigzag)
    return ordered[::-1] if is_odd and row % 2 == 1 else ordered
