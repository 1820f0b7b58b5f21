"""How the runs that count were set: what was varied for each, else as its variant has it, else as its task."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from unvek.core.evidence.counted_runs import CountedRuns, Floats, Whole
from unvek.core.logbook.rows import RunRow
from unvek.core.plan.model import WORDING, Task, wording_of
from unvek.core.stats.grouping import numbered


@dataclass(frozen=True)
class RunSettings:
    """tasks are the plan's, by name; runs from elsewhere may be of others."""

    runs: CountedRuns
    tasks: Mapping[str, Task]

    @cached_property
    def varied_values(self) -> Mapping[str, Sequence[Any]]:
        """The settings that these runs have more than one value of, as the plan varies them."""
        found: dict[str, dict[Any, None]] = {}
        for varied in self.runs.few_varied:
            for name, value in varied.items():
                if isinstance(value, str | int | float):  # as a setting is, whatever another has put there
                    found.setdefault(name, {})[value] = None
        return {name: tuple(values) for name, values in found.items() if len(values) > 1}

    @property
    def compared_values(self) -> Mapping[str, Sequence[Any]]:
        """The same, without the wordings of prompts: those are other ways to ask for one thing."""
        return {name: values for name, values in self.varied_values.items() if name != WORDING}

    def of_run(self, run: RunRow, name: str) -> Any:
        """Return a setting as a run had it; None where it had none."""
        task = self.tasks.get(run.task)
        for settings in (run.varied, self.of_variants[run.variant], task.settings if task is not None else {}):
            if name in settings:
                return settings[name]
        return None

    def prompt_of(self, run: RunRow) -> str:
        """Return what a run was asked for; empty for a task that the plan does not have."""
        task = self.tasks.get(run.task)
        return task.worded(wording_of(run.varied)) if task is not None else ""

    @cached_property
    def of_variants(self) -> Mapping[str, Mapping[str, Any]]:
        """Each variant's own settings."""
        return {variant.name: variant.settings for variant in self.runs.variants}

    def numbers(self, name: str) -> Floats:
        """Return a setting of each run as a number (NaN where it is none)."""
        kinds, representatives = self.kinds
        found = [self.of_run(row, name) for row in representatives]
        numbers = [v if isinstance(v, int | float) and not isinstance(v, bool) else np.nan for v in found]
        return np.array(numbers, float)[kinds]

    @cached_property
    def kinds(self) -> tuple[Whole, list[RunRow]]:
        """Which runs have all settings alike: (n,) the number of each run's kind, and a run of each kind."""
        kinds, _ = numbered(self.runs.variant, self.runs.task_codes, self.runs.varied_codes)
        firsts = np.unique(kinds, return_index=True)[1].tolist()
        return np.asarray(kinds, np.int64), [self.runs.rows[place] for place in firsts]
