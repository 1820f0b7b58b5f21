"""A curve as a picture: every run a dot, what is typical with its interval, the fit as a thin line; PNG or SVG."""

import math

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.ticker import NullLocator

from unvek.core.digits import scale_for
from unvek.core.findings.curve.curve import Curve, CurveRow
from unvek.core.plain_text import clean
from unvek.core.stats.conclusions.fits import Line
from unvek.show.palette import FORM_COLOURS, INK
from unvek.show.picture.plots.look import FAINT, LOG_FROM, SMALL_SIZE, bar, bare, mark, new_figure, scaled, titled
from unvek.show.picture.plots.names import Named, name_marks
from unvek.show.terminal.heads import head_of

BESIDE_PIXELS = 110.0  # to the right of the axes, for names


def draw_curve(found: Curve) -> Figure:
    """Draw the points of every variant with their intervals and runs, and the fit that is said, or a line."""
    figure = new_figure()
    axes = figure.subplots()
    figure.subplots_adjust(left=0.08, right=0.9, top=0.86, bottom=0.1)
    across = _Across(found)
    scale = scale_for(found.unit, (point.typical for row in found.rows for point in row.points))
    ends = [
        _draw(axes, row, across, scale.divisor, place - (len(found.rows) - 1) / 2)
        for place, row in enumerate(found.rows)
    ]
    _lay_out(axes, found, across, scale.unit)
    dots = [(across.at(point.value, aside), value / scale.divisor) for place, row in enumerate(found.rows)
            for aside in (place - (len(found.rows) - 1) / 2,) for point in row.points
            for value in (point.typical, *point.dots)]  # fmt: skip
    name_marks(axes, ends, dots=dots, beyond=BESIDE_PIXELS)
    return figure


class _Across:
    """Where each value stands: numbers at themselves, other values side by side."""

    def __init__(self, found: Curve):
        self.values = list(dict.fromkeys(point.value for row in found.rows for point in row.points))
        are_numbers = all(isinstance(value, int | float) and not isinstance(value, bool) for value in self.values)
        self.places = {value: float(value) if are_numbers else float(n) for n, value in enumerate(self.values)}
        ordered = sorted(self.places.values())
        self.is_log = are_numbers and ordered[0] > 0 and ordered[-1] / ordered[0] > LOG_FROM
        on_axis = np.log(ordered) if self.is_log else np.array(ordered)
        self._aside = 0.012 * (on_axis[-1] - on_axis[0] if len(ordered) > 1 else 1.0)

    def at(self, value: object, aside: float) -> float:
        """Where a value stands, moved aside by so many widths of a mark, so that variants at one value stay apart."""
        place = self.places[value]  # type: ignore[index]
        return place * math.exp(aside * self._aside) if self.is_log else place + aside * self._aside


def _draw(axes: Axes, row: CurveRow, across: _Across, divisor: float, aside: float) -> Named:
    """Draw one variant, and return where its line ends."""
    colour = FORM_COLOURS[row.form]
    x = np.array([across.at(point.value, aside) for point in row.points])
    y = np.array([point.typical for point in row.points]) / divisor
    for at, point in zip(x, row.points, strict=True):
        beside = across.at(point.value, aside - 0.55)
        dots = np.array(point.dots) / divisor
        axes.plot(np.full(len(dots), beside), dots, ".", color=colour, alpha=FAINT, markersize=6, markeredgewidth=0)
        ends = tuple(None if end is None else end / divisor for end in (point.low, point.high))
        bar(axes, (ends[0], ends[1]), at, row.form, upright=True)
    for at, height in zip(x.tolist(), y.tolist(), strict=True):
        mark(axes, at, height, row.form)
    fitted = _fitted(row, x)
    through = (x, y) if fitted is None else (fitted[0], fitted[1] / divisor)
    axes.plot(*through, color=colour, linewidth=1, alpha=0.7)
    if row.plateau is not None and row.plateau.cheapest != row.plateau.best:
        place = [point.value for point in row.points].index(row.plateau.cheapest)
        axes.plot(x[place], y[place], "o", markersize=17, markerfacecolor="none", markeredgecolor=colour)
    return Named(row.variant, float(x[-1]), float(y[-1]), row.form)


def _fitted(row: CurveRow, x: np.ndarray) -> tuple[np.ndarray, np.ndarray] | None:
    """The form that is said, if one is."""
    fit, at = row.fits.said, np.linspace(x.min(), x.max(), 200)
    if fit is None:
        return None
    if isinstance(fit, Line):
        return at, fit.fixed.value + fit.per_one.value * at
    return at, fit.factor * at**fit.exponent.value


def _lay_out(axes: Axes, found: Curve, across: _Across, unit: str) -> None:
    measure = f"{head_of(found.measure)}{f', {unit}' if unit else ''}"
    has_ring = any(row.plateau is not None and row.plateau.cheapest != row.plateau.best for row in found.rows)
    ring = "; ringed: the cheapest not worse than the best by more than the margin" if has_ring else ""
    about = f"{measure} over {clean(found.axis)}: a typical run, with its 95 % interval, every run a dot{ring}"
    titled(axes.figure.get_figure(root=True), found.title, about)
    bare(axes)
    axes.set_xlabel(clean(found.axis), color=INK, fontsize=SMALL_SIZE + 1)
    axes.set_ylabel(measure, color=INK, fontsize=SMALL_SIZE + 1)
    scaled(axes.yaxis, [point.typical for row in found.rows for point in row.points])
    if across.is_log:
        axes.set_xscale("log")
    labels = [f"{value:g}" if isinstance(value, float) else clean(value) for value in across.values]
    axes.set_xticks(list(across.places.values()), labels)
    axes.xaxis.set_minor_locator(NullLocator())
