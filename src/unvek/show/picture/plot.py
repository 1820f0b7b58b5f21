"""A curve as a picture: every run a dot, what is typical with its interval, the fit as a thin line; PNG or SVG."""

import math
from pathlib import Path

import matplotlib

matplotlib.use("Agg")

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.ticker import FuncFormatter, LogLocator, NullFormatter, NullLocator

from unvek.core.digits import scale_for
from unvek.core.findings.curve.curve import Curve, CurveRow
from unvek.core.plain_text import clean
from unvek.core.stats.conclusions.fits import Line
from unvek.show.palette import FORM_COLOURS, INK, PAPER
from unvek.show.terminal.heads import head_of

SHAPES = {"full": "o", "quantized": "s", "distilled": "^", "tuned": "D", "mixed": "*"}
SIZE_INCHES, DOTS_PER_INCH = (12.8, 8.0), 100
LOG_FROM = 8.0  # an axis whose ends are further apart than this factor is logarithmic


def plot_curve(found: Curve, path: Path) -> None:
    """Draw the curve into a file; OSError where it can't be written."""
    figure = Figure(figsize=SIZE_INCHES, dpi=DOTS_PER_INCH, facecolor=PAPER)
    axes = figure.add_subplot(facecolor=PAPER)
    across = _Across(found)
    scale = scale_for(found.unit, (point.typical for row in found.rows for point in row.points))
    for place, row in enumerate(found.rows):
        _draw(axes, row, across, scale.divisor, place - (len(found.rows) - 1) / 2)
    _lay_out(axes, found, across, scale.unit)
    figure.subplots_adjust(left=0.08, right=0.86, top=0.88, bottom=0.1)
    saved(figure, path)


def saved(figure: Figure, path: Path) -> None:
    """Write a figure into a file, the same one each time; OSError where it can't be written."""
    with matplotlib.rc_context({"svg.fonttype": "none", "svg.hashsalt": "unvek"}):
        figure.savefig(path, facecolor=PAPER, metadata={"Date": None} if path.suffix.lower() == ".svg" else None)


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


def _draw(axes: Axes, row: CurveRow, across: _Across, divisor: float, aside: float) -> None:
    colour = FORM_COLOURS[row.form]
    x = np.array([across.at(point.value, aside) for point in row.points])
    y = np.array([point.typical for point in row.points]) / divisor
    for at, point in zip(x, row.points, strict=True):
        beside = across.at(point.value, aside - 0.55)
        dots = np.array(point.dots) / divisor
        axes.plot(np.full(len(dots), beside), dots, ".", color=colour, alpha=0.35, markersize=6, markeredgewidth=0)
        if point.low is not None and point.high is not None:
            axes.plot([at, at], [point.low / divisor, point.high / divisor], color=colour, linewidth=2.5, alpha=0.7)
    axes.plot(x, y, SHAPES[row.form], color=colour, markersize=9, markeredgecolor=PAPER)
    fitted = _fitted(row, x)
    through = (x, y) if fitted is None else (fitted[0], fitted[1] / divisor)
    axes.plot(*through, color=colour, linewidth=1, alpha=0.7)
    if row.plateau is not None and row.plateau.cheapest != row.plateau.best:
        place = [point.value for point in row.points].index(row.plateau.cheapest)
        axes.plot(x[place], y[place], "o", markersize=17, markerfacecolor="none", markeredgecolor=colour)
    axes.annotate(
        clean(row.variant), (x[-1], y[-1]), xytext=(12, 0), textcoords="offset points", color=colour, va="center",
        fontsize=11, annotation_clip=False,
    )  # fmt: skip


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
    axes.set_title(clean(found.title), loc="left", color=INK, fontsize=15, pad=26)
    about = f"{measure} over {clean(found.axis)}: a typical run, with its 95 % interval, every run a dot{ring}"
    axes.text(0, 1.02, about, transform=axes.transAxes, color=INK, fontsize=10, alpha=0.8)
    axes.set_xlabel(clean(found.axis), color=INK)
    axes.set_ylabel(measure, color=INK)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    for side in ("left", "bottom"):
        axes.spines[side].set_color(INK)
    axes.tick_params(colors=INK)
    axes.grid(axis="y", color=INK, alpha=0.12, linewidth=0.8)
    medians = [point.typical for row in found.rows for point in row.points]
    if min(medians) > 0 and max(medians) / min(medians) > LOG_FROM:
        axes.set_yscale("log")
        axes.yaxis.set_major_locator(LogLocator(subs=(1.0, 2.0, 5.0)))
        axes.yaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:g}"))
        axes.yaxis.set_minor_formatter(NullFormatter())
    if across.is_log:
        axes.set_xscale("log")
    labels = [f"{value:g}" if isinstance(value, float) else clean(value) for value in across.values]
    axes.set_xticks(list(across.places.values()), labels)
    axes.xaxis.set_minor_locator(NullLocator())
