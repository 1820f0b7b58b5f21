"""A tally, drawn: the sentences first, then how often each variant wins, and what is known of the judges."""

from collections.abc import Mapping, Sequence
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.findings.tally.found import GroupTold, JudgeTold, Share, Tally, ThingTold
from unvek.core.plain_text import clean
from unvek.core.units import counted, duration_words
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import UNKNOWN, variant_text, warning_text
from unvek.show.terminal.grid import Column, StripColumn, print_grid, told_of
from unvek.show.terminal.measure_strips import MeasureStrip, measure_strips
from unvek.show.terminal.views import View

MOST_SENTENCES, MOST_THINGS = 12, 8
EVEN_SHARE = 0.5


def print_tally(out: Console, found: Tally) -> None:
    for place, group in enumerate(found.groups):
        if place:
            out.print()
        _print_group(out, group, found.reference)
    out.print()
    print_grid(out, judge_columns(found.judges))
    out.print()
    for note in found.notes:
        out.print(faint(clean(note)))
    if any(group.rows for group in found.groups):
        over = " and ".join(dict.fromkeys(group.over for group in found.groups if group.rows))
        words = (f"Wins: how often a variant wins against {clean(found.reference)} where neither has the better side, "
                 f"as good being half a win. Intervals are over {over}, and hold for all rows together.")  # fmt: skip
        out.print(faint(words))


def _print_group(out: Console, group: GroupTold, reference: str) -> None:
    for sentence in group.sentences[:MOST_SENTENCES]:
        out.print(Text(clean(sentence[:1].upper() + sentence[1:]) + "."))
    if len(group.sentences) > MOST_SENTENCES:
        out.print(faint(f"{len(group.sentences) - MOST_SENTENCES} more pairs of variants: --as json has them all."))
    if group.ask_next:
        names = ", ".join(map(clean, group.ask_next))
        out.print(
            faint(f"Most would be learned next of {names}: 'unvek judge ballot --only {clean(group.ask_next[0])}'.")
        )
    simulated = ", simulated" if group.simulated else ""
    out.print(faint(f"{counted(group.verdicts, 'verdict')} by {clean(group.of)}{simulated}"
                    f"{_agreement_words(group)}{_longer_words(group.longer_wins)}."))  # fmt: skip
    if group.rows:
        out.print()
        print_grid(out, row_columns(group), _strips(group, reference))
    if group.marks:
        out.print()
        print_grid(out, mark_columns(group), _mark_strips(group))
    if group.expect:
        out.print()
        print_grid(out, expect_columns(group), _expect_strips(group))
        if missed := most_missed(group.expect):
            out.print()
            out.print(faint("What is missed most, of these:"))
            print_grid(out, thing_columns(missed))


def _agreement_words(group: GroupTold) -> str:
    found = group.agreement
    if found is None:
        return ""
    ends = f" ({found.low:.2f} to {found.high:.2f})" if found.low is not None and found.high is not None else ""
    return f"; they agree on {counted(found.pairs, 'pair')} beyond chance by {found.alpha:.2f}{ends} (1: throughout)"


def _longer_words(share: Share | None) -> str:
    if share is None or share.low is None or share.high is None or share.low <= EVEN_SHARE <= share.high:
        return ""
    which = "longer" if share.low > EVEN_SHARE else "shorter"
    count = share.count if which == "longer" else share.of - share.count
    return f"; the {which} text was taken {count} of {share.of} times"


def row_columns(group: GroupTold) -> list[Column]:
    variant, wins, interval = Column("variant", numeric=False, keep=10), Column("wins", keep=9), Column("95 %", keep=7)
    interval.whole_name = "the interval of wins"
    counts = [Column(head, keep=keep) for head, keep in (("won", 6), ("as good", 5), ("lost", 6))]
    for row in group.rows:
        is_reference = row.rating is not None and row.low is None and row.rating == EVEN_SHARE
        variant.add(variant_text(row.variant, row.form))
        wins.add(UNKNOWN if row.rating is None or is_reference else f"{row.rating:.2f}")
        interval.add(_ends(row.low_together, row.high_together))
        for column, count in zip(counts, (row.wins, row.ties, row.losses), strict=True):
            column.add(str(count))
    return told_of([variant, wins, interval, *counts])


def _strips(group: GroupTold, reference: str) -> StripColumn:
    rows = [
        MeasureStrip(
            form=row.form, middle=row.rating, low=row.low_together, high=row.high_together, reference=EVEN_SHARE
        )
        for row in group.rows
    ]  # fmt: skip
    return measure_strips(f"wins against {clean(reference)}", "", rows, span=(0.0, 1.0))


def _ends(low: float | None, high: float | None) -> str:
    return UNKNOWN if low is None or high is None else f"{low:.2f} to {high:.2f}"


