"""A logbook's runs as rows of a table: the columns that an import reads, where and when each was made, its measures."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from unvek.core.exchange.columns import KNOWN, MEASURE, PASSED_OVER
from unvek.core.logbook.store import Logbook
from unvek.core.measures.catalogue import RUN_COLUMNS

AS_THEY_ARE = ("time.total", "output.steps")  # these stand in columns of their own


@dataclass(frozen=True, slots=True, kw_only=True)
class Exported:
    """Every run of the plans of a logbook, voided ones too, with the columns that any of them fills."""

    columns: tuple[str, ...]
    rows: tuple[dict[str, Any], ...]


def export_runs(logbook: Logbook) -> Exported:
    """Return the runs in the order in which they were made; measures against other seeds are left out."""
    runs = logbook.runs()
    seeds = {run["number"]: run["seed"] for run in runs}
    measured: dict[int, dict[str, float]] = {}
    for m in logbook.measured():
        same_seed = m.against == 0 or seeds.get(m.run) == seeds.get(m.against)
        if m.value is not None and m.run in seeds and same_seed:
            measured.setdefault(m.run, {})[MEASURE + m.name] = m.value
    loads_s = {launch["number"]: launch["load_s"] for launch in logbook.launches()}
    rows = tuple(_row(run, loads_s.get(run["launch"]), measured.get(run["number"], {})) for run in runs)
    filled = {name for row in rows for name, value in row.items() if value is not None}
    names = sorted(name for name in filled if name.startswith(MEASURE))
    fixed = [name for name in (*KNOWN, *PASSED_OVER) if name in filled or name not in ("varied", "voided")]
    return Exported(columns=(*fixed, *names), rows=rows)


def _row(run: Any, load_s: float | None, measured: dict[str, float]) -> dict[str, Any]:
    return {
        **{name: run[name] for name in KNOWN if name != "varied"},
        "varied": dict(run["varied"]) or None,
        "run": run["number"],
        "launch": run["launch"],
        "started": run["started_at"],
        **dict(_built_in(run)),
        f"{MEASURE}time.load": load_s,
        **measured,
    }


def _built_in(run: Any) -> Iterator[tuple[str, float | None]]:
    for name, column in RUN_COLUMNS.items():
        if name not in AS_THEY_ARE:
            value = run[column]
            is_none = value is None or (name == "output.tokens" and value == 0)
            yield MEASURE + name, None if is_none else float(value)
