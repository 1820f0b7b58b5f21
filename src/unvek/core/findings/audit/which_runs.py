"""Which runs a finding is about: by their variants, in words, and how much something else took from each."""

from collections import defaultdict
from collections.abc import Mapping, Sequence

from unvek.core.evidence.evidence import Evidence
from unvek.core.logbook.rows import RunRow
from unvek.core.stats.grouping import Whole
from unvek.core.units import counted, few_of

MANY_SHARE = 0.1  # of a variant's runs, from which on what is wrong with them is no side matter
MOST_NAMED = 4


def rows_by_variant(evidence: Evidence, places: Whole) -> dict[str, list[RunRow]]:
    """Return the rows at these places, by variant."""
    found: dict[str, list[RunRow]] = defaultdict(list)
    for place in places.tolist():
        row = evidence.runs.rows[place]
        found[row.variant].append(row)
    return found


def taken_by_others(row: RunRow) -> float:
    return (row.others_share or 0.0) + (row.stolen_share or 0.0)


def counts_words(found: Mapping[str, Sequence[RunRow]]) -> str:
    """Say how many runs of each variant; which, the audit says."""
    return ", ".join(f"{counted(len(rows), 'run')} of {name}" for name, rows in found.items())


def numbers_words(found: Mapping[str, Sequence[RunRow]]) -> str:
    """Name the runs of each variant; of many the first."""
    return "; ".join(f"{name} {few_of([row.number for row in rows], MOST_NAMED)}" for name, rows in found.items())
