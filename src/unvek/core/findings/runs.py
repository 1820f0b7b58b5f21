"""The runs themselves: all of them in lines, or one whole."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar

from unvek.core.logbook.store import Logbook, Row


@dataclass(frozen=True, slots=True, kw_only=True)
class RunLine:
    """One run in a list."""

    run: int
    variant: str
    form: str
    task: str
    seed: int
    round: int
    repeat: int
    warm_up: bool
    varied: Mapping[str, Any]
    status: str
    voided: str | None
    started: str
    time_s: float | None
    steps: int
    step_time_s: float | None
    source: str


@dataclass(frozen=True, slots=True, kw_only=True)
class RunList:
    """Every run of a logbook, in the order in which they were made."""

    kind: ClassVar[str] = "runs"
    rows: tuple[RunLine, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputFound:
    """A file that a run made; the path is from the logbook's folder."""

    path: str
    bytes: int
    digest: str


@dataclass(frozen=True, slots=True, kw_only=True)
class RunWhole(RunLine):
    """Everything that is known of one run."""

    kind: ClassVar[str] = "run"
    launch: int
    place: int
    error: str | None
    first_s: float | None
    load_s: float | None
    step_times_s: tuple[float, ...]
    phases: Mapping[str, float]
    measures: Mapping[str, float | None]
    faults: tuple[tuple[str, str], ...]
    outputs: tuple[OutputFound, ...]
    machine: Mapping[str, Any]
    provenance: Mapping[str, Any]
    log_tail: str
    text: str


def list_runs(logbook: Logbook) -> RunList:
    return RunList(rows=tuple(RunLine(**_line(row)) for row in logbook.runs()))


def whole_run(logbook: Logbook, number: int) -> RunWhole:
    """Return one run; InputError where there is none of this number."""
    row = logbook.run(number)
    launch = logbook.launch(row["launch"])
    return RunWhole(
        **_line(row),
        launch=row["launch"],
        place=row["place"],
        error=row["error"],
        first_s=row["first_s"],
        load_s=launch["load_s"],
        step_times_s=row["step_times_s"],
        phases=row["phases_s"],
        measures=_measures(logbook, row),
        faults=tuple((kind, note) for kind, note in row["faults"]),
        outputs=tuple(
            OutputFound(path=output["path"], bytes=output["bytes"], digest=output["digest"])
            for output in logbook.outputs(number)
        ),
        machine={
            "memory_peak_bytes": row["memory_peak_bytes"],
            "memory_device_bytes": row["memory_device_bytes"],
            "cpu_s": row["cpu_s"],
            "rig": {"fingerprint": launch["rig"], **launch["facts"]},
        },
        provenance={
            **row["provenance"],
            "settings": row["settings"],
            "limits": row["limits"],
            "exit_code": row["exit_code"],
        },
        log_tail=row["log_tail"],
        text=row["text"],
    )


def _measures(logbook: Logbook, row: Row) -> dict[str, float | None]:
    """The run's measures; likenesses to other seeds, which only make the drift scale, are left out."""
    return {
        m.name: m.value
        for m in logbook.measured(row["number"])
        if m.against == 0 or logbook.run(m.against)["seed"] == row["seed"]
    }


def _line(row: Row) -> dict[str, Any]:
    return {
        "run": row["number"],
        "started": row["started_at"],
        **{
            name: row[name]
            for name in (
                "variant", "form", "task", "seed", "round", "repeat", "warm_up", "varied", "status", "voided", "time_s",
                "steps", "step_time_s", "source",
            )
        },
    }  # fmt: skip
