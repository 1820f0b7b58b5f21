"""Which runs stand on the two sides of a before and after: sessions of a logbook, or a file of runs from earlier."""

import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

from unvek.core.errors import InputError
from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.gathering import Selection, gather
from unvek.core.exchange.importing import import_timings
from unvek.core.findings.changes.changes import changes_between
from unvek.core.findings.changes.found import Changes
from unvek.core.logbook.rows import SessionRow
from unvek.core.logbook.store import Logbook

TRIED = "try"  # what made sessions whose runs are of no plan
Work = Callable[[Logbook, Evidence], Evidence]  # what is still to be worked out of the evidence


@dataclass(frozen=True, slots=True, kw_only=True)
class Earlier:
    """What is held against now: what was made before a moment, one session against another, or the runs of a file."""

    before: datetime | None = None
    between: tuple[str, str] | None = None
    file: Path | None = None


def changes_since(logbook: Logbook, earlier: Earlier, selection: Selection, work: Work) -> Changes:
    """Return what has changed; InputError where there are no runs on one of the sides."""
    if earlier.file is not None:
        return _since_file(logbook, earlier.file, selection, work)
    sessions = [one for one in logbook.sessions() if one.made_by != TRIED]
    if earlier.between is not None:
        then, now = ([_named(sessions, name)] for name in earlier.between)
    else:
        assert earlier.before is not None, "a moment, or two sessions, or a file"
        moment = earlier.before.astimezone(UTC)
        then = [one for one in sessions if datetime.fromisoformat(one.began_at) < moment]
        now = [one for one in sessions if one not in then]
    for side, words in ((then, "before"), (now, "since")):
        if not side:
            raise InputError(f"there is no session from {words} then; 'unvek log --sessions' lists them")
    found = [work(logbook, gather(logbook, replace(selection, sessions=_numbers(side)))) for side in (then, now)]
    return _changes(logbook, found[0], logbook, found[1], (_words(then), _words(now)))


def _since_file(logbook: Logbook, file: Path, selection: Selection, work: Work) -> Changes:
    """Hold the newest runs against those of a file, which is read into a logbook of its own that nobody keeps."""
    with _brought(file) as other:
        before = gather(other, replace(selection, reference=None))
        after = work(logbook, gather(logbook, selection))
        return _changes(other, before, logbook, after, (file.name, "now"))


@contextmanager
def _brought(file: Path) -> Iterator[Logbook]:
    if not file.is_file():
        raise InputError(f"there is no file {file} with earlier runs; 'unvek export' or 'unvek report' write one")
    with (
        tempfile.TemporaryDirectory(prefix="unvek-earlier-") as folder,
        Logbook.make_or_open(Path(folder) / "logbook") as other,
    ):
        import_timings(other, file)
        yield other


def _changes(then: Logbook, before: Evidence, now: Logbook, after: Evidence, words: tuple[str, str]) -> Changes:
    rigs = tuple(logbook.rig_of_run(side.runs.latest) for logbook, side in ((then, before), (now, after)))
    return changes_between(before, after, words, (rigs[0], rigs[1]))


def _named(sessions: list[SessionRow], name: str) -> SessionRow:
    found = next((one for one in sessions if name in (one.name, one.id, str(one.number))), None)
    if found is None:
        known = ", ".join(one.name for one in sessions[-5:])
        raise InputError(f"there is no session {name!r}; the latest are {known or 'none'} ('unvek log --sessions')")
    return found


def _numbers(sessions: list[SessionRow]) -> frozenset[int]:
    return frozenset(one.number for one in sessions)


def _words(sessions: list[SessionRow]) -> str:
    if len(sessions) == 1:
        return sessions[0].name
    return f"{len(sessions)} sessions, {sessions[0].name} to {sessions[-1].name}"
