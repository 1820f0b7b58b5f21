"""The tables, in SQLAlchemy Core, so that the same ones can stand in another database.

Their columns are the fields of the values in rows.py. What is listed often stands in `runs`; what is read for one run
at a time stands in `run_details`.
"""

from collections.abc import Mapping
from dataclasses import fields
from typing import Any, get_type_hints

from sqlalchemy import (
    JSON,
    BigInteger,
    Boolean,
    Column,
    Dialect,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    String,
    Table,
    Text,
    UniqueConstraint,
)
from sqlalchemy.types import TypeDecorator, TypeEngine

from unvek.core.logbook import rows, verdict_rows
from unvek.core.logbook.plan_record import plain, typed

_TYPES: Mapping[Any, type[TypeEngine[Any]]] = {
    int: BigInteger, float: Float, str: String, bool: Boolean, bytes: LargeBinary,
}  # fmt: skip

metadata = MetaData()


class AsJson(TypeDecorator[Any]):
    """A column that holds a value of some type as JSON, and checks it when it is read."""

    impl = JSON
    cache_ok = True

    def __init__(self, kind: Any):
        super().__init__()
        self.kind = kind

    def process_bind_param(self, value: Any, dialect: Dialect) -> Any:
        return plain(value)

    def process_result_value(self, value: Any, dialect: Dialect) -> Any:
        return typed(value, self.kind)


def _table(name: str, row: type, *more: UniqueConstraint) -> Table:
    hints = get_type_hints(row)
    stored = (one for one in fields(row) if one.metadata.get("stored", True))
    return Table(name, metadata, *(_column(one.name, hints[one.name], one.metadata) for one in stored), *more)


def _column(name: str, hint: Any, about: Mapping[str, Any]) -> Column[Any]:
    kind, is_optional = rows.kind_of(hint)
    is_number_of_row = kind is int and ("key" in about or "reference" in about)
    if is_number_of_row or (kind is str and "text" in about):
        type_: TypeEngine[Any] = Integer() if is_number_of_row else Text()
    elif kind in _TYPES:
        type_ = _TYPES[kind]()
    else:
        type_ = AsJson(kind)
    keys = (ForeignKey(about["reference"]),) if "reference" in about else ()
    return Column(name, type_, *keys, primary_key="key" in about, nullable=is_optional)


about = Table("about", metadata, Column("key", String, primary_key=True), Column("value", String, nullable=False))

rigs = Table(
    "rigs",
    metadata,
    Column("fingerprint", String, primary_key=True),
    Column("facts", JSON, nullable=False),
)

plans = Table(
    "plans",
    metadata,
    Column("number", Integer, primary_key=True),
    Column("digest", String, nullable=False),
    Column("recorded_at", String, nullable=False),
    Column("path", String, nullable=False),
    Column("text", Text, nullable=False),
    Column("content", JSON, nullable=False),  # as plan_record.py has it
)

sessions = _table("sessions", rows.SessionRow, UniqueConstraint("id"), UniqueConstraint("name"))

launches = _table("launches", rows.LaunchRow)
Index("launches_by_id", launches.c.id, unique=True)

runs = _table("runs", rows.KeptRun)
Index("runs_by_id", runs.c.id)
Index("runs_by_cell", runs.c.cell)
Index("runs_by_launch", runs.c.launch, runs.c.place)
Index("runs_by_round", runs.c.variant, runs.c.round)

run_details = _table("run_details", rows.RunDetails)

outputs = _table("outputs", rows.OutputRow)
Index("outputs_by_run", outputs.c.run)

definitions = _table("definitions", rows.DefinitionRow, UniqueConstraint("name", "digest", "origin"))

measurements = _table("measurements", rows.MeasurementRow)

notes = _table("notes", rows.NoteRow)
Index("notes_by_run", notes.c.run)

forecasts = _table("forecasts", rows.ForecastRow)

ballots = _table("ballots", verdict_rows.BallotRow, UniqueConstraint("id"))

judges = _table("judges", verdict_rows.JudgeRow, UniqueConstraint("name", "sort", "digest"))

verdicts = _table("verdicts", verdict_rows.VerdictRow)
Index("verdicts_by_judge", verdicts.c.judge)

verdict_notes = _table("verdict_notes", verdict_rows.VerdictNoteRow)
