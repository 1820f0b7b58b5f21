"""What is left of a plan, counted by variant, and how long that will take."""

from collections import Counter
from collections.abc import Mapping

from unvek.core.plan.cells import Cell
from unvek.core.run.forecast import Forecaster, Tally, Work


class Remaining:
    """Counts down as runs are made. Its size is that of the variants, whatever the plan's length."""

    def __init__(self, sample_cells: Mapping[str, Cell], runs: Counter[str], launches: Counter[str], warmups: int,
                 pause_s: float):  # fmt: skip
        """sample_cells has one cell of each variant, runs and launches how many of each are still to be made."""
        self._cells = sample_cells
        self._runs = runs
        self._launches = launches
        self._warmups = warmups
        self._pause_s = pause_s
        self._warmups_now = 0
        self._between = Tally()

    @property
    def runs(self) -> int:
        return self._runs.total()

    @property
    def runs_by_variant(self) -> dict[str, int]:
        return dict(self._runs)

    def add(self, more: "Remaining") -> None:
        """Take up what another has left."""
        self._runs += more._runs
        self._launches += more._launches

    def launch_begins(self, variant: str) -> None:
        self._launches[variant] = max(0, self._launches[variant] - 1)
        self._warmups_now = self._warmups

    def run_is_made(self, variant: str, warm_up: bool) -> None:
        if warm_up:
            self._warmups_now = max(0, self._warmups_now - 1)
        else:
            self._runs[variant] = max(0, self._runs[variant] - 1)

    def learn_between(self, seconds: float) -> None:
        """Take note of what starting and keeping a run cost on top of it."""
        self._between.add(seconds)

    def time_left_s(self, forecaster: Forecaster) -> tuple[float, float] | None:
        """Return (low, high) seconds for all that is left; None where nothing like it was ever seen."""
        work = [
            Work(
                cell=cell,
                cold_runs=self._launches[name],
                warm_runs=max(0, self._runs[name] + self._launches[name] * (self._warmups - 1)),
                launches=self._launches[name],
            )
            for name, cell in self._cells.items()
            if self._runs[name]
        ]
        found = forecaster.of_all(work, self._pause_s)
        if found is None:
            return None
        warmups = self._warmups_now + self._launches.total() * self._warmups
        between_s = self._between.seconds * (self.runs + warmups) if self._between.count else 0.0
        return found[0] + between_s, found[1] + between_s
