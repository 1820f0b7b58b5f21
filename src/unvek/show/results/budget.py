"""A budget, drawn: the sentences, then what a session takes with drafts and without."""

from collections.abc import Iterator, Mapping
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.digits import column_scale
from unvek.core.findings.budget import BY_LIKENESS, Budget, Session
from unvek.core.plain_text import clean
from unvek.core.stats.student import Estimate
from unvek.core.units import counted, duration_words
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import UNKNOWN, variant_text
from unvek.show.terminal.grid import Column, print_grid, told_of
from unvek.show.terminal.views import View


def print_budget(out: Console, found: Budget) -> None:
    drafts = found.drafts_of_each * found.wanted
    out.print(Text.assemble(
        f"{counted(drafts, 'draft')} with ", variant_text(found.drafts, found.drafts_form),
        f", {counted(found.wanted, 'final')} with ", variant_text(found.finals, found.finals_form),
    ))  # fmt: skip
    for words in _sentences(found):
        out.print(Text(clean(words)))
    out.print()
    print_grid(out, budget_columns(found))
    out.print()
    for note in found.notes:
        out.print(faint(clean(note)))


def _sentences(found: Budget) -> Iterator[str]:
    time = found.session["time_s"]
    alone = f"{found.drafts_of_each} finals for each, and no drafts, {_time(time.finals_alone)}"
    yield f"That takes {_time(_whole(time))}; {alone}."
    if found.pays_from_finals is None:
        yield "Drafts never pay: what they save in finals is less than what they take."
    else:
        sure = "" if found.pays_shown else ", as it seems: that they save time at all is not shown"
        yield f"Drafts pay from {counted(found.pays_from_finals, 'final')} on{sure}."
    foretold = found.foretold
    if foretold is None:
        yield ("Whether a draft tells its final is not known: it takes a likeness and tasks with two seeds and more, "
               "or marks by judges.")  # fmt: skip
        return
    ends = "" if foretold.low is None or foretold.high is None else (
        f", 95 % interval {100 * foretold.low:.0f} to {100 * foretold.high:.0f}")  # fmt: skip
    if foretold.by == BY_LIKENESS:
        what = "a draft is nearer to its own final than half the way to that of another seed"
    else:
        what = "the better of two drafts is the better of the two finals"
    yield f"In {100 * foretold.share:.0f} of 100 items {what} ({foretold.count} looked at{ends})."
    if foretold.high is not None and foretold.high < 0.5:
        yield "A draft that does not look like its final is no draft: nothing can be chosen by these."


def _whole(session: Session) -> Estimate:
    return Estimate(value=session.value, low=session.low, high=session.high)


def _time(found: Estimate) -> str:
    if found.low is None or found.high is None:
        return duration_words(found.value)
    return f"{duration_words(found.value)} ({duration_words(max(0.0, found.low))} to {duration_words(found.high)})"


def budget_columns(found: Budget) -> list[Column]:
    names = Column("a session", numeric=False, keep=10)
    for words in ("with drafts", "finals alone", "saved"):
        names.add(words)
    columns = [names]
    for name, session in found.session.items():
        columns += _of(name, session, found)
    return told_of(columns)


def _of(name: str, session: Session, found: Budget) -> Iterator[Column]:
    rows = (_whole(session), session.finals_alone, session.saved)
    unit = "s" if name == "time_s" else found.currency
    scale = column_scale(unit, ((one.value, one.low, one.high) for one in rows))
    value = Column("time" if name == "time_s" else name, scale.unit, keep=9)
    ends = Column("95 %", keep=8, whole_name=f"{name} (95 %)")
    for one in rows:
        value.add(scale.words(one.value))
        known = one.low is not None and one.high is not None
        ends.add(f"{scale.words(one.low or 0.0)} to {scale.words(one.high or 0.0)}" if known else UNKNOWN)
    yield from (value, ends)


def budget_records(found: Budget) -> list[Mapping[str, Any]]:
    records: list[Mapping[str, Any]] = []
    for place, words in enumerate(("with drafts", "finals alone", "saved")):
        record: dict[str, Any] = {"session": words}
        for name, session in found.session.items():
            one = (_whole(session), session.finals_alone, session.saved)[place]
            record |= {name: one.value, f"{name}.low": one.low, f"{name}.high": one.high}
        records.append(record)
    return records


BUDGET = View(print_budget, budget_columns, budget_records)
