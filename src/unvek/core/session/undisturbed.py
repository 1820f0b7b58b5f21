"""Rounds in which something else took the machine, made again by a rule that never looks at a time.

The rule: a round is disturbed where in a tenth of its measured runs or more, of all variants together, other processes
or the host of a virtual machine took DISTURBED_FROM cores or more, as the machine's own counters have it. It is then
taken out whole, of every variant alike, with the rule as the reason, and made again; MOST_AGAIN times at most, after
which it stands as it is.
"""

from collections import Counter
from collections.abc import Collection

import numpy as np

from unvek.core.logbook.rows import RunRow
from unvek.core.logbook.store import Logbook
from unvek.core.plan.cells import Cell
from unvek.core.run.events.record import DISTURBED_FROM

MANY_SHARE = 0.1  # of the runs of a round
MOST_AGAIN = 3
REASON = f"disturbed round: in a tenth of its runs or more something else took {DISTURBED_FROM:g} cores or more"


def void_disturbed_rounds(logbook: Logbook, cells: Collection[Cell], rig: str) -> list[int]:
    """Take the disturbed rounds of these cells out, on this rig, and return which they were."""
    runs = logbook.run_table(RunRow)
    keys = {cell.key for cell in cells}
    mine = runs.coded("cell").where(lambda key: key in keys) & runs.coded("rig").where(lambda one: one == rig)
    mine &= ~runs.coded("warm_up").where(bool)
    stands = mine & runs.coded("voided").where(lambda reason: reason is None)
    rounds = runs.whole_numbers("round")
    taken = np.nan_to_num(runs.numbers("others_share")) + np.nan_to_num(runs.numbers("stolen_share"))
    voided = mine & runs.coded("voided").where(lambda reason: reason == REASON)
    slots = zip(runs.coded("cell").codes[voided].tolist(), rounds[voided].tolist(),
                runs.whole_numbers("repeat")[voided].tolist(), strict=True)  # fmt: skip
    tries: Counter[int] = Counter()
    for (_, number, _), count in Counter(slots).items():
        tries[number] = max(tries[number], count)
    found = [
        number
        for number in np.unique(rounds[stands]).tolist()
        if tries[number] < MOST_AGAIN and np.mean(taken[stands & (rounds == number)] >= DISTURBED_FROM) >= MANY_SHARE
    ]
    logbook.void_runs(runs.whole_numbers("number")[stands & np.isin(rounds, found)].tolist(), REASON)
    return found
