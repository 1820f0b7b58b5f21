"""A curve, drawn in the terminal: a row a value with its strip, then in words what the fits and the plateau say."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.digits import Scale, column_scale
from unvek.core.findings.curve.along import POSITION
from unvek.core.findings.curve.curve import Curve, CurveRow, PlateauFound
from unvek.core.findings.curve.over import CLIENTS, Value
from unvek.core.measures.catalogue import TIME
from unvek.core.plain_text import clean
from unvek.core.stats.conclusions.fits import Line
from unvek.core.stats.student import Estimate
from unvek.core.units import bytes_words, counted, decimals_for, duration_words, ratio_decimals
from unvek.show.palette import FORM_COLOURS, FORM_MARKS
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import figure, unit_suffix, variant_text
from unvek.show.terminal.grid import Column, StripColumn, print_grid
from unvek.show.terminal.heads import head_of
from unvek.show.terminal.measure_strips import MeasureStrip, measure_strips
from unvek.show.terminal.views import View

LEVEL = 0.05  # of an exponent: what grows less is level
NO_FORM = (
    "clients wait for each other, so that no form is fitted; a rate.NAME.sum tells from how many on they only wait."
)


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
    words = [
        _formed(found, row),
        _course(found, row),
        _plateau(found, row),
        *_fits(found, row),
        _long_or_short(found, row),
    ]
    if found.setting == CLIENTS:
        words.append(NO_FORM if found.unit == "s" else "")
    return [word for word in words if word] or ["no form fits; the points tell what there is."]


def _formed(found: Curve, row: CurveRow) -> str:
    """From when on a picture is nearly what it comes to."""
    formed = row.formed
    if formed is None:
        return ""
    if formed.steps is None:
        return f"nothing before the end is within {formed.within:g} of it in every run."
    out_of = f" of {formed.of}" if formed.of is not None else ""
    over = f" ({formed.low} to {formed.high} over {counted(formed.runs, 'run')})" if formed.low != formed.high else ""
    return f"after {formed.steps}{out_of} steps it is within {formed.within:g} of the end{over}."


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
    plateau = row.plateau
    if plateau is None or len(row.points) < 2 or found.measure == TIME:
        return ""
    if found.setting == CLIENTS and found.measure.endswith(".sum"):
        return _knee(plateau)
    best, cheapest, setting = plateau.best, plateau.cheapest, clean(found.setting)
    others = [value for value in plateau.as_good if value != best]
    said = [f"best at {setting} {_value(best)}"]
    if others:
        said.append(f"{_and(others)} {_is(others)} not worse by more than {plateau.margin}")
    if cheapest != best:
        said.append(f"and the cheapest of these is {_value(cheapest)}")
    elif others:
        said.append("but dearer")
    if plateau.worse:
        said.append(f"{_and(plateau.worse)} {_is(plateau.worse)} worse")
    if plateau.untold:
        said.append(f"of {_and(plateau.untold)} it can't be told")
    return "; ".join(said).replace("; and", ", and").replace("; but", ", but") + "."


def _knee(plateau: PlateauFound) -> str:
    """How many clients fill a server: the fewest with which all together get as much as with the best number."""
    best, fill = plateau.best, plateau.cheapest
    if fill != best:
        said = [f"{_value(fill)} {'client fills' if fill == 1 else 'clients fill'} it: with more they only wait"]
    else:
        said = [f"all together get the most with {_value(best)} of them"]
    if plateau.worse:
        said.append(f"with {_and(plateau.worse)} they get less")
    if plateau.untold:
        said.append(f"whether {_and(plateau.untold)} get less by more than {plateau.margin} can't be told")
    return "; ".join(said) + "."


def _and(values: Sequence[Value]) -> str:
    words = [_value(value) for value in values]
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"


def _is(values: Sequence[Value]) -> str:
    return "is" if len(values) == 1 else "are"


def _fits(found: Curve, row: CurveRow) -> list[str]:
    """The one form that fits best, if one does, between the values that were run."""
    fit = None if found.setting == POSITION else row.fits.said
    if fit is None:
        return []
    setting = clean(found.setting)
    fits = f"which fits within {100 * fit.misfit:.1f} %"
    if isinstance(fit, Line):
        return [f"{_line_words(fit, found.unit, setting)}, {fits}."]
    exponent = _estimate(fit.exponent, Scale("", 1))
    if abs(fit.exponent.value) < LEVEL:
        return [f"twice the {setting} come to hardly more (exponent {exponent})."]
    doubling = _estimate(fit.doubling, Scale("", 1))
    return [f"twice the {setting} come to {doubling} times as much: a power law with exponent {exponent}, {fits}."]


def _line_words(fit: Line, unit: str, setting: str) -> str:
    """A time or a memory has a fixed part; of a rate or a score it is said whether it rises or falls."""
    each = setting.removesuffix("s").replace(".", " ")
    if unit in ("s", "B"):
        return f"{_amount(fit.fixed, unit)} fixed and {_amount(fit.per_one, unit)} for each {each}"
    slope = fit.per_one
    if slope.low is not None and slope.high is not None and slope.low <= 0 <= slope.high:
        return f"whether it rises or falls can't be told: {_amount(slope, unit)} for each {each}"
    way, by = ("rises", slope) if slope.value > 0 else ("falls", _negative(slope))
    return f"it {way} by {_amount(by, unit)} for each {each}, from {_amount(fit.fixed, unit)} at 0"


def _negative(found: Estimate) -> Estimate:
    low, high = (None if end is None else -end for end in (found.high, found.low))
    return Estimate(value=-found.value, low=low, high=high)


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
        return _in_its_digits(found) + (f" {unit}" if unit else "")
    words: Callable[[float], str] = duration_words if unit == "s" else bytes_words
    if found.value < 0 and (found.low is None or (found.high or 0) < 0):
        return "nothing" if found.low is None else f"less than nothing (-{words(-found.value)})"
    if found.low is None or found.high is None:
        return words(found.value)
    if found.low <= 0:
        return f"up to {words(max(0.0, found.high))}"
    return f"{words(found.value)} ({words(found.low)} to {words(found.high)})"


def _in_its_digits(found: Estimate) -> str:
    """Word an amount and its ends with as many digits as its interval supports."""
    decimals = decimals_for(found.value, found.low, found.high)
    value, *ends = (None if one is None else f"{one:.{decimals}f}" for one in (found.value, found.low, found.high))
    return f"{value}" if None in ends else f"{value} ({ends[0]} to {ends[1]})"


def _estimate(found: Estimate, scale: Scale) -> str:
    if found.low is None or found.high is None:
        return figure(found.value, None, None, scale)
    decimals = ratio_decimals(found.low, found.high)
    return f"{found.value:.{decimals}f} ({found.low:.{decimals}f} to {found.high:.{decimals}f})"


def curve_columns(found: Curve) -> list[Column]:
    points = [(point.typical, point.low, point.high) for row in found.rows for point in row.points]
    scale = column_scale(found.unit, points)
    names, values = Column("variant", numeric=False, keep=10), Column(clean(found.axis), keep=10)
    counts, middles = Column("runs", keep=4), Column(head_of(found.measure), scale.unit, keep=9)
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
    return measure_strips(head_of(found.measure), found.unit, strips, after=2)


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
