"""A curve, drawn in the terminal: a row a value with its strip, then in words what the fits and the plateau say."""

from collections.abc import Callable, Mapping
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.digits import Scale, column_scale
from unvek.core.findings.curve.along import POSITION
from unvek.core.findings.curve.curve import Curve, CurveRow, Value
from unvek.core.measures.catalogue import TIME
from unvek.core.stats.student import Estimate
from unvek.core.units import bytes_words, duration_words, ratio_decimals
from unvek.show.palette import FORM_COLOURS, FORM_MARKS
from unvek.show.terminal.console import clean, faint
from unvek.show.terminal.figures import figure, unit_suffix, variant_text
from unvek.show.terminal.grid import Column, StripColumn, print_grid
from unvek.show.terminal.heads import HEADS
from unvek.show.terminal.measure_strips import MeasureStrip, measure_strips
from unvek.show.terminal.views import View

FITS_WELL = 0.1  # root mean square of the relative misfit, above which a fit is said not to hold
LEVEL = 0.05  # of an exponent: what grows less is level


def print_curve(out: Console, found: Curve) -> None:
    out.print(Text(clean(found.title), style="bold"))
    out.print(faint(f"{clean(found.measure)} over {clean(found.setting)}"))
    out.print()
    told = [row for row in found.rows if len(row.points) > 1]
    if not told:
        out.print(Text(f"Each variant has one value of {clean(found.setting)} only: vary it under [vary] for a curve."))
    for row in told:
        for place, words in enumerate(sentences(found, row)):
            mark = (f"{FORM_MARKS[row.form]} ", FORM_COLOURS[row.form]) if place == 0 else "  "
            name = (f"{clean(row.variant)}: ", "bold") if place == 0 else ""
            _print_hanging(out, Text.assemble(mark, name, words[0].upper() + words[1:]))
    out.print()
    print_grid(out, curve_columns(found), _strips(found))
    if found.notes:
        out.print()
    for note in found.notes:
        out.print(faint(clean(note)))


def _print_hanging(out: Console, text: Text) -> None:
    for place, line in enumerate(text.wrap(out, out.width - 2)):
        line.rstrip()
        out.print(line if place == 0 else Text.assemble("  ", line))


def sentences(found: Curve, row: CurveRow) -> list[str]:
    """Word what a variant's curve says; one sentence at least."""
    words = [_course(found, row), _plateau(found, row), *_fits(found, row), _long_or_short(found, row)]
    return [word for word in words if word] or ["no fit holds; the points tell what there is."]


def _course(found: Curve, row: CurveRow) -> str:
    """Along the run: what the last stretch is over the first."""
    if found.setting != POSITION or row.change is None:
        return ""
    change = row.change
    what = {"step.time": "a step", "gap.median": "a token", "memory.peak": "the memory"}.get(
        found.measure, found.measure
    )
    verb = "is" if found.measure == "memory.peak" else "takes"
    if change.low is None or change.high is None:
        return f"at the end {what} {verb} {change.value:.2f} times what it was at the beginning, in one launch."
    decimals = ratio_decimals(change.low, change.high)
    value, low, high = (f"{number:.{decimals}f}" for number in (change.value, change.low, change.high))
    ends = f"{value} times as much as at the beginning (95 %: {low} to {high})"
    if change.low <= 1 <= change.high:
        return f"at the end {what} {verb} what it was at the beginning, as far as can be told: {ends}."
    return f"at the end {what} {verb} {ends}."


def _plateau(found: Curve, row: CurveRow) -> str:
    if row.plateau is None or len(row.points) < 2 or found.measure == TIME:
        return ""
    best, cheapest = row.plateau.best, row.plateau.cheapest
    others = [value for value in row.plateau.as_good if value != best]
    said = f"best at {found.setting} {_value(best)}"
    if not others:
        return f"{said}; all other values are measurably worse."
    said += f"; {', '.join(map(_value, others))} {'is' if len(others) == 1 else 'are'} not measurably worse"
    return f"{said}, and the cheapest of these is {_value(cheapest)}." if cheapest != best else f"{said}, but dearer."


