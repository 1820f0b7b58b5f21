"""Likenesses between every two variants, and not to the reference alone."""

from itertools import combinations

import numpy as np

from unvek.core.evidence.counted_runs import CountedRuns, Whole
from unvek.core.evidence.evidence import Evidence
from unvek.core.logbook.store import Logbook
from unvek.core.session.measuring.working_out import AS_RESULTS_ARE_READ, Manner, work_out_more


def work_out_between(logbook: Logbook, evidence: Evidence, name: str, manner: Manner = AS_RESULTS_ARE_READ) -> Evidence:
    """Work out a likeness between every two variants that is not known yet, and return the evidence with it.

    Of the first run of each item: the later variant of the plan is held against the earlier one.
    """
    measure = evidence.plan.measure(evidence.values.asked_as(name))
    assert measure is not None, "a likeness that the plan asks for"
    return work_out_more(logbook, evidence, [(measure, _pairs(evidence.runs))], manner)


def _pairs(runs: CountedRuns) -> tuple[Whole, Whole]:
    places = [runs.first_of_items(variant.name) for variant in runs.variants]
    firsts = [dict(zip(runs.item[of].tolist(), runs.number[of].tolist(), strict=True)) for of in places]
    pairs = [
        (later[item], earlier[item])
        for earlier, later in combinations(firsts, 2)
        for item in sorted(earlier.keys() & later.keys())
    ]
    found = np.array(pairs, np.int64).reshape(-1, 2)
    return found[:, 0], found[:, 1]
