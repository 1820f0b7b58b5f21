"""Reading the [margins] of a plan: by how much each measure may differ before anybody minds."""

from collections.abc import Iterator, Mapping
from types import MappingProxyType

from unvek.core.measures.catalogue import BUILT_IN
from unvek.core.plan.model import USUAL_MARGIN, Margin, WantedMeasure
from unvek.core.plan.reading.door import Table
from unvek.core.plan.reading.measures import is_asked
from unvek.core.plan.reading.quoting import nearest_words


def read_margins(table: Table, measures: tuple[WantedMeasure, ...]) -> Mapping[str, Margin]:
    """Read the margin of each measure named: a percentage, or an amount for those that the plan asks for."""
    return MappingProxyType(dict(_margins(table, "", measures)))


def _margins(table: Table, beginning: str, measures: tuple[WantedMeasure, ...]) -> Iterator[tuple[str, Margin]]:
    for key in table.names():
        name, value = beginning + key, table.json(key)
        if isinstance(value, dict):  # a name with dots in it, without quotes
            yield from _margins(table.table(key), f"{name}.", measures)
        elif not is_asked(name, measures) and name not in BUILT_IN:
            table.problem(key, "no measure of this name", _wanted(name, tuple(measure.name for measure in measures)))
        elif is_asked(name, measures) and isinstance(value, int | float):
            amount = table.number_or_none(key, 1e-9, 1e9)
            yield name, USUAL_MARGIN if amount is None else Margin(value=amount, is_absolute=True)
        else:
            yield name, Margin(value=table.share(key, None) or USUAL_MARGIN.value)


def _wanted(name: str, scores: tuple[str, ...]) -> str:
    known = (*scores, *BUILT_IN)
    return f"the name of a measure, such as {', '.join(known[:3])}{nearest_words(name, known)}"