def mark_columns(group: GroupTold) -> list[Column]:
    variant, mark, interval = Column("variant", numeric=False, keep=10), Column("mark", keep=9), Column("95 %", keep=7)
    count = Column("verdicts", keep=5)
    for row in group.marks:
        variant.add(variant_text(row.variant, row.form))
        mark.add(f"{row.mark:.0f}")
        ends = row.low is not None and row.high is not None
        interval.add(f"{row.low:.0f} to {row.high:.0f}" if ends else UNKNOWN)
        count.add(str(row.verdicts))
    return told_of([variant, mark, interval, count])


def _mark_strips(group: GroupTold) -> StripColumn:
    rows = [MeasureStrip(form=row.form, middle=row.mark, low=row.low, high=row.high) for row in group.marks]
    return measure_strips("mark", "", rows, span=(0.0, 100.0))


def expect_columns(group: GroupTold) -> list[Column]:
    variant, share = Column("variant", numeric=False, keep=10), Column("is there", keep=9)
    interval, numbers = Column("95 %", keep=7), _said_columns()
    interval.whole_name = "the interval of what is there"
    for row in group.expect_by_variant:
        variant.add(variant_text(row.variant, row.form))
        share.add(f"{row.share:.2f}")
        interval.add(_ends(row.low, row.high))
        for column, count in zip(numbers, (row.there, row.partly, row.missing, row.unsure), strict=True):
            column.add(str(count))
    return told_of([variant, share, interval, *numbers])


def _expect_strips(group: GroupTold) -> StripColumn:
    rows = [
        MeasureStrip(form=row.form, middle=row.share, low=row.low, high=row.high) for row in group.expect_by_variant
    ]
    return measure_strips("of what is expected", "", rows, span=(0.0, 1.0))


def _said_columns() -> list[Column]:
    return [Column(head, keep=4) for head in ("there", "partly", "missing", "can't tell")]


def most_missed(things: Sequence[ThingTold]) -> list[ThingTold]:
    """Return the things of which least is there, the worst first."""
    missed = [thing for thing in things if thing.share is not None and thing.share < 1]
    return sorted(missed, key=lambda thing: (thing.share or 0.0, -thing.missing))[:MOST_THINGS]


def thing_columns(things: Sequence[ThingTold]) -> list[Column]:
    names = ("variant", "task", "thing")
    columns = [Column(name, numeric=False, keep=10 - place) for place, name in enumerate(names)]
    numbers = _said_columns()
    share, interval = Column("share", keep=7), Column("95 %", keep=5)
    for row in things:
        for column, name in zip(columns, names, strict=True):
            column.add(clean(getattr(row, name)))
        for column, count in zip(numbers, (row.there, row.partly, row.missing, row.unsure), strict=True):
            column.add(str(count))
        share.add(UNKNOWN if row.share is None else f"{row.share:.2f}")
        interval.add(_ends(row.low, row.high))
    return told_of([*columns, *numbers, share, interval])


def judge_columns(judges: Sequence[JudgeTold]) -> list[Column]:
    judge, sort = Column("judge", numeric=False, keep=10), Column("", numeric=False, keep=3)
    verdicts, unreadable = Column("verdicts", keep=8), Column("unreadable", numeric=False, keep=7)
    itself, steady = (
        Column("agrees with itself", numeric=False, keep=6),
        Column("one twice, as good", numeric=False, keep=5),
    )
    took, cost = Column("a verdict", keep=4), Column("cost", keep=4)
    for row in judges:
        judge.add(clean(row.judge))
        sort.add(faint(row.sort + (", simulated" if row.simulated else "")))
        verdicts.add(str(row.verdicts))
        unreadable.add(warning_text(str(row.unreadable)) if row.unreadable else UNKNOWN)
        itself.add(_of(row.self_agreement))
        steady.add(_of(row.steadiness))
        took.add(UNKNOWN if row.took_s is None else duration_words(row.took_s))
        cost.add(f"{row.usage['cost']:.4g}" if row.usage.get("cost") else UNKNOWN)
    return told_of([judge, sort, verdicts, unreadable, itself, steady, took, cost])


def _of(share: Share) -> str:
    if share.low is None or share.high is None:
        return UNKNOWN
    return f"{share.count} of {share.of} ({share.low:.2f} to {share.high:.2f})"


def tally_columns(found: Tally) -> list[Column]:
    return row_columns(found.groups[0]) if found.rows else judge_columns(found.judges)


def tally_records(found: Tally) -> list[Mapping[str, Any]]:
    return [
        {
            "of": group.of, "sort": group.sort, "variant": row.variant, "form": row.form, "rating": row.rating,
            "low": row.low, "high": row.high, "wins": row.wins, "ties": row.ties, "losses": row.losses,
        }
        for group in found.groups
        for row in group.rows
    ]  # fmt: skip


TALLY = View(print_tally, tally_columns, tally_records)
