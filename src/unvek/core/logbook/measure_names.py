"""Under which name what was measured is shown: nothing stale, nothing foreign.

A plan's name is for values of the definition that the plan gives, a name of Unvek's own for what Unvek measured. What a
model or an imported file told under such a name is known as told.NAME or imported.NAME; what was worked out by a
definition that the plan no longer gives has no name any more.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from unvek.core.logbook.rows import DefinitionRow
from unvek.core.measures.catalogue import is_ours
from unvek.core.measures.definition import BROUGHT, MEASURED_HERE, PROGRAM, Definition, Measure
from unvek.core.plan.model import Plan

ASKED_FOR_TOLD = "told"  # the kind of what a model's side tells
OF_OTHERS = {ASKED_FOR_TOLD: "told.", BROUGHT: "imported."}


@dataclass(frozen=True, slots=True, kw_only=True)
class Shown:
    """The name that values of one definition are shown under, but for runs of tasks that want something else now."""

    measure: Measure
    but_of_tasks: frozenset[str] = frozenset()

    def of_task(self, task: str) -> bool:
        return task not in self.but_of_tasks


class MeasureNames:
    """Under which name each measure on record is shown, given the newest plan."""

    def __init__(self, plan: Plan | None, definitions: Mapping[int, DefinitionRow]):
        """plan: the newest; None where no plan was run yet, so that none gives a name."""
        self._wanted = {measure.name: measure for measure in (plan.worked_out if plan is not None else ())}
        self._tasks = {task.name: task for task in (plan.tasks if plan is not None else ())}
        self._newest = {row.name: row.content.family for _, row in sorted(definitions.items()) if self._is_free(row)}
        self._shown = {number: self._name(row) for number, row in definitions.items()}
        families = _families(row for row in definitions.values() if self._is_free(row))
        self.several_ways = tuple(name for name, ways in families.items() if len(ways) > 1)

    def __getitem__(self, number: int) -> Shown | None:
        """Return how the values of a definition are shown; None where they are not."""
        return self._shown.get(number)

    def definition(self, name: str, task: str) -> Definition:
        """Return what a value of a measure of the plan is, of a run of this task."""
        return self._wanted[name].definition_for(self._tasks.get(task))

    def parent(self, row: DefinitionRow) -> str | None:
        """Return the plan's measure that a value on record is of, by name and definition; None where it is of none."""
        owner = self._owner(row)
        is_its_own = owner is not None and row.content.family == self._wanted[owner].definition().family
        return owner if is_its_own else None

    def _owner(self, row: DefinitionRow) -> str | None:
        """Return the plan's measure that gives a name: its own, or NAME.KEY, where a program gave several numbers."""
        if row.name in self._wanted or row.origin != PROGRAM:
            return row.name if row.name in self._wanted else None
        asking = (name for name, wanted in self._wanted.items() if wanted.of_kind.asks)
        return next((name for name in asking if row.name.startswith(f"{name}.")), None)

    def _is_free(self, row: DefinitionRow) -> bool:
        """Whether nobody else gives this name: neither the plan nor Unvek."""
        return self._owner(row) is None and not is_ours(row.name)

    def _name(self, row: DefinitionRow) -> Shown | None:
        content, parent = row.content, self.parent(row)
        if parent is not None:
            wanted = self._wanted[parent]
            measure = replace(wanted.measure, name=row.name)
            others = (name for name, task in self._tasks.items() if wanted.definition_for(task) != content)
            return Shown(measure=measure, but_of_tasks=frozenset(others) if wanted.asks_of_task else frozenset())
        if is_ours(row.name) and content.kind == MEASURED_HERE:
            return Shown(measure=content.measure(row.name))
        if self._is_free(row):
            return Shown(measure=content.measure(row.name)) if content.family == self._newest[row.name] else None
        beginning = OF_OTHERS.get(content.kind)
        return Shown(measure=content.measure(beginning + row.name)) if beginning is not None else None


def _families(rows: Iterable[DefinitionRow]) -> dict[str, set[tuple[object, ...]]]:
    found: dict[str, set[tuple[object, ...]]] = {}
    for row in rows:
        found.setdefault(row.name, set()).add(row.content.family)
    return found
