"""How it looks so far, in a line: by the same statistics as the table, from the runs that this viewer has heard of.

It is worked out in the viewer's own process, once a launch: the model's process and the engine do nothing for it.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from unvek.core.plan.model import USUAL_MARGIN
from unvek.core.run.events.record import FINISHED
from unvek.core.run.journal.entries import RunKept

COUNTS_WORDS = "what counts is the table when all rounds are done"
FEWEST_ROUNDS = 2  # below which nothing is known of how launches differ
MOST_RUNS = 50_000
FASTER, SLOWER = "faster", "slower"
WORDS = {FASTER: "faster", SLOWER: "slower", "same": "as fast as {}", "unclear": "open against {}"}
IN_SHORT = {FASTER: "faster", SLOWER: "slower", "same": "alike", "unclear": "open"}


@dataclass(frozen=True, slots=True)
class _Made:
    """A run that may count; the first of a process is cold."""

    variant: str
    round: int
    launch: int
    item: Any
    time_s: float
    is_cold: bool


@dataclass(slots=True)
class Standing:
    """The runs that may count, and what they answered when a launch last came to its end."""

    _runs: list[_Made] = field(default_factory=list)
    _answers: dict[str, str] = field(default_factory=dict)

    def take(self, kept: RunKept) -> None:
        """Take a run: those that finished, and are no warm-up."""
        if kept.status != FINISHED or kept.warm_up or not kept.time_s or len(self._runs) >= MOST_RUNS:
            return
        item = (kept.task, kept.seed, repr(sorted(kept.varied.items())))
        self._runs.append(_Made(kept.variant, kept.round, kept.launch, item, kept.time_s, kept.place == 1))

    def settle(self, reference: str) -> None:
        """Work out what is known by now, as a launch has ended."""
        warm = {run.variant for run in self._runs if not run.is_cold}
        counting = [run for run in self._runs if not (run.is_cold and run.variant in warm)]
        rounds = {run.round for run in counting if run.variant == reference}
        self._answers = _answers(counting, reference) if len(rounds) >= FEWEST_ROUNDS else {}

    def words(self, reference: str, width: int) -> str:
        """Say what is faster, slower, alike and open; in numbers where there is little room; nothing of nothing."""
        named = {answer: [name for name, one in self._answers.items() if one == answer] for answer in WORDS}
        named = {answer: names for answer, names in named.items() if names}
        if not named:
            return ""
        said = ", ".join(
            f"{_and(names)} {'is' if len(names) == 1 else 'are'} {WORDS[answer].format(reference)}"
            for answer, names in named.items()
        )
        if len(said) + len(COUNTS_WORDS) + 9 > width:
            said = ", ".join(f"{len(names)} {IN_SHORT[answer]}" for answer, names in named.items())
        return f"so far {said}; {COUNTS_WORDS}"


def _answers(runs: Sequence[_Made], reference: str) -> dict[str, str]:
    """Return what each variant's times answer against the reference's, as a comparison has it."""
    import numpy as np

    from unvek.core.stats.conclusions.conclusion import conclusion
    from unvek.core.stats.over_launches.launches import Sample, levels_between, ratios_together

    items: dict[Any, int] = {}
    columns: dict[str, list[tuple[float, int, int, int]]] = {}
    for run in runs:
        item = items.setdefault(run.item, len(items))
        columns.setdefault(run.variant, []).append((run.time_s, run.round, run.launch, item))

    def sample(variant: str) -> Sample:
        values, rounds, launches, of_items = zip(*columns[variant], strict=True)
        whole = [np.array(one, np.int64) for one in (rounds, launches, of_items)]
        return Sample(np.array(values), whole[0], whole[1], whole[2])

    if reference not in columns:
        return {}
    theirs = sample(reference)
    pairs = {name: (sample(name), theirs) for name in columns if name != reference}
    found = ratios_together(levels_between(pairs))
    answers = {name: conclusion(ratio, True, (FASTER, SLOWER), USUAL_MARGIN.value) for name, ratio in found.items()}
    return {name: answer for name, answer in answers.items() if answer is not None}


def _and(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
