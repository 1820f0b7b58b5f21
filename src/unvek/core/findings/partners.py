"""Which run of the reference each output is held against, for a likeness."""

from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from unvek.core.findings.evidence import Evidence
from unvek.core.stats.grouping import numbered

Whole = NDArray[np.int64]
Codes = NDArray[np.integer]


def partners(evidence: Evidence) -> tuple[Whole, Whole]:
    """Return (pairs,) the numbers of runs, and (pairs,) of the reference's run that each is held against.

    That is its run of the same item (as `Evidence.held_codes` has it), round and repeat, or else its first of the
    item; for a run of the reference itself its next one of the item. To place likenesses between a rerun and another
    seed, the reference's first runs of each two seeds of a task are paired too.
    """
    finished = np.flatnonzero(evidence.finished & evidence.made_here)
    theirs = np.flatnonzero(evidence.finished & evidence.made_here & evidence.of_variant(evidence.reference))
    if not len(theirs):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    every = np.r_[finished, theirs]
    held = np.r_[evidence.held_codes[finished], evidence.varied_codes[theirs]]
    items, count = numbered(evidence.task_codes[every], evidence.seed[every], held)
    repeats = evidence.rows.whole_numbers("repeat")
    slots, slots_count = numbered(items, evidence.round[every], repeats[every])
    ours = slice(0, len(finished))
    rest = slice(len(finished), None)
    of_slot, of_item = _first_of(slots[rest], slots_count), _first_of(items[rest], count)
    found = np.where(of_slot[slots[ours]] >= 0, of_slot[slots[ours]], of_item[items[ours]])
    next_one = _next_of_item(items[rest])
    own = np.full(len(evidence.rows), -1, np.int64)
    own[theirs] = np.arange(len(theirs))
    is_own = (own[finished] >= 0) & (evidence.held_codes[finished] == evidence.varied_codes[finished])
    found[is_own] = next_one[own[finished[is_own]]]
    known = found >= 0
    numbers = evidence.rows.whole_numbers("number")
    pairs = np.array(_of_two_seeds(evidence, theirs), np.int64).reshape(-1, 2)
    return (
        numbers[np.r_[finished[known], pairs[:, 0]]],
        numbers[np.r_[theirs[found[known]], pairs[:, 1]]],
    )


def _first_of(codes: Codes, count: int) -> Whole:
    """Return (count,) the first place of each code, -1 where it has none."""
    first = np.full(count, -1, np.int64)
    first[codes[::-1]] = np.arange(len(codes))[::-1]
    return first


def _next_of_item(items: Codes) -> Whole:
    """Return, for each place, the next of the same item, the first after the last; -1 for an item's only one."""
    order = np.argsort(items, kind="stable")
    ordered = items[order]
    starts = np.flatnonzero(np.r_[True, ordered[1:] != ordered[:-1]])
    lengths = np.diff(np.r_[starts, len(ordered)])
    following = np.r_[order[1:], order[:1]]
    following[starts + lengths - 1] = order[starts]
    following[starts[lengths == 1]] = -1
    found = np.empty(len(items), np.int64)
    found[order] = following
    return found


def _of_two_seeds(evidence: Evidence, theirs: Whole) -> list[tuple[int, int]]:
    """The first runs of each two seeds of a task, at the values that outputs are held against."""
    held = set(evidence.held_codes[theirs].tolist())
    firsts: dict[tuple[int, int], dict[int, int]] = {}
    columns = (evidence.task_codes[theirs], evidence.varied_codes[theirs], evidence.seed[theirs], theirs)
    for task, varied, seed, place in zip(*(column.tolist() for column in columns), strict=True):
        if varied in held:
            firsts.setdefault((task, varied), {}).setdefault(seed, place)
    return [(later, earlier) for of in firsts.values() for earlier, later in combinations(of.values(), 2)]
