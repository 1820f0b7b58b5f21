"""Who resembles whom, as a picture: a square for every two variants, darker the more alike; PNG or SVG."""

import numpy as np
from matplotlib.axes import Axes
from matplotlib.colors import LinearSegmentedColormap
from matplotlib.figure import Figure
from matplotlib.patches import Rectangle

from unvek.core.digits import column_scale
from unvek.core.findings.resemblance import Resemblance
from unvek.core.measures.definition import MORE
from unvek.core.plain_text import clean
from unvek.show.palette import FORM_COLOURS, INK, PAPER, SKY
from unvek.show.picture.plots.look import LABEL_SIZE, SHAPES, new_figure, titled

SHADES = LinearSegmentedColormap.from_list("alike", ["#ffffff", "#c9dbf2", SKY, "#123a6b"])
OWN = "#e7e1d4"
DARK_FROM = 0.55  # of the shades, where light letters are read better


def draw_matrix(found: Resemblance) -> Figure:
    """Draw a square for every two variants, with how alike they are."""
    figure = new_figure()
    axes = figure.add_subplot(facecolor=PAPER)
    values = _values(found)
    known = values[np.isfinite(values)]
    low, high = (float(known.min()), float(known.max())) if len(known) else (0.0, 1.0)
    more_is_alike = found.better == MORE
    _draw(axes, found, values, low, high, more_is_alike)
    _lay_out(axes, found, more_is_alike)
    figure.subplots_adjust(left=0.2, right=0.84, top=0.76, bottom=0.04)
    return figure


def _values(found: Resemblance) -> np.ndarray:
    names = [one.variant for one in found.variants]
    values = [[found.value(one, other) if one != other else None for other in names] for one in names]
    return np.array([[np.nan if value is None else value for value in row] for row in values], np.float64)


def _draw(axes: Axes, found: Resemblance, values: np.ndarray, low: float, high: float, more_is_alike: bool) -> None:
    scale = column_scale(found.unit, [(row.value, row.low, row.high) for row in found.rows])
    size = 13 if len(values) <= 10 else max(5, 130 // len(values))
    for (down, across), value in np.ndenumerate(values):
        share = (value - low) / (high - low) if high > low else 1.0
        shade = share if more_is_alike else 1 - share
        colour = OWN if down == across else SHADES(shade) if np.isfinite(value) else PAPER
        axes.add_patch(_square(across, down, colour))
        if np.isfinite(value):
            ink = PAPER if shade > DARK_FROM else INK
            axes.text(across, down, scale.words(float(value)), ha="center", va="center", color=ink, fontsize=size)


def _square(across: int, down: int, colour: object) -> Rectangle:
    return Rectangle((across - 0.48, down - 0.48), 0.96, 0.96, facecolor=colour, edgecolor="none")


def _lay_out(axes: Axes, found: Resemblance, more_is_alike: bool) -> None:
    count = len(found.variants)
    names = [clean(one.variant) for one in found.variants]
    axes.set_xlim(-0.5, count - 0.5)
    axes.set_ylim(count - 0.5, -0.5)
    axes.set_aspect("equal")
    axes.set_xticks(range(count), names, rotation=35 if count > 4 else 0, ha="left" if count > 4 else "center")
    axes.set_yticks(range(count), names)
    axes.xaxis.tick_top()
    axes.tick_params(colors=INK, length=0, labelsize=LABEL_SIZE, pad=4)
    axes.tick_params(axis="y", pad=24)
    for side in axes.spines.values():
        side.set_visible(False)
    for place, one in enumerate(found.variants):
        axes.plot(
            -0.66, place, SHAPES[one.form], color=FORM_COLOURS[one.form], markersize=8, clip_on=False
        )  # fmt: skip
    way = "more" if more_is_alike else "less"
    unit = f", {found.unit}" if found.unit else ""
    about = f"{clean(found.measure)}{unit} between every two variants: {way} is more alike, and darker"
    titled(axes.figure.get_figure(root=True), found.title, about)
