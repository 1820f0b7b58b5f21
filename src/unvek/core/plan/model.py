"""What a plan says, checked and frozen: the values that the rest of Unvek works with."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from pathlib import Path
from types import MappingProxyType
from typing import Any

from unvek.core.measures.definition import Definition, Measure
from unvek.core.measures.kind import REFERENCE, WANTED, YES, Kind
from unvek.core.measures.kinds import KINDS, pair_kind
from unvek.core.plan.judges import Judge
from unvek.core.plan.price import HOURS_PER_DAY, Price
from unvek.core.plan.runners import Runner
from unvek.core.units import NO_CURRENCY

SettingValue = str | int | float | bool
Settings = Mapping[str, SettingValue]

FORMS = ("full", "quantized", "distilled", "tuned", "mixed")
ORDERS = ("balanced", "rotated", "shuffled", "listed")
STALL_S = 300.0
SOME_PREVIEWS, ALL_PREVIEWS = "some", "all"
WORDING = "wording"  # which of a task's wordings a run had, from 1: paired like what is varied, and no setting
MOST_WORDINGS = 2**31
AFTERWARDS, BETWEEN, LATER = "afterwards", "between", "later"  # when outputs are measured


@dataclass(frozen=True, slots=True, kw_only=True)
class Schedule:
    """How often and in which order the cells are run.

    With settle_to (a share, such as 0.03) rounds are added until each ratio of times is known to that precision, or
    most_rounds are made. measure: when what is measured of outputs is worked out, after the last run, between rounds
    too, or when somebody asks.
    """

    rounds: int = 3
    repeats: int = 2
    warmups: int = 1
    order: str = "balanced"
    shuffle_seed: int = 0
    pause_s: float = 0.0
    settle_to: float | None = None
    most_rounds: int = 12
    measure: str = AFTERWARDS

    @property
    def runs_of_a_cell(self) -> int:
        return self.rounds * self.repeats


@dataclass(frozen=True, slots=True, kw_only=True)
class Limits:
    """What ends a run early; None is no limit.

    The stall is the longest silence of a model; memory is that of its whole process tree, or of the accelerators;
    output is what a run has written; loop is how often in a row the same stretch of tokens may come.
    """

    run_s: float | None = None
    stall_s: float | None = STALL_S
    memory_bytes: int | None = None
    tokens: int | None = None
    output_bytes: int | None = None
    loop: int | None = None

    def as_mapping(self) -> Mapping[str, float | None]:
        """Return the limits that are set."""
        return {name: value for name, value in asdict(self).items() if value is not None}


@dataclass(frozen=True, slots=True, kw_only=True)
class RigWanted:
    """What a plan says of the machine: the watts that it draws, measured by hand; a stand-in for an accelerator.

    price is what it costs, in the currency that all prices of the plan are in; what was paid once is spread over so
    many hours a day.
    """

    watts: float | None = None
    simulated_accelerator_bytes: int | None = None
    price: Price | None = None
    currency: str = NO_CURRENCY
    hours_per_day: float = HOURS_PER_DAY


@dataclass(frozen=True, slots=True, kw_only=True)
class Variant:
    """One way to have the model: weights + settings + runner. precision is what numbers are computed in, if said."""

    name: str
    form: str
    runner: str
    of: str | None
    weights: tuple[Path, ...]
    parts: Mapping[str, Path]
    settings: Settings
    limits: Limits
    precision: str | None = None
    price: Price | None = None

    @property
    def models(self) -> tuple[Path, ...]:
        """The files and folders that it is made of: its weights and its parts."""
        return (*self.weights, *self.parts.values())


@dataclass(frozen=True, slots=True, kw_only=True)
class Task:
    """A prompt or input files, with what is expected of the answer.

    wordings are other ways to ask for the same.

    expect is for judges; wanted are texts that the answer is to hold, for a program to look for.
    """

    name: str
    prompt: str
    seeds: tuple[int, ...]
    inputs: tuple[Path, ...]
    expect: tuple[str, ...]
    wanted: tuple[str, ...]
    facts: Mapping[str, int | float]
    settings: Settings
    wordings: tuple[str, ...] = ()

    def worded(self, number: int) -> str:
        """Return a wording by its number: 1 is the prompt itself; 0 is a task with one."""
        return self.wordings[number - 2] if 1 < number <= len(self.wordings) + 1 else self.prompt


def wording_of(varied: Mapping[str, Any]) -> int:
    """Return the number of the wording that a run had, from 1; 0 where there is but one, or it is no such number."""
    number = varied.get(WORDING)
    return number if type(number) is int and 0 < number <= MOST_WORDINGS else 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Margin:
    """By how much a measure may differ before anybody minds: within it two variants are the same.

    A share of the reference's value; with `is_absolute` an amount, in the measure's own unit.
    """

    value: float
    is_absolute: bool = False

    def share_of(self, reference: float | None) -> float:
        """Return it as a share of what the reference has; 0, within which nothing is, where that is not known."""
        if not self.is_absolute:
            return self.value
        return self.value / abs(reference) if reference else 0.0

    @property
    def words(self) -> str:
        return f"{self.value:.3g}" if self.is_absolute else f"{100 * self.value:.3g} %"


USUAL_MARGIN = Margin(value=0.02)
COUNTED = ".tokens"  # what the name ends in of how many tokens a measure is of


@dataclass(frozen=True, slots=True, kw_only=True)
class WantedMeasure:
    """A measure that the plan asks for, under a name of its own; options are those of its kind."""

    name: str
    kind: str
    options: Mapping[str, str] = field(default_factory=dict)

    @property
    def of_kind(self) -> Kind:
        return KINDS[self.kind]

    @property
    def of(self) -> str:
        """The sort of output that it reads."""
        return pair_kind(self.of_kind, self.options).of

    @property
    def against(self) -> str:
        """What an output is held against."""
        return self.of_kind.held_against(self.options)

    @property
    def is_likeness(self) -> bool:
        return self.against == REFERENCE

    @property
    def measure(self) -> Measure:
        return self.definition().measure(self.name)

    @property
    def asks_of_task(self) -> bool:
        """Whether what a task wants, or expects, is part of what a value is."""
        return self.of_kind.against == WANTED or self.gives_points

    @property
    def gives_points(self) -> bool:
        """Whether its program says of each thing that a task expects whether it is there."""
        return self.options.get("points") == YES

    def place_of_point(self, name: str) -> int | None:
        """Return which thing that a task expects, from 1, a value under this name is of; None of another value."""
        given, _, place = name.rpartition(".")
        return int(place) if self.gives_points and given == self.name and place.isdecimal() else None

    def definition(self, wanted: tuple[str, ...] = ()) -> Definition:
        """Return what a value of it is, for a task that wants these texts."""
        return self.of_kind.definition(self.options, wanted)

    def definition_for(self, task: Task | None) -> Definition:
        """Return what a value of it is, of a run of this task."""
        if task is None:
            return self.definition()
        return self.definition(task.expect if self.gives_points else task.wanted)


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """A whole plan. `text` is the file as it was read, kept with the runs; every cell is run for all of `vary`.

    previews: whether every picture that a script shows on the way is kept; such runs count for no time.
    needs: what makes an output good, as it is worded. earlier: a file of runs from earlier, to be held against.
    logbook: the address of a team's database, and outputs of a place for the outputs, where the plan has them.
    """

    path: Path
    text: str
    title: str
    reference: str
    quality: str | None
    schedule: Schedule
    runners: Mapping[str, Runner]
    variants: tuple[Variant, ...]
    tasks: tuple[Task, ...]
    measures: tuple[WantedMeasure, ...] = field(default=())
    rig: RigWanted = field(default=RigWanted())
    vary: Mapping[str, tuple[SettingValue, ...]] = field(default_factory=lambda: MappingProxyType({}))
    margins: Mapping[str, Margin] = field(default_factory=lambda: MappingProxyType({}))
    previews: str = SOME_PREVIEWS
    judges: Mapping[str, Judge] = field(default_factory=lambda: MappingProxyType({}))
    needs: tuple[str, ...] = ()
    earlier: Path | None = None
    logbook: str | None = None
    outputs: str | None = None

    @property
    def keeps_previews(self) -> bool:
        return self.previews == ALL_PREVIEWS

    @property
    def worked_out(self) -> tuple[WantedMeasure, ...]:
        """The measures, and those that go with them without being asked for: how many tokens a perplexity is of."""
        names = {measure.name for measure in self.measures}
        beside = (
            WantedMeasure(name=measure.name + COUNTED, kind=kind)
            for measure in self.measures
            if (kind := measure.of_kind.counted_by) is not None and measure.name + COUNTED not in names
        )
        return *self.measures, *beside

    @property
    def folder(self) -> Path:
        return self.path.parent

    def runner_of(self, variant: Variant) -> Runner:
        return self.runners[variant.runner]

    def runner_named(self, variant: str) -> Runner | None:
        """Return the runner of the variant of this name; None where the plan has none, as of one brought in."""
        return next((self.runners.get(one.runner) for one in self.variants if one.name == variant), None)

    def price_of(self, variant: str) -> Price | None:
        """Return what running a variant costs: as it says itself, or else its runner, or the machine."""
        own = next((one.price for one in self.variants if one.name == variant), None)
        runner = self.runner_named(variant)
        return own or (runner.price if runner is not None else None) or self.rig.price

    @property
    def has_prices(self) -> bool:
        return any(self.price_of(variant.name) is not None for variant in self.variants) or self.rig.price is not None

    def measure(self, name: str) -> WantedMeasure | None:
        """Return what the plan asks for under this name; None where it asks for nothing."""
        return next((measure for measure in self.measures if measure.name == name), None)

    def variant(self, name: str) -> Variant:
        return next(variant for variant in self.variants if variant.name == name)
