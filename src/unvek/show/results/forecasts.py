"""Forecasts, drawn: how often they held, by what they went by, and for whole sessions."""

from collections.abc import Mapping
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.digits import scale_for
from unvek.core.findings.log.forecasts import ForecastScores, OthersWord, SessionScored
from unvek.core.plain_text import clean
from unvek.core.units import counted, duration_words, range_words, times_words
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import UNKNOWN, figure, variant_text, warning_text
from unvek.show.terminal.grid import Column, StripColumn, print_grid
from unvek.show.terminal.measure_strips import MeasureStrip, time_strips
from unvek.show.terminal.views import View

ROWS_SHOWN = 40
AIM = "the aim is 9 in 10"


def print_forecasts(out: Console, found: ForecastScores) -> None:
    if not found.rows:
        out.print("No run was foreseen yet: the first of each kind teaches what the next ones will take.")
        return
    if found.forecasts:
        share = 100 * found.held / found.forecasts
        held = f"The time foreseen held for {found.held} of {counted(found.forecasts, 'run')}"
        out.print(Text.assemble((held, "bold"), f" ({share:.0f} %; {AIM})."))
    for basis in found.bases:
        out.print(Text(f"  by the {clean(basis.basis)}: {basis.held} of {basis.forecasts}, the range's end "
                       f"{basis.width:.2f}x its beginning in the middle"))  # fmt: skip
    for other in found.others:
        out.print(_other(other))
    if found.unforeseen:
        out.print(faint(f"  {counted(found.unforeseen, 'run')} had nothing like them before, and no forecast."))
    for session in found.sessions:
        out.print(_session(session))
    out.print()
    shown = found.rows[-ROWS_SHOWN:]
    strips = time_strips(
        [MeasureStrip(form=row.form, middle=row.time_s, low=row.low_s, high=row.high_s) for row in shown], after=2
    )
    print_grid(out, forecast_columns(found, ROWS_SHOWN), StripColumn("foreseen, " + strips.head, strips.draw, 2))
    if len(found.rows) > ROWS_SHOWN:
        out.print()
        out.print(faint(f"The latest {ROWS_SHOWN} of {len(found.rows)}; --as csv has all."))


def _other(other: OthersWord) -> Text:
    """What came of another program's own word: no range that could hold, but so many times what it said."""
    said = counted(other.forecasts, "run")
    words = f" took {times_words(other.factor)} what its own program foresaw, in {said}"
    if other.forecasts > 1:
        words += f", from {times_words(other.low)} to {times_words(other.high)}"
    return Text.assemble(variant_text(other.variant, other.form), words)


def _session(session: SessionScored) -> Text:
    words = f"  {clean(session.made[:16].replace('T', ' '))}, {counted(session.runs, 'run')} together: foreseen "
    words += range_words(session.low_s, session.high_s)
    if session.took_s is None:
        return faint(words + "; not made in one go")
    held = Text(" held") if session.held else warning_text(" missed")
    return Text(f"{words}, took {duration_words(session.took_s)},") + held


def forecast_columns(found: ForecastScores, most: int | None = None) -> list[Column]:
    rows = found.rows[-most:] if most is not None else found.rows
    scale = scale_for("s", (row.high_s for row in rows))
    names = ("run", "variant", "from", "to", "took", "held", "by the")
    run, variant, low, high, took, held, basis = (
        Column(
            name, scale.unit if name in ("from", "to", "took") else "", numeric=name in ("run", "from", "to", "took")
        )
        for name in names
    )
    for row in rows:
        run.add(str(row.run))
        variant.add(variant_text(row.variant, row.form) + faint(" cold" if row.cold else ""))
        low.add(figure(row.low_s, row.low_s, row.high_s, scale))
        high.add(figure(row.high_s, row.low_s, row.high_s, scale))
        took.add(figure(row.time_s, None, None, scale))
        held.add(UNKNOWN if row.held is None else Text("yes") if row.held else warning_text("no"))
        basis.add(clean(row.basis or UNKNOWN))
    return [run, variant, low, high, took, held, basis]


def forecast_records(found: ForecastScores) -> list[Mapping[str, Any]]:
    return [{name: getattr(row, name) for name in row.__slots__} for row in found.rows]


FORECASTS = View(print_forecasts, forecast_columns, forecast_records)
