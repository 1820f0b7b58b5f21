"""The tables, in SQLAlchemy Core, so that the same ones can stand in another database.

Their columns are the fields of the values in rows.py. What is listed often stands in `runs`; what is read for one run
at a time stands in `run_details`.
"""

from collections.abc import Mapping
from dataclasses import fields
from typing import Any, get_type_hints

from sqlalchemy import (
    BigInteger,
    Boolean,
    Column,
    DateTime,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    Table,
    UniqueConstraint,
)
from sqlalchemy.types import TypeEngine

from unvek.core.logbook import rows, verdict_rows
from unvek.core.logbook.column_types import AsJson, Words

_TYPES: Mapping[Any, type[TypeEngine[Any]]] = {
    int: BigInteger, float: Float, str: Words, bool: Boolean, bytes: LargeBinary,
}  # fmt: skip

metadata = MetaData()
of_teams = MetaData()  # what only a database has that a team shares


def _table(name: str, row: type, *more: UniqueConstraint) -> Table:
    hints = get_type_hints(row)
    stored = (one for one in fields(row) if one.metadata.get("stored", True))
    return Table(name, metadata, *(_column(one.name, hints[one.name], one.metadata) for one in stored), *more)


def _column(name: str, hint: Any, about: Mapping[str, Any]) -> Column[Any]:
    kind, is_optional = rows.kind_of(hint)
    is_number_of_row = kind is int and ("key" in about or "reference" in about)
    if is_number_of_row or (kind is str and "text" in about):
        type_: TypeEngine[Any] = Integer() if is_number_of_row else Words(long=True)
    elif kind in _TYPES:
        type_ = _TYPES[kind]()
    else:
        type_ = AsJson(kind)
    keys = (ForeignKey(about["reference"]),) if "reference" in about else ()
    return Column(name, type_, *keys, primary_key="key" in about, nullable=is_optional)


about = Table("about", metadata, Column("key", Words, primary_key=True), Column("value", Words, nullable=False))

rigs = Table(
    "rigs",
    metadata,
    Column("fingerprint", Words, primary_key=True),
    Column("facts", AsJson, nullable=False),
)

plans = Table(
    "plans",
    metadata,
    Column("number", Integer, primary_key=True),
    Column("digest", Words, nullable=False),
    Column("recorded_at", Words, nullable=False),
    Column("path", Words, nullable=False),
    Column("text", Words(long=True), nullable=False),
    Column("content", AsJson, nullable=False),  # as plan_record.py has it
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

at_work = Table(
    "at_work",
    of_teams,
    Column("rig", Words, primary_key=True),
    Column("title", Words(long=True), nullable=False),
    Column("session", Words, nullable=False),
    Column("state", Words, nullable=False),
    Column("variant", Words, nullable=False),
    Column("made", BigInteger, nullable=False),
    Column("planned", BigInteger, nullable=False),
    Column("failed", BigInteger, nullable=False),
    Column("begun_at", DateTime(timezone=True), nullable=False),  # by the server's clock: those of machines may differ
    Column("heard_at", DateTime(timezone=True), nullable=False),
)

verdicts = _table("verdicts", verdict_rows.VerdictRow)
Index("verdicts_by_judge", verdicts.c.judge)

verdict_notes = _table("verdict_notes", verdict_rows.VerdictNoteRow)