def _fits(found: Curve, row: CurveRow) -> list[str]:
    words = []
    fitted, power = row.fits.line, row.fits.power
    if found.setting == POSITION:
        return []
    if fitted is not None and fitted.misfit <= FITS_WELL:
        one = clean(found.setting).removesuffix("s")
        words.append(
            f"{_amount(fitted.fixed, found.unit)} fixed and {_amount(fitted.per_one, found.unit)} for each {one}, "
            f"which fits within {100 * fitted.misfit:.1f} %."
        )
    if power is not None and power.misfit <= FITS_WELL:
        exponent = _estimate(power.exponent, Scale("", 1))
        if abs(power.exponent.value) < LEVEL:
            words.append(f"twice the {clean(found.setting)} come to hardly more (exponent {exponent}).")
        else:
            doubling = _estimate(power.doubling, Scale("", 1))
            words.append(
                f"twice the {clean(found.setting)} come to {doubling} times as much: a power law with exponent "
                f"{exponent}, which fits within {100 * power.misfit:.1f} %."
            )
    return words


def _long_or_short(found: Curve, row: CurveRow) -> str:
    if not row.long_or_short:
        return ""
    widest = row.long_or_short[-1]
    share = _estimate(Estimate(value=widest.value, low=widest.low, high=widest.high), Scale("", 1))
    setting = clean(found.setting)
    return (f"one run with {widest.long:g} {setting} takes {share} times what {widest.times} with {widest.short:g} "
            "take together.")  # fmt: skip


def _amount(found: Estimate, unit: str) -> str:
    if unit not in ("s", "B"):
        return _estimate(found, Scale(unit, 1)) + (f" {unit}" if unit else "")
    words: Callable[[float], str] = duration_words if unit == "s" else bytes_words
    if found.value < 0:
        return (
            "nothing" if found.low is None or (found.high or 0) >= 0 else f"less than nothing (-{words(-found.value)})"
        )
    if found.low is None or found.high is None:
        return words(found.value)
    return f"{words(found.value)} ({words(max(0.0, found.low))} to {words(max(0.0, found.high))})"


def _estimate(found: Estimate, scale: Scale) -> str:
    if found.low is None or found.high is None:
        return figure(found.value, None, None, scale)
    decimals = ratio_decimals(found.low, found.high)
    return f"{found.value:.{decimals}f} ({found.low:.{decimals}f} to {found.high:.{decimals}f})"


def curve_columns(found: Curve) -> list[Column]:
    points = [(point.typical, point.low, point.high) for row in found.rows for point in row.points]
    scale = column_scale(found.unit, points)
    names, values = Column("variant", numeric=False, keep=10), Column(clean(found.axis), keep=10)
    counts, middles = Column("runs", keep=4), Column(HEADS.get(found.measure, clean(found.measure)), scale.unit, keep=9)
    for row in found.rows:
        for place, point in enumerate(row.points):
            names.add(variant_text(row.variant, row.form) if place == 0 else "")
            values.add(_value(point.value))
            counts.add(str(point.n))
            middles.add(figure(point.typical, point.low, point.high, scale))
    return [names, values, counts, middles]


def _strips(found: Curve) -> StripColumn:
    strips = [
        MeasureStrip(form=row.form, middle=point.typical, low=point.low, high=point.high, dots=point.dots)
        for row in found.rows
        for point in row.points
    ]
    return measure_strips(HEADS.get(found.measure, clean(found.measure)), found.unit, strips, after=2)


def _value(value: Value) -> str:
    return f"{value:g}" if isinstance(value, int | float) and not isinstance(value, bool) else clean(value)


def curve_records(found: Curve) -> list[Mapping[str, Any]]:
    suffix = unit_suffix(found.unit)
    return [
        {
            "variant": row.variant, "form": row.form, found.setting: point.value, "n": point.n,
            f"{found.measure}{suffix}": point.typical, f"{found.measure}.low{suffix}": point.low,
            f"{found.measure}.high{suffix}": point.high,
        }
        for row in found.rows
        for point in row.points
    ]  # fmt: skip


CURVE = View(print_curve, curve_columns, curve_records)
