"""One step of each variant, now: is it all wired up?"""

from dataclasses import dataclass, replace

from unvek.core.logbook.place import Place
from unvek.core.plan.cells import cells_of, read_sources
from unvek.core.plan.model import Plan, Schedule
from unvek.core.run.engine.limits import STEPPED
from unvek.core.run.events.record import FINISHED
from unvek.core.session.apart import made_apart
from unvek.core.session.workplace import RunOptions


@dataclass(frozen=True, slots=True, kw_only=True)
class FirstStep:
    """How a variant came to its first step or token: None is unknown. A run that has none is made whole."""

    variant: str
    form: str
    ok: bool
    load_s: float | None
    first_s: float | None
    error: str | None
    run: int


def first_steps(plan: Plan, place: Place, options: RunOptions | None = None) -> tuple[FirstStep, ...]:
    """Load each variant and have it make one step of the first task; kept apart from the plan's runs, as trials are."""
    options = options or RunOptions()
    small = replace(
        plan,
        title=f"One step of each variant of {plan.title}",
        schedule=Schedule(rounds=1, repeats=1, warmups=0, order="listed"),
        tasks=(replace(plan.tasks[0], wordings=(), seeds=plan.tasks[0].seeds[:1]),),
        vary={name: values[:1] for name, values in plan.vary.items()},
    )
    sources = read_sources(small, options.tell)
    cells = tuple({cell.variant.name: cell for cell in reversed(cells_of(small, sources))}.values())[::-1]
    with made_apart(small, sources, cells, place, options, one_step=True) as made:
        return tuple(
            FirstStep(
                variant=row.variant,
                form=row.form,
                ok=row.status == FINISHED or row.error == STEPPED,
                load_s=made.logbook.launch(row.launch).load_s,
                first_s=row.first_s,
                error=None if row.error == STEPPED else row.error,
                run=row.number,
            )
            for row in made.runs
        )
