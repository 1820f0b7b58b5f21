"""Which columns an export has: asked of the database, so that nobody need make every row to know it."""

from collections.abc import Iterator, Mapping

from sqlalchemy import Connection, case, func, select

from unvek.core.exchange.columns import (
    AGAINST,
    BESIDES,
    DEFINITION,
    KNOWN,
    MEASURE,
    OF_MEASURES,
    OF_RUNS,
    ORIGIN,
    PASSED_OVER,
    WHY,
)
from unvek.core.logbook import tables
from unvek.core.logbook.measure_names import MeasureNames
from unvek.core.logbook.rows import DefinitionRow, behind_measures
from unvek.core.logbook.store import Logbook
from unvek.core.measures.catalogue import LOAD, MODEL_MEMORY
from unvek.core.measures.definition import MEASURED_HERE
from unvek.core.plain_text import clean_text

NOT_GIVEN = ("varied", "voided", "error", "machine_facts")  # columns that are left out where no run fills them
# The built-in measures that have no column of their own.
BUILT_IN = {name: column for name, column in behind_measures().items() if column not in OF_RUNS}


def columns_filled(logbook: Logbook) -> tuple[str, ...]:
    """Return the columns that any run fills, and perhaps a few that none does."""
    with logbook.reading() as connection:
        filled = {*_of_runs(connection), *_of_measurements(connection, logbook)}
    measures = sorted({column.partition(":")[2] for column in filled if ":" in column})
    of_measures = [part + name for name in measures for part in OF_MEASURES if part + name in filled]
    return (*(name for name in (*KNOWN, *PASSED_OVER) if name in filled or name not in NOT_GIVEN), *of_measures)


def _of_runs(connection: Connection) -> Iterator[str]:
    runs, launches = tables.runs.c, tables.launches.c
    measured = {
        name: func.count(case((runs[column] > 0, 1)) if name == "output.tokens" else runs[column])
        for name, column in BUILT_IN.items()
    }
    counted = {
        **{MEASURE + name: count for name, count in measured.items()}, "voided": func.count(runs.voided),
        "error": func.count(runs.error), "machine_facts": func.count(),
    }  # fmt: skip
    row = connection.execute(
        select(*(count.label(name) for name, count in counted.items())).where(runs.trial.is_(False))
    ).one()
    yield from (name for name, count in row._mapping.items() if count)
    if any(varied for varied in connection.scalars(select(runs.varied).distinct())):
        yield "varied"
    if connection.scalar(select(func.count(launches.load_s))):
        yield MEASURE + LOAD
    if row._mapping[MEASURE + "memory.peak"]:
        yield MEASURE + MODEL_MEMORY


def _of_measurements(connection: Connection, logbook: Logbook) -> Iterator[str]:
    measurements = tables.measurements.c
    plan, definitions = logbook.newest_plan(), logbook.definitions()
    names = MeasureNames(plan.plan if plan is not None else None, definitions)
    query = select(
        measurements.definition,
        func.count(measurements.value).label("values"),
        func.count(measurements.why).label("whys"),
        func.max(measurements.against).label("against"),
    ).group_by(measurements.definition)
    reference = plan.plan.reference if plan is not None else ""
    several = _with_several(connection, definitions, names, reference)
    for row in connection.execute(query):
        shown = names[row.definition]
        if shown is None:
            continue
        name = clean_text(shown.measure.name)
        yield ORIGIN + name
        if definitions[row.definition].content.kind != MEASURED_HERE:
            yield DEFINITION + name
        told = {MEASURE: row.values, WHY: row.whys, AGAINST: row.against, BESIDES: row.against and name in several}
        yield from (part + name for part, is_there in told.items() if is_there)


def _with_several(
    connection: Connection, definitions: Mapping[int, DefinitionRow], names: MeasureNames, reference: str
) -> set[str]:
    """The measures of which a run may have more than one value, or one that is not against the plan's reference."""
    measurements = tables.measurements.c
    ours, theirs = tables.runs.alias("ours"), tables.runs.alias("theirs")
    found = set()
    by_name: dict[str, list[int]] = {}
    for number in definitions:
        if (shown := names[number]) is not None:
            by_name.setdefault(clean_text(shown.measure.name), []).append(number)
    for name, numbers in by_name.items():
        of_name = measurements.definition.in_(numbers)
        many = select(measurements.run).where(of_name).group_by(measurements.run).having(func.count() > 1).limit(1)
        other = (
            select(measurements.run)
            .join(ours, ours.c.number == measurements.run)
            .join(theirs, theirs.c.number == measurements.against)
            .where(of_name, (ours.c.seed != theirs.c.seed) | (theirs.c.variant != reference))
            .limit(1)
        )
        if connection.scalar(many) is not None or connection.scalar(other) is not None:
            found.add(name)
    return found
