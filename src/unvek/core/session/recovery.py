"""A run that was cut off because the engine itself was killed: kept after all, from what the journal has of it."""

import json
import mmap
import os
from pathlib import Path

import msgspec

from unvek.core.ask.secrets import Secrets
from unvek.core.held_folder import open_plain
from unvek.core.logbook.store import Logbook
from unvek.core.run.engine.hearing import Hearing
from unvek.core.run.events.event import NotAnEventError, parse_event
from unvek.core.run.events.record import INTERRUPTED, Provenance, RunRecord, RunStart
from unvek.core.run.events.recording import Recording
from unvek.core.run.events.sieve import Sieve
from unvek.core.run.journal.journal import latest_journal

RUN_BEGINS = b'{"entry": "run",'
CUT_OFF = "cut off: the engine was killed in the middle of the run"


def recover_run(logbook: Logbook, sieve: Sieve, secrets: Secrets, besides: Logbook | None = None) -> int | None:
    """Keep the run that the latest journal begins and does not end, as interrupted; return its number.

    Nothing is kept twice: where the run was kept, and only the journal lacks the word, there is nothing to do. besides:
    the team's logbook that this one waits for, which may have it.
    """
    path = latest_journal(logbook.folder.journal)
    lines = _lines_of_last_run(path) if path is not None else []
    if not lines:
        return None
    start = _start(lines[0])
    if start is None or not logbook.has_launch(start.launch):
        return None
    if any(one.has_run(start.launch, start.place) for one in (logbook, besides) if one is not None):
        return None
    return logbook.keep_run(_record(start, lines[1:], sieve, Hearing(secrets)))


def _lines_of_last_run(path: Path) -> list[bytes]:
    """Return the journal's lines from the last beginning of a run on; a large journal is searched from its end."""
    with os.fdopen(open_plain(path), "rb") as file:
        if not file.seek(0, 2):
            return []
        with mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as content:
            start = content.rfind(b"\n" + RUN_BEGINS)
            while start >= 0 and b'"event":' in content[start + 1 : content.find(b"\n", start + 1)]:
                start = content.rfind(b"\n" + RUN_BEGINS, 0, start)  # a model's line that looks like an entry
            return content[start + 1 :].split(b"\n") if start >= 0 else []


def _start(line: bytes) -> RunStart | None:
    """Return what the line says of the run that begins; None where a crash of the machine has left half of it."""
    try:
        content = json.loads(line)
        # Before entries were values, what is known of a run stood beside the rest.
        return msgspec.convert(content.get("start", content), RunStart)
    except (ValueError, AttributeError, RecursionError, msgspec.ValidationError):
        return None


def _record(start: RunStart, lines: list[bytes], sieve: Sieve, hearing: Hearing) -> RunRecord:
    recording = Recording(holds_load=True)  # which is not known here: no rate is then told that would hold it
    for line in lines:
        try:
            events = hearing.heard([parse_event(line)])
        except NotAnEventError:
            continue
        for event in events:
            recording.take(event)
    return RunRecord(
        start=start,
        limits={},
        status=INTERRUPTED,
        error=CUT_OFF,
        progress=sieve.sift(recording.progress(stopped_ns=0)).progress,
        exit_code=None,
        provenance=Provenance(),
    )
