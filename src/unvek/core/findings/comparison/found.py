"""What a comparison has found: plain values, which tables, sentences and JSON are made of."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar

from unvek.core.findings.audit.audit import Doubt
from unvek.core.plan.model import Margin
from unvek.core.stats.over_launches.speedup import Split
from unvek.core.stats.over_tasks.items import TaskRecord

RIG = "rig"  # beside what is varied: the machine, where the table has rows for each


@dataclass(frozen=True, slots=True, kw_only=True)
class RatioFound:
    """The variant over the reference, with the 95 % interval of this one alone.

    low_together and high_together are those of the table: of all its `comparisons` together as many hold. By these it
    is answered, and these are what tables and sentences say.
    """

    value: float
    low: float | None
    high: float | None
    low_together: float | None
    high_together: float | None
    comparisons: int


@dataclass(frozen=True, slots=True, kw_only=True)
class BesideFound:
    """What stands beside a typical run: a value with its interval, the ratio to the reference, and what it answers."""

    value: float
    low: float | None
    high: float | None
    ratio: RatioFound | None
    answer: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasureFound:
    """One measure of one variant. `drift` places a likeness between a rerun (0) and another seed (1).

    `typical` is the mean over items (of logarithms, where a measure is no score and positive) of the medians over runs.
    Within `margin` of the reference it is the same. `over` says what the interval is over: launches; or, of scores,
    tasks where that is wider. `tasks` is a score's record against the reference, task by task, tasks_to_tell how many
    would tell a loss of the margin from none, as far as these tell. Of an unclear one `more_rounds` would tell as often
    as not; 8 times in 10 it takes from more_rounds_low to more_rounds_high of them, or more than can be said (None).

    Of what adds up, time and energy: `mean` is what an item takes in the mean, stalls counted for as long as they last,
    `total` what all items take once each, by their medians; long items count for more in both. `slowest` is the 95th
    percentile over runs, from 40 runs on. `corpus` is a value a token over the tokens of all texts together.
    """

    unit: str
    better: str | None
    typical: float | None
    low: float | None
    high: float | None
    ratio: RatioFound | None
    answer: str | None
    more_rounds: int | None
    more_rounds_low: int | None
    more_rounds_high: int | None
    over: str
    drift: float | None
    drift_low: float | None
    drift_high: float | None
    margin: Margin
    tasks: TaskRecord | None
    tasks_to_tell: int | None = None
    mean: BesideFound | None = None
    total: BesideFound | None = None
    slowest: float | None = None
    corpus: BesideFound | None = None
    dots: tuple[float, ...] = field(default=(), metadata={"json": False})


@dataclass(frozen=True, slots=True, kw_only=True)
class FailuresFound:
    """How many of the runs with an outcome failed, with the share's interval.

    `over` says what that is over: runs; or launches, where failures come together in these.
    """

    count: int
    share: float
    low: float
    high: float
    over: str
    kinds: Mapping[str, int]


@dataclass(frozen=True, slots=True, kw_only=True)
class ComparisonRow:
    """One variant, with the values of `varied` where the table has a part for each: all else is of these runs.

    `first_run` is the first runs of its processes, which no other figure uses.

    `split` says where the time that it saves against the reference comes from; None where there are no steps.
    over_machines: of all machines together, each of which counts once, whatever it made.
    `sentence` says it all aloud; `doubts` are the numbers, from 1, of the doubts that concern it.
    """

    variant: str
    form: str
    varied: Mapping[str, Any]
    rounds: int
    runs: int
    finished: int
    steps: float | None
    weights_bytes: int | None
    first_run_s: float | None
    measures: Mapping[str, MeasureFound]
    failures: FailuresFound
    split: Split | None
    precision: str | None = None
    over_machines: bool = False
    sentence: str = ""
    doubts: tuple[int, ...] = ()

    @property
    def where_words(self) -> str:
        """Of which runs the row is, behind what is said of the variant: "with clients 4", "on bench-2"."""
        machine = self.varied.get(RIG)
        return f"on {machine}" if machine is not None else f"with {self.varied_words}" if self.varied_words else ""

    @property
    def varied_words(self) -> str:
        """The values of what is varied: "clients 4"; "" where they are taken together."""
        return ", ".join(f"{name} {value}" for name, value in self.varied.items() if value is not None)


@dataclass(frozen=True, slots=True, kw_only=True)
class MachineFound:
    """A machine: its fingerprints, several where it has changed, and what it is."""

    name: str
    fingerprints: tuple[str, ...]
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OverMachinesFound:
    """A variant's ratio to the reference over machines, each of which counts once: the mean, and on one more of them.

    spread is the standard deviation of its log from machine to machine, with what few rounds add to it.
    """

    variant: str
    machines: int
    ratio: RatioFound
    another: RatioFound
    spread: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class MachinesFound:
    """How much machines differ in a measure, beside variants. Intervals over them are of their kind, if they have one.

    machines_apart: how many times most_machine takes what least_machine does, over the variants that all have;
    variants_apart likewise of the variants that are furthest apart, over all machines.
    """

    measure: str
    machines: tuple[MachineFound, ...]
    differ: tuple[str, ...]
    of_one_kind: bool
    variants: tuple[OverMachinesFound, ...]
    least_machine: str | None
    most_machine: str | None
    machines_apart: float | None
    variants_apart: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison:
    """All variants, the reference among them, in the plan's order; where settings are varied, for each of their values.

    `asked` are the measures that were asked for by name, the first of which the sentences speak of; by time if none.
    `sentences` say one of each variant, over all parts of the table. `machines`: where the parts are machines.
    """

    kind: ClassVar[str] = "comparison"
    title: str
    reference: str
    rig: Mapping[str, Any]
    quality: str | None
    asked: tuple[str, ...]
    rows: tuple[ComparisonRow, ...]
    doubts: tuple[Doubt, ...]
    notes: tuple[str, ...]
    sentences: Mapping[str, str] = field(metadata={"json": False})
    machines: MachinesFound | None = None
