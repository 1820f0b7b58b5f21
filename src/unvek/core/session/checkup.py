"""Is this plan in order, and what would it run? Everything that can be told before anything runs."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

from unvek.core.ask.secrets import Secrets
from unvek.core.errors import InputError, LogbookUnreachableError, PlanError, Problem
from unvek.core.logbook.place import Place, place_beside
from unvek.core.logbook.store import Logbook
from unvek.core.plan.cells import cells_of, read_sources, vary_of, weights_bytes
from unvek.core.plan.model import Plan
from unvek.core.plan.placeholders import asks_anew
from unvek.core.plan.reading.plan import read_plan
from unvek.core.plan.runners import StreamRunner
from unvek.core.rig.facts import named
from unvek.core.rig.present import accelerators_present
from unvek.core.session.changed_files import FileChange, change_words, changed_files
from unvek.core.session.scripts_seen import script_doubts
from unvek.core.session.settling import settled_plan
from unvek.core.session.what_fits import room_doubts
from unvek.core.session.what_is_left import learned, remaining_of

if TYPE_CHECKING:
    from unvek.core.findings.smallest import Smallest
    from unvek.core.session.first_steps import FirstStep


@dataclass(frozen=True, slots=True, kw_only=True)
class VariantChecked:
    """A variant as the plan has it, and what its weights weigh."""

    name: str
    form: str
    precision: str | None
    settings: Mapping[str, Any]
    weights_bytes: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ForecastFound:
    """Seconds, from and to."""

    low: float
    high: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Checkup:
    """What `check` found."""

    kind: ClassVar[str] = "check"
    plan: str
    title: str | None
    ok: bool
    errors: tuple[Problem, ...]
    doubts: tuple[str, ...]
    reference: str | None
    variants: tuple[VariantChecked, ...]
    items: int
    varied: Mapping[str, tuple[Any, ...]]
    rounds: int
    settle_to: float | None
    most_rounds: int | None
    repeats: int
    warmups: int
    cells: int
    runs: int
    already: int
    forecast_s: ForecastFound | None
    changes: tuple[FileChange, ...]
    smallest: "tuple[Smallest, ...]" = ()
    first_steps: "tuple[FirstStep, ...]" = ()

    @property
    def all_stepped(self) -> bool:
        return all(step.ok for step in self.first_steps)


def _asked(place: Place) -> tuple[bool, tuple[str, ...]]:
    """Return whether there is a logbook to ask, and why a team's can't be asked now, where that is so."""
    try:
        return Logbook.is_in(place), ()
    except LogbookUnreachableError as error:
        return False, (f"{error}. Which runs are there already is not known",)


def check_plan(path: Path, where: str | None = None, tell: Callable[[str], None] | None = None) -> Checkup:
    """Read a plan and say what is wrong with it and what it would run.

    InputError where the file can't be read at all. A logbook that is there already is asked what is done, and
    how long such runs have taken; none is made. `tell` hears of what takes long.
    """
    try:
        plan = read_plan(path)
    except PlanError as error:
        return _of_wrong_plan(path, error)
    sources = read_sources(plan, tell)
    cells = cells_of(plan, sources)
    place = place_beside(plan, where)
    remaining, forecast_s = remaining_of(plan, cells, None, ""), None
    changes: tuple[FileChange, ...] = ()
    smallest: tuple[Smallest, ...] = ()
    is_there, unreached = _asked(place)
    if is_there:
        with Logbook.open(place) as logbook, accelerators_present(plan.rig) as present:
            rig = (named(present.rig) if place.is_team else present.rig).fingerprint
            plan = settled_plan(plan, cells, logbook, rig)
            remaining = remaining_of(plan, cells, logbook, rig)
            forecast_s = remaining.time_left_s(learned(logbook, rig))
            changes = changed_files(logbook, plan, sources)
            smallest = _smallest(logbook, plan, rig)
    planned = len(cells) * plan.schedule.runs_of_a_cell
    return Checkup(
        plan=str(path),
        title=plan.title,
        ok=True,
        errors=(),
        doubts=(*unreached, *change_words(changes), *_doubts(plan)),
        reference=plan.reference,
        variants=tuple(
            VariantChecked(
                name=variant.name,
                form=variant.form,
                precision=variant.precision,
                settings=variant.settings,
                weights_bytes=weights_bytes(variant),
            )
            for variant in plan.variants
        ),
        items=sum(len(task.seeds) for task in plan.tasks),
        varied=_varied(plan),
        rounds=plan.schedule.rounds,
        settle_to=plan.schedule.settle_to,
        most_rounds=plan.schedule.most_rounds if plan.schedule.settle_to is not None else None,
        repeats=plan.schedule.repeats,
        warmups=plan.schedule.warmups,
        cells=len(cells),
        runs=planned,
        already=planned - remaining.runs,
        forecast_s=ForecastFound(low=forecast_s[0], high=forecast_s[1]) if forecast_s is not None else None,
        changes=changes,
        smallest=smallest,
    )


def _smallest(logbook: Logbook, plan: Plan, rig: str) -> "tuple[Smallest, ...]":
    """What this plan could show, from what launches on this machine and tasks were seen to differ by."""
    # A plan without runs is checked without the packages for numbers, which take long to import.
    from unvek.core.evidence.gathering import gather
    from unvek.core.findings.smallest import smallest_loss, smallest_time

    try:
        evidence = gather(logbook)
    except InputError:
        return ()  # no runs of it yet, or of other machines, too
    if not evidence.runs.on_rig(rig).any():
        return ()
    variants = len(plan.variants)
    found = [smallest_time(evidence, plan.schedule.rounds, variants)]
    if plan.quality is not None and plan.quality in evidence.values.score_names:
        found.append(smallest_loss(evidence, plan.quality, len(plan.tasks), variants))
    return tuple(one for one in found if one is not None)


def _varied(plan: Plan) -> dict[str, tuple[Any, ...]]:
    """Return what is varied for any variant, with its values."""
    found: dict[str, tuple[Any, ...]] = {}
    for variant in plan.variants:
        for name, values in vary_of(plan, variant).items():
            found[name] = tuple(dict.fromkeys((*found.get(name, ()), *values)))
    return {name: values for name, values in found.items() if len(values) > 1}


def _of_wrong_plan(path: Path, error: PlanError) -> Checkup:
    return Checkup(
        plan=str(path), title=None, ok=False, errors=error.problems, doubts=(), reference=None, variants=(), items=0,
        varied={}, rounds=0, settle_to=None, most_rounds=None, repeats=0, warmups=0, cells=0, runs=0, already=0,
        forecast_s=None, changes=(),
    )  # fmt: skip


def _doubts(plan: Plan) -> list[str]:
    doubts = []
    if plan.schedule.rounds == 1:
        doubts.append("One round gives no interval: what varies from one start of a process to the next stays unseen.")
    if plan.schedule.warmups == 0:
        doubts.append("Without warm-ups the first, slower run of each process counts as any other.")
    if plan.measures and all(len(task.seeds) == 1 for task in plan.tasks):
        doubts.append("No task has two seeds, so a likeness can't be put on the drift scale.")
    if not plan.measures:
        doubts.append("The plan measures no quality: add a [[measures]] table to trade speed against it.")
    for runner in plan.runners.values():
        missing = Secrets(runner.secrets).missing
        if missing:
            doubts.append(
                f"The environment has no {', no '.join(missing)}, which the runner {runner.name} needs to start."
            )
    doubts += [*_shared_servers(plan), *script_doubts(plan), *room_doubts(plan)]
    if len(plan.variants) == 1:
        doubts.append("There is one variant only, so nothing is held against anything.")
    return doubts


def _shared_servers(plan: Plan) -> list[str]:
    """Say where one server is asked the same, nonce and all, for several variants: for the second it is no news."""
    sharing: dict[str, list[str]] = {}
    for variant in plan.variants:
        runner = plan.runner_of(variant)
        if isinstance(runner, StreamRunner) and not runner.serve and asks_anew(runner):
            sharing.setdefault(runner.url, []).append(variant.name)
    return [
        f"{', '.join(names)} ask one server with the same nonces: if one model answers, it knows some prompts from "
        "another. Give each a runner with serve; or put {variant} beside {nonce}: the texts then differ."
        for names in sharing.values()
        if len(names) > 1
    ]
