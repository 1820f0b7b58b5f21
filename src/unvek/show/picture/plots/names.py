"""Names beside the marks of a plot, where they cover neither each other nor the marks."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.transforms import Bbox

from unvek.core.plain_text import clean
from unvek.show.palette import FORM_COLOURS, INK
from unvek.show.picture.plots.look import LABEL_SIZE

AROUND_MARK, AROUND_DOT = 9.0, 4.0  # pixels to each side that a mark takes, or a dot
DISTANCES = (12.0, 22.0, 36.0, 54.0, 76.0)
MOST_DOTS = 1000  # that names keep clear of: each is looked at for every place that a name may have
LEADS_FROM = 30.0  # pixels, from which on a line leads from a name to its mark
DIRECTIONS = ((1, 0), (-1, 0), (0, 1), (0, -1), (0.8, 0.7), (-0.8, 0.7), (0.8, -0.7), (-0.8, -0.7))


@dataclass(frozen=True, slots=True)
class Named:
    """A mark with its name: where it stands, in the axes' own units, and the boxes of its intervals."""

    name: str
    x: float
    y: float
    form: str
    is_bold: bool = False


def name_marks(
    axes: Axes, marks: Sequence[Named], bars: Sequence[tuple[float, float, float, float]] = (),
    dots: Sequence[tuple[float, float]] = (), beyond: float = 0.0,
) -> None:  # fmt: skip
    """Write each mark's name where there is room, the bold ones first.

    bars: (x, y, x, y) of lines, and dots, which may be covered where there is no other place; beyond: how many pixels
    to the right of the axes are free for names.
    """
    axes.autoscale_view()  # which else would wait until it is drawn: then marks stand elsewhere
    canvas = FigureCanvasAgg(axes.figure.get_figure(root=True))
    renderer = canvas.get_renderer()  # type: ignore[no-untyped-call]

    def pixels(x: float, y: float) -> tuple[float, float]:
        at = axes.transData.transform((x, y))
        return float(at[0]), float(at[1])

    taken = [_around(pixels(mark.x, mark.y), AROUND_MARK) for mark in marks]
    lines = [Bbox([pixels(x0, y0), pixels(x1, y1)]) for x0, y0, x1, y1 in bars]
    lines += [_around(pixels(x, y), AROUND_DOT) for x, y in dots[:: max(1, len(dots) // MOST_DOTS)]]
    frame = axes.get_window_extent(renderer)
    frame = Bbox([[frame.xmin, frame.ymin], [frame.xmax + beyond, frame.ymax]])
    for mark in sorted(marks, key=lambda one: not one.is_bold):
        weight = "bold" if mark.is_bold else "normal"
        at = pixels(mark.x, mark.y)
        text = axes.annotate(
            clean(mark.name), (mark.x, mark.y), xytext=(0, 0), textcoords="offset pixels", va="center", ha="center",
            color=FORM_COLOURS[mark.form], fontsize=LABEL_SIZE, fontweight=weight, annotation_clip=False, zorder=6,
        )  # fmt: skip
        size = text.get_window_extent(renderer)
        places = [(dx * (distance + size.width / 2 if dx else 0), dy * (distance + (size.height / 2 if not dx else 0)))
                  for distance in DISTANCES for dx, dy in DIRECTIONS]  # fmt: skip
        best = min(places, key=lambda place: _worth(_box(at, place, size), place, taken, lines, frame))
        text.set_position(best)
        taken.append(_box(at, best, size))
        if math.hypot(*best) - size.width / 2 > LEADS_FROM:
            axes.annotate("", (mark.x, mark.y), xytext=best, textcoords="offset pixels",
                          arrowprops={"arrowstyle": "-", "color": INK, "alpha": 0.4, "linewidth": 0.8})  # fmt: skip


def _box(at: tuple[float, float], offset: tuple[float, float], size: Bbox) -> Bbox:
    x, y = at[0] + offset[0], at[1] + offset[1]
    return Bbox([[x - size.width / 2 - 2, y - size.height / 2 - 1], [x + size.width / 2 + 2, y + size.height / 2 + 1]])


def _around(at: tuple[float, float], reach: float) -> Bbox:
    return Bbox([[at[0] - reach, at[1] - reach], [at[0] + reach, at[1] + reach]])


def _worth(box: Bbox, offset: tuple[float, float], taken: Sequence[Bbox], lines: Sequence[Bbox], frame: Bbox) -> float:
    """How bad a place is: names and marks must not be covered, bars should not be, and near is better than far."""
    covered = sum(_shared(box, other) for other in taken)
    crossed = sum(_touches(box, line) for line in lines)
    outside = box.width * box.height - _shared(box, frame)
    return 100 * covered + 60 * max(0.0, outside) + 400 * crossed + math.hypot(*offset)


def _shared(one: Bbox, other: Bbox) -> float:
    across = min(one.xmax, other.xmax) - max(one.xmin, other.xmin)
    up = min(one.ymax, other.ymax) - max(one.ymin, other.ymin)
    return across * up if across > 0 and up > 0 else 0.0


def _touches(box: Bbox, line: Bbox) -> bool:
    return box.xmin <= line.xmax and line.xmin <= box.xmax and box.ymin <= line.ymax and line.ymin <= box.ymax
