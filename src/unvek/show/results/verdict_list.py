"""The list of verdicts, drawn."""

from collections.abc import Mapping
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.findings.log.verdict_list import VerdictLine, VerdictList
from unvek.core.plain_text import clean
from unvek.core.units import duration_words
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import UNKNOWN, warning_text
from unvek.show.terminal.grid import Column, print_grid, told_of
from unvek.show.terminal.views import View

LONGEST_WHY, LONGEST_ANSWER = 60, 40


def print_verdicts(out: Console, found: VerdictList) -> None:
    if not found.rows:
        out.print("There are no verdicts here yet; write a page for a judge with 'unvek judge ballot'.")
        return
    print_grid(out, verdict_columns(found))


def verdict_columns(found: VerdictList) -> list[Column]:
    columns = {
        "verdict": Column("verdict", keep=10),
        "judge": Column("judge", numeric=False, keep=8),
        "task": Column("task", numeric=False, keep=6),
        "seed": Column("seed", keep=5),
        "left": Column("left", numeric=False, keep=7),
        "right": Column("right", numeric=False, keep=7),
        "answer": Column("answer", numeric=False, keep=9),
        "why": Column("why", numeric=False, keep=4),
        "took": Column("took", keep=3),
        "flips": Column("flips", keep=1),
        "noted": Column("noted", numeric=False, keep=2),
    }
    for row in found.rows:
        columns["verdict"].add(str(row.verdict))
        columns["judge"].add(clean(row.judge))
        columns["task"].add(clean(row.task))
        columns["seed"].add(str(row.seed))
        columns["left"].add(clean(row.left))
        columns["right"].add(clean(row.right or ""))
        columns["answer"].add(_answer(row))
        columns["why"].add(faint(clean(" ".join(row.why.split()), LONGEST_WHY)))
        columns["took"].add(UNKNOWN if row.took_s is None else duration_words(row.took_s))
        columns["flips"].add(str(row.flips) if row.flips else UNKNOWN)
        columns["noted"].add(faint(clean("; ".join(row.notes), LONGEST_WHY)))
    return told_of(columns.values())


def _answer(row: VerdictLine) -> Text:
    if row.voided is not None:
        return faint(clean(f"voided: {row.voided}", 40))
    if row.unreadable is not None:
        return warning_text(clean(f"unreadable: {row.unreadable}", LONGEST_WHY))
    words = row.answer if not isinstance(row.answer, dict) else ", ".join(
        f"{said}: {thing}" for thing, said in row.answer.items()
    )  # fmt: skip
    found = Text(clean(str(words), LONGEST_ANSWER))
    for doubt in row.doubts:
        found += warning_text(clean(f" {doubt}"))
    if row.unasked:
        return found + faint(", the same output")
    return found + faint(" again") if row.again else found


def verdict_records(found: VerdictList) -> list[Mapping[str, Any]]:
    return [
        {
            **{name: getattr(row, name) for name in VerdictLine.__slots__},
            "answer": _flat(row.answer),
            "notes": "; ".join(row.notes),
            "doubts": " ".join(row.doubts),
        }
        for row in found.rows
    ]


def _flat(answer: Any) -> Any:
    """Return an answer as one cell."""
    return "; ".join(f"{thing}: {said}" for thing, said in answer.items()) if isinstance(answer, dict) else answer


VERDICTS = View(print_verdicts, verdict_columns, verdict_records)
