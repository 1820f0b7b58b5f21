"""What outputs are held against: the reference's, of which values of what is varied, and where that is found."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from unvek.core.evidence.counted_runs import CountedRuns, Truths, Whole, varied_words
from unvek.core.evidence.settings import RunSettings


@dataclass(frozen=True)
class HeldAgainst:
    """Of likenesses: which of the reference's runs each run's output may be held against.

    asked_anew: no two runs of the reference are asked the same, so that none is a rerun of another.
    """

    settings: RunSettings
    reference: str
    asked_anew: bool = False

    @property
    def runs(self) -> CountedRuns:
        return self.settings.runs

    @cached_property
    def codes(self) -> Whole:
        """Of what is varied, the values that each run's output is held against, coded as in CountedRuns.varied_codes.

        Where the reference has a value of its own for what is varied, and was run with it, that is what it is meant to
        be run with: outputs at all values are held against that one, its own outputs too. Else the same value counts.
        """
        own = self.settings.of_variants[self.reference]
        own = {
            name: own[name]
            for name, values in self.settings.varied_values.items()
            if name in own and own[name] in values
        }
        if not own:
            return self.runs.varied_codes
        few = self.runs.few_varied
        meant = [{**varied, **{name: own[name] for name in varied if name in own}} for varied in few]
        return self.runs.codes_of_varied([varied_words(varied) for varied in meant])

    def is_rerun(self, places: Whole, against: Whole) -> Truths:
        """Return of which runs (by place) the output is held against that of another run of the same cell."""
        columns = (self.runs.variant, self.runs.seed, self.runs.varied_codes)
        return np.asarray(np.all([column[places] == column[against] for column in columns], axis=0))

    def fit(self, places: Whole, against: Whole) -> Truths:
        """Return of which runs (by place) a likeness to those others counts."""
        is_reference = self.runs.of_variant(self.reference)[against]
        fits = np.asarray(is_reference & (self.runs.varied_codes[against] == self.codes[places]))
        return fits & ~self.is_rerun(places, against) if self.asked_anew else fits
