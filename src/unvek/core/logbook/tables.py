"""The tables, in SQLAlchemy Core, so that the same ones can stand in another database.

Times in seconds, sizes in bytes, moments as ISO 8601 in UTC. What is listed often stands in `runs`; what is read
for one run at a time stands in `run_details`.
"""

from sqlalchemy import (
    JSON,
    Boolean,
    Column,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    String,
    Table,
    Text,
    false,
)

FORMAT_VERSION = 3

metadata = MetaData()

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
    Column("content", JSON, nullable=False),  # title, reference, variants, measures... as findings need them
)

launches = Table(
    "launches",
    metadata,
    Column("number", Integer, primary_key=True),
    Column("variant", String, nullable=False),
    Column("round", Integer, nullable=False),
    Column("rig", String, ForeignKey("rigs.fingerprint"), nullable=False),
    Column("started_at", String, nullable=False),
    Column("load_s", Float),
    Column("error", Text),
    Column("about", JSON, nullable=False),
)

runs = Table(
    "runs",
    metadata,
    Column("number", Integer, primary_key=True),
    Column("cell", String, nullable=False),
    Column("launch", Integer, ForeignKey("launches.number"), nullable=False),
    Column("place", Integer, nullable=False),
    Column("variant", String, nullable=False),
    Column("form", String, nullable=False),
    Column("task", String, nullable=False),
    Column("seed", Integer, nullable=False),
    Column("round", Integer, nullable=False),
    Column("repeat", Integer, nullable=False),
    Column("warm_up", Boolean, nullable=False),
    Column("varied", JSON, nullable=False),
    Column("status", String, nullable=False),
    Column("error", Text),
    Column("voided", Text),  # the reason, for a run that was taken out
    Column("started_at", String, nullable=False),
    Column("time_s", Float),
    Column("first_s", Float),
    Column("steps", Integer, nullable=False),
    Column("step_time_s", Float),  # the median
    Column("memory_peak_bytes", Integer),
    Column("memory_device_bytes", Integer),
    Column("cpu_s", Float),
    Column("tokens", Integer, nullable=False),
    Column("source", String, nullable=False),
    Column("trial", Boolean, nullable=False, server_default=false()),  # made by `try`: no part of any plan's runs
    Column("energy_j", Float),
    Column("others_share", Float),  # cores that other processes kept busy meanwhile
    Column("stolen_share", Float),  # cores' time that the host of a virtual machine took
    Column("forecast_low_s", Float),
    Column("forecast_high_s", Float),
    Column("forecast_basis", String),
)
Index("runs_by_cell", runs.c.cell)
Index("runs_by_launch", runs.c.launch, runs.c.place)
Index("runs_by_round", runs.c.variant, runs.c.round)

run_details = Table(
    "run_details",
    metadata,
    Column("run", Integer, ForeignKey("runs.number"), primary_key=True),
    Column("settings", JSON, nullable=False),
    Column("limits", JSON, nullable=False),
    Column("step_times_s", LargeBinary, nullable=False),  # little-endian float64, one a step
    Column("phases_s", JSON, nullable=False),
    Column("faults", JSON, nullable=False),
    Column("provenance", JSON, nullable=False),
    Column("exit_code", Integer),
    Column("log_tail", Text, nullable=False),
    Column("text", Text, nullable=False),
    Column("machine", JSON, nullable=False, server_default="{}"),  # what telemetry saw
    Column("piece_times_s", LargeBinary, nullable=False, server_default=""),  # as step_times_s, one a piece of text
    Column("requests", JSON, nullable=False, server_default="[]"),  # one object a request, where there were any
)

outputs = Table(
    "outputs",
    metadata,
    Column("number", Integer, primary_key=True),
    Column("run", Integer, ForeignKey("runs.number"), nullable=False),
    Column("path", String, nullable=False),  # relative to the logbook's folder
    Column("bytes", Integer, nullable=False),
    Column("digest", String, nullable=False),
)
Index("outputs_by_run", outputs.c.run)

measures = Table(
    "measures",
    metadata,
    Column("run", Integer, ForeignKey("runs.number"), primary_key=True),
    Column("name", String, primary_key=True),
    Column("against", Integer, primary_key=True),  # the run it was held against; 0 where there is none
    Column("value", Float),
    Column("unit", String, nullable=False),
)

notes = Table(
    "notes",
    metadata,
    Column("number", Integer, primary_key=True),
    Column("run", Integer, ForeignKey("runs.number"), nullable=False),
    Column("noted_at", String, nullable=False),
    Column("text", Text, nullable=False),
)
Index("notes_by_run", notes.c.run)

forecasts = Table(
    "forecasts",  # of a whole `run`; those of single runs stand with them
    metadata,
    Column("number", Integer, primary_key=True),
    Column("made_at", String, nullable=False),
    Column("title", String, nullable=False),
    Column("runs", Integer, nullable=False),
    Column("low_s", Float, nullable=False),
    Column("high_s", Float, nullable=False),
    Column("took_s", Float),  # once all of them are made, in one go
)
