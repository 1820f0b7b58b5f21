"""The verdicts in a list: a line each, with who gave it, of what, and why."""

from dataclasses import dataclass
from typing import Any, ClassVar

from unvek.core.logbook.store import Logbook
from unvek.core.logbook.verdict_rows import PAIRS


@dataclass(frozen=True, slots=True, kw_only=True)
class VerdictLine:
    """One verdict. winner: of a pair, the variant that was taken. unasked: both outputs are the same."""

    verdict: int
    judge: str
    sort: str
    asks: str
    task: str
    seed: int
    left: str
    right: str | None
    answer: Any
    winner: str | None
    why: str
    unreadable: str | None
    took_s: float | None
    flips: int | None
    place: int
    again: bool
    unasked: bool
    doubts: tuple[str, ...]
    voided: str | None
    notes: tuple[str, ...]
    judged: str
    left_run: int
    right_run: int | None
    id: str


@dataclass(frozen=True, slots=True, kw_only=True)
class VerdictList:
    kind: ClassVar[str] = "verdicts"
    rows: tuple[VerdictLine, ...]


def list_verdicts(logbook: Logbook, run: int | None = None) -> VerdictList:
    """Return every verdict in the order in which they were kept, or those on the output of one run."""
    verdicts = [one for one in logbook.verdicts() if run is None or run in one.runs]
    judges, notes = logbook.judges(), logbook.verdict_notes()
    numbers = sorted({number for verdict in verdicts for number in verdict.runs})
    runs = {run.number: run for run in logbook.runs_numbered(numbers)}
    rows = []
    for verdict in verdicts:
        left, right = runs[verdict.left_run], runs.get(verdict.right_run or 0)
        sides = {"left": left.variant, "right": right.variant if right is not None else None}
        rows.append(
            VerdictLine(
                verdict=verdict.number, judge=judges[verdict.judge].name, sort=judges[verdict.judge].sort,
                asks=verdict.asks, task=left.task, seed=left.seed, left=left.variant, right=sides["right"],
                answer=verdict.answer, winner=sides.get(str(verdict.answer)) if verdict.asks == PAIRS else None,
                why=verdict.why, unreadable=verdict.unreadable, took_s=verdict.took_s, flips=verdict.flips,
                place=verdict.place, again=verdict.again is not None, unasked=verdict.unasked,
                doubts=verdict.doubts, voided=verdict.voided,
                notes=tuple(note.text for note in notes.get(verdict.number, ())), judged=verdict.judged_at,
                left_run=verdict.left_run, right_run=verdict.right_run, id=verdict.id,
            )
        )  # fmt: skip
    return VerdictList(rows=tuple(rows))
