"""What runs cost by the plan's prices, and which of them put out what the plan needs."""

from collections.abc import Callable, Iterator
from functools import cached_property

import numpy as np

from unvek.core.evidence.counted_runs import CountedRuns, Floats, Truths
from unvek.core.evidence.derived import over
from unvek.core.measures.catalogue import (
    CALLS,
    COST,
    COST_PER_CALL,
    COST_PER_GOOD,
    COST_PER_THOUSAND,
    COST_PER_TOKEN,
    READ_TOKENS,
    TIME,
)
from unvek.core.measures.definition import LESS, Measure
from unvek.core.plan.model import Plan
from unvek.core.plan.needs import WordedNeed, worded_need
from unvek.core.plan.price import JOULES_PER_KWH, MILLION, Price
from unvek.core.run.events.record import FAILURES
from unvek.core.units import by_thousand

WHERE_PRICES_STAND = "write price = { per_hour = 0.4 }, say, at a variant, at its runner or under [rig]"
WHERE_NEEDS_STAND = 'write under [needs] what makes one good, likeness = ">= 0.9", say'
WRITTEN_TOKENS = "output.tokens"
THOUSAND = 1000.0
Read = Callable[[str], Floats]  # a measure of each run, NaN where it is unknown


class Costs:
    """The costs of the runs that count.

    read: their other measures; unit_of: the unit of a measure by its name, None where there is no such measure yet.
    A run's time is paid for without the load of its process, unless it is part of the run. What a run that failed took
    is paid as well, where it is known.
    """

    def __init__(self, plan: Plan, runs: CountedRuns, read: Read, unit_of: Callable[[str], str | None]):
        self._plan, self._runs, self._read, self._unit_of = plan, runs, read, unit_of

    @property
    def measures(self) -> Iterator[Measure]:
        """The measures that there are: none without a price; of good outputs where something is needed of them."""
        if not self._plan.has_prices:
            return
        for name in (COST, COST_PER_THOUSAND, *((COST_PER_GOOD,) if self.needs else ()), COST_PER_TOKEN, COST_PER_CALL):
            unit = self._plan.rig.currency
            yield Measure(name=name, unit=by_thousand(unit) if name == COST_PER_THOUSAND else unit, better=LESS)

    def of(self, name: str) -> Floats:
        """Return one of these measures of each run; for good outputs, what each run that came to an end has cost."""
        match name:
            case "cost":
                return self._of_finished
            case "cost.per.thousand":
                return THOUSAND * self._of_finished / self._outputs
            case "cost.per.token":
                return over(self._of_finished, self._read(WRITTEN_TOKENS))
            case "cost.per.call":
                return over(self._of_finished, self._read(CALLS))
            case _:
                return self._paid / self._outputs

    @property
    def are_of_time_alone(self) -> bool:
        """Whether all pay the same for a second, and for nothing else: then a cost tells what the time does."""
        prices = [self._plan.price_of(variant.name) for variant in self._runs.variants]
        by_token = any(one is not None and one.is_by_token for one in prices)
        return not by_token and len(set(prices)) == 1

    @cached_property
    def needs(self) -> tuple[WordedNeed, ...]:
        return tuple(worded_need(text) for text in self._plan.needs)

    @cached_property
    def good(self) -> Floats:
        """(runs,) 1 where a run finished and kept all of the plan's needs, 0 where it failed or did not, else NaN."""
        kept = np.where(self._runs.finished, 1.0, np.nan)
        for need in self.needs:
            unit = self._unit_of(need.measure)
            if unit is None:  # what judges have not said yet, or no program
                kept = np.where(kept == 0, 0.0, np.nan)
                continue
            values, bound = self._read(need.measure), need.bound(unit)
            keeps = values <= bound if need.at_most else values >= bound
            # One that is broken decides, whatever is not known of the others.
            kept = np.where(np.isfinite(values), np.where(keeps, kept, 0.0), np.where(kept == 0, 0.0, np.nan))
        return np.where(self._failed, 0.0, np.where(self._runs.finished, kept, np.nan))

    @property
    def _failed(self) -> Truths:
        return self._runs.status.where(lambda status: status in FAILURES)

    @cached_property
    def _outputs(self) -> Floats:
        """How many answers each run gave: of many clients as many as were not refused."""
        asked, refused = self._read("requests"), self._read("requests.failed")
        answered = asked * (1 - np.where(np.isfinite(refused), refused, 0.0))
        return np.where(answered > 1, answered, 1.0)

    @cached_property
    def _of_finished(self) -> Floats:
        tokens = {name: self._read(name) for name in (READ_TOKENS, WRITTEN_TOKENS)}
        return self._cost(self._read(TIME), tokens[READ_TOKENS], tokens[WRITTEN_TOKENS], self._read("energy"))

    @cached_property
    def _paid(self) -> Floats:
        """What every run has cost that came to an end, well or badly; NaN where that is not known."""
        time_s, tokens_out, energy_j = map(self._runs.rows.numbers, ("time_s", "tokens", "energy_j"))
        failed = self._cost(time_s, np.zeros(len(self._runs)), tokens_out, energy_j)
        return np.where(self._failed, failed, self._of_finished)

    def _cost(self, time_s: Floats, tokens_in: Floats, tokens_out: Floats, energy_j: Floats) -> Floats:
        """Return (runs,) what runs cost that took so long, read, wrote and drew so much."""
        found = np.full(len(self._runs), np.nan)
        for variant in self._runs.variants:
            price, mine = self._plan.price_of(variant.name), self._runs.of_variant(variant.name)
            if price is None:
                continue
            parts = np.zeros(np.count_nonzero(mine))
            if price.is_by_time:
                parts = parts + price.per_second(self._plan.rig.hours_per_day) * time_s[mine]
            if price.per_million_in is not None:
                parts = parts + price.per_million_in * tokens_in[mine] / MILLION
            if price.per_million_out is not None:
                parts = parts + price.per_million_out * tokens_out[mine] / MILLION
            if price.per_kwh is not None:
                parts = parts + price.per_kwh * self._energy_j(price, time_s[mine], energy_j[mine]) / JOULES_PER_KWH
            found[mine] = parts
        return found

    def _energy_j(self, price: Price, time_s: Floats, energy_j: Floats) -> Floats:
        """By counters, or the machine's watts when the run was made; else by watts that are said now."""
        watts = price.watts if price.watts is not None else self._plan.rig.watts
        return np.where(np.isfinite(energy_j), energy_j, np.nan if watts is None else watts * time_s)
