"""A run that was cut off because the engine itself was killed: kept after all, from what the journal has of it."""

import json
import mmap
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from unvek.core.logbook.store import Logbook
from unvek.core.run.events import NotAnEventError, parse_event
from unvek.core.run.journal import latest_journal
from unvek.core.run.record import INTERRUPTED, RunRecord, Slot
from unvek.core.run.recording import Recording

RUN_BEGINS = b'{"entry": "run",'
CUT_OFF = "cut off: the engine was killed in the middle of the run"


def recover_run(logbook: Logbook) -> int | None:
    """Keep the run that the latest journal begins and does not end, as interrupted; return its number.

    Nothing is kept twice: where the run was kept, and only the journal lacks the word, there is nothing to do.
    """
    path = latest_journal(logbook.folder.journal)
    lines = _lines_of_last_run(path) if path is not None else []
    if not lines:
        return None
    try:
        entry = json.loads(lines[0])
        if logbook.has_run(entry["launch"], entry["place"]) or not logbook.has_launch(entry["launch"]):
            return None
        record = _record(entry, lines[1:])
    except (ValueError, KeyError, TypeError):
        return None  # a journal that a crash of the machine left half on the disk
    return logbook.keep_run(record, None)


def _lines_of_last_run(path: Path) -> list[bytes]:
    """Return the journal's lines from the last beginning of a run on; a large journal is searched from its end."""
    with open(path, "rb") as file:
        if not file.seek(0, 2):
            return []
        with mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as content:
            start = content.rfind(b"\n" + RUN_BEGINS)
            while start >= 0 and b'"event":' in content[start + 1 : content.find(b"\n", start + 1)]:
                start = content.rfind(b"\n" + RUN_BEGINS, 0, start)  # a model's line that looks like an entry
            return content[start + 1 :].split(b"\n") if start >= 0 else []


def _record(entry: Mapping[str, Any], lines: list[bytes]) -> RunRecord:
    recording = Recording()
    for line in lines:
        try:
            recording.take(parse_event(line))
        except NotAnEventError:
            continue
    return RunRecord(
        slot=Slot(cell_key=entry["cell"], round=entry["round"], repeat=entry["repeat"]),
        launch=entry["launch"],
        place=entry["place"],
        warm_up=entry["warm_up"],
        variant=entry["variant"],
        form=entry["form"],
        task=entry["task"],
        seed=entry["seed"],
        settings=entry["settings"],
        limits={},
        status=INTERRUPTED,
        error=CUT_OFF,
        started_at=entry["started_at"],
        progress=recording.progress(stopped_ns=0),
        exit_code=None,
        log_tail="",
        provenance={},
        source=entry["source"],
        trial=entry["trial"],
        varied=entry.get("varied", {}),
    )
