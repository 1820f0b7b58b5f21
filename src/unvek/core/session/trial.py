"""A trial: one variant on one prompt, now; kept in the logbook, but no part of any plan's runs."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from types import MappingProxyType
from typing import Any, ClassVar, TypeVar

from unvek.core.errors import InputError
from unvek.core.findings.log.answer_speed import AnswerSpeed, answer_speed_of
from unvek.core.findings.log.whole_run import measurements_of
from unvek.core.logbook.place import Place
from unvek.core.logbook.rows import KeptRun
from unvek.core.logbook.store import Logbook
from unvek.core.plan.cells import cells_of, read_sources, vary_of
from unvek.core.plan.model import Plan, Schedule, Task, Variant
from unvek.core.plan.names import LARGEST_SEED
from unvek.core.plan.reading.quoting import nearest_words
from unvek.core.plan.runners import load_problem
from unvek.core.run.events.record import FINISHED
from unvek.core.session.apart import made_apart
from unvek.core.session.workplace import RunOptions

Named = TypeVar("Named", Variant, Task)
MOST_SEEDS = 1000
OWN_PROMPT = "own-prompt"  # what the task of a prompt is called that the plan does not have


@dataclass(frozen=True, slots=True, kw_only=True)
class TrialOptions:
    """What is to be tried; None is as in the plan: its reference, its first task, the first seed of that."""

    variant: str | None = None
    task: str | None = None
    prompt: str | None = None
    settings: Mapping[str, Any]
    seeds: tuple[int, ...] | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class TrialRun:
    """One run of a trial. `output` is the first file that it made."""

    run: int
    seed: int
    status: str
    error: str | None
    time_s: float | None
    steps: int
    step_time_s: float | None
    output: str | None
    text: str
    written: AnswerSpeed | None
    source: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Trial:
    """What came of it."""

    kind: ClassVar[str] = "trial"
    variant: str
    form: str
    task: str
    prompt: str
    settings: Mapping[str, Any]
    load_s: float | None
    stopped: bool
    rows: tuple[TrialRun, ...]
    told: tuple[str, ...] = ()

    @property
    def failed(self) -> bool:
        return any(row.status != FINISHED for row in self.rows)


def parse_seeds(text: str) -> tuple[int, ...]:
    """Return the seeds that a text means: "3", "1,4,9", "1..6", or these together; InputError for another text."""
    seeds: list[int] = []
    for part in text.split(","):
        first, is_range, last = part.strip().partition("..")
        if not first.isdecimal() or (is_range and not last.isdecimal()):
            raise InputError(f"seeds {text!r} can't be read; give one such as 3, some such as 1,4,9, or a range 1..6")
        numbers = range(int(first), int(last if is_range else first) + 1)
        if not numbers or numbers[-1] > LARGEST_SEED or len(seeds) + len(numbers) > MOST_SEEDS:
            raise InputError(f"seeds {text!r}: at most {MOST_SEEDS}, from 0 to {LARGEST_SEED}, a range upwards")
        seeds += numbers
    return tuple(dict.fromkeys(seeds))


def make_trial(plan: Plan, place: Place, wanted: TrialOptions, options: RunOptions | None = None) -> Trial:
    """Try it: one process, loaded once, a run a seed. Raises InputError for a variant or task that is not there."""
    options = options or RunOptions()
    small = _small_plan(plan, wanted)
    variant, task = small.variants[0], small.tasks[0]
    sources = read_sources(small, options.tell)
    cells = cells_of(small, sources)
    with made_apart(small, sources, cells, place, options, varied=wanted.settings) as made:
        return Trial(
            variant=variant.name,
            form=variant.form,
            task=task.name,
            prompt=task.prompt,
            settings=cells[0].settings,
            load_s=made.logbook.launch(made.runs[0].launch).load_s if made.runs else None,
            stopped=made.stopped,
            rows=tuple(_run(row, made.logbook) for row in made.runs),
            told=made.told,
        )


def _small_plan(plan: Plan, wanted: TrialOptions) -> Plan:
    """Return the plan with one variant, one task and one run a seed."""
    variant = _chosen("variant", wanted.variant or plan.reference, {v.name: v for v in plan.variants})
    task = _chosen("task", wanted.task or plan.tasks[0].name, {t.name: t for t in plan.tasks})
    if wanted.prompt is not None:  # nothing that is known of the plan's task holds of another prompt
        task = replace(task, name=OWN_PROMPT, prompt=wanted.prompt, wanted=(), expect=(), facts={})
    wrong = load_problem(wanted.settings)
    if wrong is not None:
        raise InputError(wrong)
    # Of what the plan varies, a trial takes one value: the one given, or the first.
    varied = vary_of(plan, variant)
    return replace(
        plan,
        title=f"Trying {variant.name}",
        reference=variant.name,
        schedule=Schedule(rounds=1, repeats=1, warmups=0),
        variants=(replace(variant, settings=MappingProxyType({**variant.settings, **wanted.settings})),),
        tasks=(replace(task, wordings=(), seeds=wanted.seeds or task.seeds[:1]),),
        vary={name: (wanted.settings.get(name, values[0]),) for name, values in varied.items()},
    )


def _chosen(what: str, name: str, known: Mapping[str, Named]) -> Named:
    if name not in known:
        raise InputError(
            f"the plan has no {what} {name!r}; it has {', '.join(known)}{nearest_words(name, tuple(known))}"
        )
    return known[name]


def _run(run: KeptRun, logbook: Logbook) -> TrialRun:
    outputs = logbook.outputs(run.number)
    measures = {one.name: one.value for one in measurements_of(logbook, run, logbook.newest_plan()) if one.shown}
    return TrialRun(
        run=run.number,
        seed=run.seed,
        status=run.status,
        error=run.error,
        time_s=run.time_s,
        steps=run.steps,
        step_time_s=run.step_time_s,
        output=str(logbook.files.find(outputs[0])) if outputs else None,
        text=logbook.details(run.number).text,
        written=answer_speed_of(run.tokens, run.first_s, measures),
        source=run.source,
    )
