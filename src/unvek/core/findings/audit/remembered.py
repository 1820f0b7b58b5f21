"""Answers from memory: prompts that were asked before, so that their first token came without reading them."""

from collections.abc import Iterator

import numpy as np

from unvek.core.evidence.counted_runs import Floats, Whole
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.audit.confounder import DOUBT, UNFAIR, Confounder
from unvek.core.measures.catalogue import CACHED_TOKENS, READ_TOKENS
from unvek.core.plan.model import wording_of
from unvek.core.plan.runners import StreamRunner
from unvek.core.stats.grouping import group_medians, numbered

FIRST = "time.first"
KNOWN_FROM = 0.05  # the share of prompts' tokens that is worth a word
APART_FROM = 0.1  # how far apart such shares are where one variant had it easier
SEVERAL_TIMES = 2.0
FEWEST = 2  # askings that took so much longer
MEND = ("Put {nonce} before the prompt in the request's body: it is another for each request, and the same for every "
        "variant.")  # fmt: skip


def memory_findings(evidence: Evidence) -> Iterator[Confounder]:
    told = _told(evidence)
    known = {name: share for name, share in told.items() if share >= KNOWN_FROM}
    if known:
        is_unfair = max(told.values()) - min(told.values()) >= APART_FROM
        each = ", ".join(f"{name} {100 * share:.0f} %" for name, share in known.items())
        yield Confounder(
            code="prompts-known", severity=UNFAIR if is_unfair else DOUBT, variants=tuple(known),
            text=f"Of the tokens of their prompts, some knew a part from earlier questions: {each}.",
            why="What is known is not read again: the first token comes sooner than to a prompt that is new.",
            mend=MEND,
        )  # fmt: skip
    for variant in evidence.variants:
        if variant.name not in known:
            yield from _by_times(evidence, variant.name)


def _told(evidence: Evidence) -> dict[str, float]:
    """Return which share of its prompts' tokens each variant knew already, of those that tell of it."""
    cached, read = evidence.values.of(CACHED_TOKENS), evidence.values.of(READ_TOKENS)
    shares = {}
    for variant in evidence.variants:
        mine = evidence.runs.of_variant(variant.name) & np.isfinite(cached) & np.isfinite(read)
        if np.any(mine) and np.sum(read[mine]) > 0:
            shares[variant.name] = float(np.sum(cached[mine]) / np.sum(read[mine]))
    return shares


def _by_times(evidence: Evidence, name: str) -> Iterator[Confounder]:
    """Hold the first asking of each prompt against the later ones."""
    runs, first_s = evidence.runs, evidence.values.of(FIRST)
    mine = runs.of_variant(name) & runs.made_here & np.isfinite(first_s)
    memories = np.zeros(len(runs), np.int64) if _is_somebody_elses(evidence, name) else runs.launch
    wordings = [wording_of(varied) for varied in runs.few_varied]
    worded = np.array(wordings, np.int64)[runs.rows.coded("varied").codes]
    order = np.flatnonzero(mine)[np.argsort(runs.number[mine], kind="stable")]
    askings, _ = numbered(memories[order], runs.task_codes[order], worded[order])
    times = _times_as_long(first_s[order], np.asarray(askings, np.int64), memories[order])
    if times >= SEVERAL_TIMES:
        yield Confounder(
            code="first-asking-slower", severity=DOUBT, variants=(name,),
            text=f"Of {name} the first asking of a prompt took {times:.1f} times as long to its first token as the "
                 "later ones.",
            why="A prompt that was asked before is answered from memory, or what is done once for each prompt has been "
                "done by then; what is new takes longer.",
            mend=MEND,
        )  # fmt: skip


def _times_as_long(first_s: Floats, askings: Whole, memories: Whole) -> float:
    """Return how many times as long first askings took as the usual later one of the same: 1 where nothing tells.

    All are in the order in which they were made. Prompts are taken together, since a short one shows nothing, and the
    usual one of the memories is returned (launches, mostly): so that one disturbed run is no finding, two have to.
    """
    if not len(first_s):
        return 1.0
    _, firsts = np.unique(askings, return_index=True)
    is_later = np.ones(len(first_s), bool)
    is_later[firsts] = False
    asked_again, codes = np.unique(askings[is_later], return_inverse=True)
    if not len(asked_again):
        return 1.0
    later_s = group_medians(first_s[is_later], codes, len(asked_again))
    new_s, of_memory = first_s[firsts[asked_again]], memories[firsts[asked_again]]
    if np.count_nonzero(new_s >= SEVERAL_TIMES * later_s) < FEWEST:
        return 1.0
    _, places = np.unique(of_memory, return_inverse=True)
    return float(np.median(np.bincount(places, new_s) / np.bincount(places, later_s)))


def _is_somebody_elses(evidence: Evidence, name: str) -> bool:
    runner = evidence.plan.runner_named(name)
    return isinstance(runner, StreamRunner) and not runner.serve
