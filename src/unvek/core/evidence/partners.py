"""Which run each output is held against: of the reference for a likeness, of another seed for a spread."""

from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from unvek.core.evidence.counted_runs import CountedRuns, Whole
from unvek.core.evidence.held import HeldAgainst
from unvek.core.stats.grouping import first_places, numbered

Codes = NDArray[np.integer]
MOST_SEEDS_AWAY = 12


def partners(held: HeldAgainst) -> tuple[Whole, Whole]:
    """Return (pairs,) the numbers of runs, and (pairs,) of the reference's run that each is held against.

    That is its run of the same item (as `HeldAgainst.codes` has it), round and repeat on the same machine, or else its
    first of the item there, or anywhere; for a run of the reference itself its next one of the item. Where it is asked
    anew in each run, only what was asked the same counts: its run of that round and repeat in the same session. To
    place likenesses between a rerun and another seed, the reference's first runs of each two seeds of a task are paired
    too.
    """
    runs = held.runs
    finished = np.flatnonzero(runs.finished & runs.made_here)
    theirs = np.flatnonzero(runs.finished & runs.made_here & runs.of_variant(held.reference))
    if not len(theirs):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    every = np.r_[finished, theirs]
    codes = np.r_[held.codes[finished], runs.varied_codes[theirs]]
    items, count = numbered(runs.task_codes[every], runs.seed[every], codes)
    repeats = runs.rows.whole_numbers("repeat")
    alike = (items, runs.round_of_machine[every], repeats[every], *([runs.session[every]] if held.asked_anew else []))
    slots, slots_count = numbered(*alike)
    ours = slice(0, len(finished))
    rest = slice(len(finished), None)
    of_slot, of_item = first_places(slots[rest], slots_count), first_places(items[rest], count)
    found = of_slot[slots[ours]]
    if not held.asked_anew:
        own_items, own_count = numbered(items, runs.machine[every])
        of_own = first_places(own_items[rest], own_count)[own_items[ours]]
        found = np.where(found >= 0, found, np.where(of_own >= 0, of_own, of_item[items[ours]]))
    next_one = _next_of_item(items[rest])
    own = np.full(len(runs), -1, np.int64)
    own[theirs] = np.arange(len(theirs))
    is_own = (own[finished] >= 0) & (held.codes[finished] == runs.varied_codes[finished])
    found[is_own] = -1 if held.asked_anew else next_one[own[finished[is_own]]]
    known = found >= 0
    pairs = np.array(_of_two_seeds(held, theirs), np.int64).reshape(-1, 2)
    return (
        runs.number[np.r_[finished[known], pairs[:, 0]]],
        runs.number[np.r_[theirs[found[known]], pairs[:, 1]]],
    )


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


def _of_two_seeds(held: HeldAgainst, theirs: Whole) -> list[tuple[int, int]]:
    """The first runs of each two seeds of a task, at the values that outputs are held against."""
    runs, codes = held.runs, set(held.codes[theirs].tolist())
    firsts: dict[tuple[int, int], dict[int, int]] = {}
    columns = (runs.task_codes[theirs], runs.varied_codes[theirs], runs.seed[theirs], theirs)
    for task, varied, seed, place in zip(*(column.tolist() for column in columns), strict=True):
        if varied in codes:
            firsts.setdefault((task, varied), {}).setdefault(seed, place)
    return [(later, earlier) for of in firsts.values() for earlier, later in combinations(of.values(), 2)]


def other_seeds(runs: CountedRuns) -> tuple[Whole, Whole]:
    """Return (pairs,) the numbers of runs, and (pairs,) of a run of the same variant and task with another seed.

    Within a round and a repeat, at the same values of what is varied. Of many seeds each is held against the next
    MOST_SEEDS_AWAY, going round. A run whose task has one seed is paired with none, 0.
    """
    finished = np.flatnonzero(runs.finished & runs.made_here)
    repeats = runs.rows.whole_numbers("repeat")
    columns = (runs.variant, runs.task_codes, runs.varied_codes, runs.round_of_machine, repeats)
    groups, count = numbered(*(column[finished] for column in columns))
    order = np.lexsort((runs.seed[finished], groups))
    ours, theirs = [], []
    for mine in np.split(finished[order], np.searchsorted(groups[order], np.arange(1, count))):
        seeds = len(mine)
        for away in range(1, min(seeds // 2, MOST_SEEDS_AWAY) + 1):
            first = mine[: seeds // 2] if 2 * away == seeds else mine  # half way round each pair would come twice
            ours.append(first)
            theirs.append(np.roll(mine, -away)[: len(first)])
    paired = np.concatenate(ours) if ours else np.zeros(0, np.int64)
    alone = np.setdiff1d(finished, np.r_[paired, np.concatenate(theirs) if theirs else paired])
    against = np.concatenate(theirs) if theirs else np.zeros(0, np.int64)
    return np.r_[runs.number[paired], runs.number[alone]], np.r_[runs.number[against], np.zeros(len(alone), np.int64)]
