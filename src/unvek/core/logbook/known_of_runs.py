"""What runs made and what is known of it, read: outputs and where they are, measurements, remarks, forecasts."""

from collections.abc import Sequence
from functools import cached_property
from typing import NamedTuple

from sqlalchemy import func, select

from unvek.core.logbook import tables
from unvek.core.logbook.output_files import OutputFiles
from unvek.core.logbook.reading import LogbookReading, batches
from unvek.core.logbook.rows import DefinitionRow, ForecastRow, MeasurementRow, NoteRow, OutputRow
from unvek.core.logbook.run_table import uncollected

OUTPUTS_PLACE = "outputs"  # a key of `about`


class Measured(NamedTuple):
    """The measurements of all runs as columns: runs, numbers of definitions, runs held against, values (None: none)."""

    runs: Sequence[int]
    definitions: Sequence[int]
    against: Sequence[int]
    values: Sequence[float | None]


class HeldRun(NamedTuple):
    """What tells a run that others are held against."""

    id: str
    variant: str
    seed: int


class KnownOfRuns(LogbookReading):
    """What can be asked of a logbook beyond its runs."""

    def outputs_place(self) -> str | None:
        """Return the address of where a team's outputs are shared; None where they stay where they were made."""
        about = tables.about.c
        row = self._first(select(about.value).where(about.key == OUTPUTS_PLACE)) if self.place.is_team else None
        return row[0] if row is not None else None

    @cached_property
    def files(self) -> OutputFiles:
        """Where the files of outputs are."""
        return OutputFiles(self.place.folder, self.outputs_place(), self.place.is_team)

    def outputs(self, run: int | None = None) -> list[OutputRow]:
        """Return the kept files of all runs, or of one."""
        query = select(tables.outputs).order_by(tables.outputs.c.number)
        return list(self._values(OutputRow, query if run is None else query.where(tables.outputs.c.run == run)))

    def outputs_of(self, runs: Sequence[int]) -> list[OutputRow]:
        """Return the kept files of some runs."""
        outputs = tables.outputs
        queries = (select(outputs).where(outputs.c.run.in_(some)).order_by(outputs.c.number) for some in batches(runs))
        return [row for query in queries for row in self._values(OutputRow, query)]

    def has_outputs(self) -> bool:
        """Whether a run has put out a file, or the newest run has written something."""
        newest = self._first(select(func.max(tables.runs.c.number)))
        has_files = self._first(select(tables.outputs.c.number).limit(1)) is not None
        return has_files or (newest is not None and newest[0] is not None and self.has_text([newest[0]]))

    def has_any_output(self) -> bool:
        """Whether any run at all has put out a file, or has written something."""
        queries = (
            select(tables.outputs.c.number),
            select(tables.run_details.c.run).where(tables.run_details.c.text != ""),
        )
        return any(self._first(query.limit(1)) is not None for query in queries)

    def has_text(self, runs: Sequence[int]) -> bool:
        """Whether any of these runs has written something."""
        details = tables.run_details.c
        queries = (select(details.run).where(details.run.in_(some), details.text != "") for some in batches(runs))
        return any(self._first(query) is not None for query in queries)

    def definitions(self) -> dict[int, DefinitionRow]:
        """Return every measure as its values were come by, by number."""
        return {
            row.number: row
            for row in self._values(DefinitionRow, select(tables.definitions).order_by(tables.definitions.c.number))
        }

    def measured(self) -> Measured:
        """Return the measurements of all runs."""
        measurements = tables.measurements.c
        query = select(measurements.run, measurements.definition, measurements.against, measurements.value)
        with uncollected(), self._reading() as connection:
            rows = connection.execute(query).fetchall()
        return Measured(*zip(*rows, strict=True)) if rows else Measured((), (), (), ())

    def measurements_of(self, *runs: int) -> list[MeasurementRow]:
        """Return the measurements of some runs."""
        measurements = tables.measurements
        keys = list(measurements.primary_key)
        queries = (select(measurements).where(measurements.c.run.in_(some)).order_by(*keys) for some in batches(runs))
        return [row for query in queries for row in self._values(MeasurementRow, query)]

    def measurements_within(self, first: int, last: int) -> list[MeasurementRow]:
        """Return the measurements of the runs from one number to another."""
        measurements = tables.measurements
        query = select(measurements).where(measurements.c.run.between(first, last)).order_by(*measurements.primary_key)
        return list(self._values(MeasurementRow, query))

    def held_against(self) -> dict[int, HeldRun]:
        """Return the runs that any measure of another is held against, by number."""
        runs = tables.runs.c
        numbers = select(tables.measurements.c.against).where(tables.measurements.c.against != 0).distinct()
        query = (
            select(runs.number, runs.id, runs.variant, runs.seed).where(runs.number.in_(numbers)).order_by(runs.number)
        )
        return {row.number: HeldRun(row.id, row.variant, row.seed) for row in self._rows(query)}

    def without_value(self) -> list[MeasurementRow]:
        """Return the measurements that came to no value, with the reasons."""
        measurements = tables.measurements
        query = select(measurements).where(measurements.c.value.is_(None)).order_by(*measurements.primary_key)
        return list(self._values(MeasurementRow, query))

    def notes(self, run: int) -> list[NoteRow]:
        """Return the remarks on a run, oldest first."""
        query = select(tables.notes).where(tables.notes.c.run == run).order_by(tables.notes.c.number)
        return list(self._values(NoteRow, query))

    def noted_runs(self) -> set[int]:
        """Return the numbers of the runs that there are remarks on."""
        return {row.run for row in self._rows(select(tables.notes.c.run).distinct())}

    def forecasts(self) -> list[ForecastRow]:
        """Return the forecasts of whole sessions, oldest first."""
        return list(self._values(ForecastRow, select(tables.forecasts).order_by(tables.forecasts.c.number)))
