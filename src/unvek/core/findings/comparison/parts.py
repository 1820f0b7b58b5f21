"""The parts of a table: where a plan varies settings, each of their values is compared on its own."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from unvek.core.evidence.counted_runs import Truths, varied_words
from unvek.core.evidence.evidence import Evidence
from unvek.core.plan.model import WORDING

MOST_PARTS = 8  # of more, a table says nothing that could be read: cells are then compared each with its own
MOST_ROWS = 60


@dataclass(frozen=True, slots=True)
class Part:
    """Some of the runs, and the values of what is varied that they have; of all runs no value."""

    varied: Mapping[str, Any]
    runs: Truths

    @property
    def settings(self) -> frozenset[str]:
        """The names of what these runs have a value of."""
        return frozenset(name for name, value in self.varied.items() if value is not None)


def parts_of(evidence: Evidence) -> tuple[Part, ...]:
    """Return the runs by the values of what is varied; all together where nothing is, or these are too many."""
    names = tuple(evidence.settings.compared_values)
    every = Part({}, np.ones(len(evidence.runs), bool))
    if not names:
        return (every,)
    different = {_words(varied): varied for varied in evidence.runs.few_varied}
    if len(different) > MOST_PARTS or len(different) * len(evidence.variants) > MOST_ROWS:
        return (every,)
    coded = evidence.runs.rows.coded("varied")
    parts = [
        Part({name: varied.get(name) for name in names}, coded.where(partial(_is, words)))
        for words, varied in different.items()
    ]
    return tuple(sorted(parts, key=lambda part: [_order(value) for value in part.varied.values()]))


def settings_of(evidence: Evidence, parts: Sequence[Part], variant: str) -> set[frozenset[str]]:
    """Return what a variant's runs have values of: a runner may vary what others do not, which have no such parts."""
    mine = evidence.runs.of_variant(variant)
    return {part.settings for part in parts if np.any(part.runs & mine)}


def _is(words: str, varied: Mapping[str, Any]) -> bool:
    return _words(varied) == words


def _words(varied: Mapping[str, Any]) -> str:
    return varied_words({name: value for name, value in varied.items() if name != WORDING})


def _order(value: Any) -> tuple[bool, float, str]:
    is_number = isinstance(value, int | float) and not isinstance(value, bool)
    return not is_number, float(value) if is_number else 0.0, str(value)
