"""Reading the [needs] of a plan: what makes an output good."""

from collections.abc import Iterator

from unvek.core.measures.catalogue import COST_PER_GOOD, COSTS, built_in
from unvek.core.measures.kind import VERDICTS
from unvek.core.plan.model import WantedMeasure
from unvek.core.plan.needs import WANTED, worded_need
from unvek.core.plan.reading.door import Table
from unvek.core.plan.reading.quoting import nearest_words, shown

OF_JUDGES = ("wins", "mark", "expect")  # which judges give without being asked for


def read_needs(table: Table, measures: tuple[WantedMeasure, ...], currency: str) -> tuple[str, ...]:
    """Read a list of needs, or a table that has for each measure what it must be: ">= 0.9"."""
    if not table.has("needs"):
        return ()
    content = table.json("needs")
    if isinstance(content, list):
        given = [(f"needs[{place}]", str(text), isinstance(text, str)) for place, text in enumerate(content, 1)]
    else:
        given = list(_of_table(table.table("needs"), ""))
    return tuple(
        text for where, text, is_text in given if _is_need(table, where, text if is_text else None, measures, currency)
    )


def _of_table(table: Table, beginning: str) -> Iterator[tuple[str, str, bool]]:
    for key in table.names():
        name, value = beginning + key, table.json(key)
        if isinstance(value, dict):  # a name with dots in it, without quotes
            yield from _of_table(table.table(key), f"{name}.")
            continue
        for text in value if isinstance(value, list) else [value]:
            is_bound = isinstance(text, str) and text.lstrip().startswith(("<=", ">=", "p"))
            yield f"needs.{name}", f"{name} {text}" if is_bound else str(text), isinstance(text, str)


def _is_need(table: Table, where: str, text: str | None, measures: tuple[WantedMeasure, ...], currency: str) -> bool:
    try:
        need = worded_need(text or "")
    except ValueError as error:
        table.problem(where, shown(text), str(error))
        return False
    if need.measure == COST_PER_GOOD:
        table.problem(
            where, shown(text), "what an output must be; ask for cost.per.good, which rests on that, by --need"
        )
        return False
    asked = next((one for one in measures if one.name == need.measure), None)
    known = built_in(need.measure)
    if asked is None and known is None and not _is_given(need.measure, measures):
        names = (*(one.name for one in measures), "time.total", "memory.peak", *OF_JUDGES)
        wanted = f"a measure, such as {', '.join(names[:4])}{nearest_words(need.measure, names)}; {WANTED}"
        table.problem(where, f"no measure {shown(need.measure)}", wanted)
        return False
    unit = currency if need.measure in COSTS else known.unit if known is not None else ""
    unit = asked.measure.unit if asked is not None else unit
    try:
        need.bound(unit)
    except ValueError as error:
        table.problem(where, shown(need.amount), str(error))
        return False
    return True


def _is_given(name: str, measures: tuple[WantedMeasure, ...]) -> bool:
    """Whether judges give a measure of this name, or a program of the plan may."""
    beginning = name.partition(".")[0]
    is_of_judges = beginning in OF_JUDGES or any(one.of == VERDICTS and one.name == beginning for one in measures)
    return is_of_judges or any(one.of_kind.asks and name.startswith(f"{one.name}.") for one in measures)
