"""The measures that Unvek itself gives, by name: their units, and which way is better."""

from collections.abc import Mapping
from types import MappingProxyType

from unvek.core.measures.definition import LESS, MEASURED_HERE, MORE, Definition, Measure

TIME = "time.total"  # the measure that results speak of unless told otherwise
# Of a process, all that it holds; and what loading and running have added to what it held before: the model's own.
PEAK_MEMORY, MODEL_MEMORY = "memory.peak", "memory.model"
REACTION = "time.reaction"  # of who timed a run by hand: how far a time of theirs may be off
USUAL_REACTION_S = 0.1  # of whoever has not measured it
LOAD = "time.load"  # of a launch, not of its runs
COUNTED_IN = ("tokens", "words", "characters", "pieces")
# Told by the model's side, through a report of its own: the prompt's tokens, and how many of them it knew already.
READ_TOKENS, CACHED_TOKENS = "input.tokens", "input.cached"
COUNTS = (READ_TOKENS, CACHED_TOKENS, "output.tokens", "output.steps")  # of a run: curves may go over these, too
OUTPUT = "output."  # so much was written: of it all, or of one text of several, such as output.reasoning.tokens
COUNT = "count."  # what the names of things begin with that the model's side counts, or a person
FAULTS = "faults."  # and of what is wrong with what came, by its kind

BUILT_IN: Mapping[str, Measure] = MappingProxyType(
    {
        measure.name: measure
        for measure in (
            Measure(name=TIME, unit="s", better=LESS),
            Measure(name=LOAD, unit="s", better=LESS),
            Measure(name="time.first", unit="s", better=LESS),
            Measure(name="step.time", unit="s", better=LESS),
            Measure(name="time.fixed", unit="s", better=LESS),
            *(Measure(name=f"time.per.{one}", unit="s", better=LESS) for one in ("token", "frame", "megapixel")),
            Measure(name=REACTION, unit="s", better=LESS),
            Measure(name="cpu.time", unit="s", better=LESS),
            Measure(name=PEAK_MEMORY, unit="B", better=LESS),
            Measure(name=MODEL_MEMORY, unit="B", better=LESS),
            Measure(name="memory.device", unit="B", better=LESS),
            Measure(name="energy", unit="J", better=LESS),
            *(Measure(name=name, unit="", better=None) for name in COUNTS),
            *(Measure(name=f"rate.{unit}", unit="/s", better=MORE) for unit in COUNTED_IN),
            *(Measure(name=f"rate.{unit}.sum", unit="/s", better=MORE) for unit in COUNTED_IN),
            *(Measure(name=f"rate.{unit}", unit="/s", better=MORE) for unit in ("steps", "frames", "megapixels")),
            Measure(name="rate.input", unit="/s", better=MORE),
            Measure(name="gap.median", unit="s", better=LESS),
            Measure(name="gap.p99", unit="s", better=LESS),
            Measure(name="request.time", unit="s", better=LESS),
            Measure(name="request.time.p99", unit="s", better=LESS),
            Measure(name="requests.failed", unit="", better=LESS),
        )
    }
)
# What runs cost, where a plan has prices: a run, a thousand outputs, an output that meets the plan's needs (what others
# cost is paid for it, too), a token written, a call that the model's side has counted.
COST, COST_PER_THOUSAND, COST_PER_GOOD = "cost", "cost.per.thousand", "cost.per.good"
COST_PER_TOKEN, COST_PER_CALL = "cost.per.token", "cost.per.call"
COSTS = (COST, COST_PER_THOUSAND, COST_PER_GOOD, COST_PER_TOKEN, COST_PER_CALL)
CALLS, RETRIES = f"{COUNT}calls", f"{COUNT}retries"
# Measured of streams beside these, without a way that is better.
MEASURED_TOO = ("requests", *(f"output.{unit}" for unit in COUNTED_IN))
# Of one phase of a run: how long it took, how many steps it had, and how long its usual step took.
PHASE_TIME, PHASE_STEPS, PHASE_STEP_TIME = "time.phase.", "steps.phase.", "step.time.phase."
RESERVED_BEGINNINGS = (COUNT, FAULTS, PHASE_TIME, PHASE_STEPS, PHASE_STEP_TIME, "told.", "imported.")


def is_ours(name: str) -> bool:
    """Whether Unvek gives this name: a model or an imported file that tells a value under it means something else."""
    beginning, _, unit = name.rpartition(".")
    of_part = beginning.startswith(OUTPUT) and unit in COUNTED_IN
    return name in BUILT_IN or name in MEASURED_TOO or name in COSTS or of_part or name.startswith(RESERVED_BEGINNINGS)


def built_in(name: str) -> Measure | None:
    """Return Unvek's own measure of this name, those of phases among them; None where it gives none."""
    if name.startswith((PHASE_TIME, PHASE_STEP_TIME)):
        return Measure(name=name, unit="s", better=LESS)
    if name in COSTS:
        return Measure(name=name, unit="", better=LESS)  # in the currency of a plan
    return Measure(name=name, unit="", better=None) if name.startswith(PHASE_STEPS) else BUILT_IN.get(name)


def measured_definition(name: str, unit: str) -> Definition:
    """Return what a value is that Unvek itself has measured, or counted, under a name of its own."""
    known = built_in(name)
    return Definition(kind=MEASURED_HERE, unit=unit, better=known.better if known else None)
