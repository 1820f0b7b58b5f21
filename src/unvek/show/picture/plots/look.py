"""The one look of all plots: paper and ink, marks by form, intervals as bars, axes in units, files and pages."""

import io
import re
from collections.abc import Iterable
from pathlib import Path

import matplotlib
from matplotlib.axes import Axes
from matplotlib.axis import Axis, XAxis
from matplotlib.figure import Figure
from matplotlib.ticker import FuncFormatter, LogLocator, MaxNLocator, NullFormatter, NullLocator

from unvek.core.errors import InputError
from unvek.core.plain_text import clean
from unvek.show.palette import FORM_COLOURS, INK, PAPER

matplotlib.use("Agg")
matplotlib.rcParams["text.parse_math"] = False  # a title with dollars in it is no formula

SHAPES = {"full": "o", "quantized": "s", "distilled": "^", "tuned": "D", "mixed": "*"}
MARK_SIZES = {"full": 9, "quantized": 8.5, "distilled": 10, "tuned": 8, "mixed": 13}
SIZE_INCHES, DOTS_PER_INCH = (12.8, 8.0), 100
FEW_FROM, NARROW_TICKS = 12.0, 4
LOG_FROM = 8.0  # an axis whose ends are further apart than this factor is logarithmic
LABEL_SIZE, SMALL_SIZE, TITLE_SIZE = 11, 10, 15
FAINT = 0.35
TITLE, TITLE_POINTS = "title", 36  # in a page, which has titles of its own, it is left out


def new_figure(size_inches: tuple[float, float] = SIZE_INCHES) -> Figure:
    return Figure(figsize=size_inches, dpi=DOTS_PER_INCH, facecolor=PAPER)


def titled(figure: Figure, title: str, about: str) -> None:
    """Say what is drawn, at the head: the title, and under it what stands for what."""
    height = figure.get_size_inches()[1]
    figure.text(0.03, 1 - 0.34 / height, clean(title), color=INK, fontsize=TITLE_SIZE, va="center", gid=TITLE)
    figure.text(0.03, 1 - 0.64 / height, clean(about), color=INK, fontsize=SMALL_SIZE, alpha=0.8, va="center")


def bare(axes: Axes, left: bool = True) -> None:
    """Take away what says nothing: boxes, and ticks on a side without numbers."""
    axes.set_facecolor(PAPER)
    for side in ("top", "right", *(() if left else ("left",))):
        axes.spines[side].set_visible(False)
    for side in ("left", "bottom"):
        axes.spines[side].set_color(INK)
        axes.spines[side].set_linewidth(0.8)
    axes.tick_params(colors=INK, labelsize=SMALL_SIZE)
    axes.grid(axis="both" if left else "x", color=INK, alpha=0.1, linewidth=0.8)
    axes.set_axisbelow(True)


def scaled(axis: Axis, values: Iterable[float | None], is_narrow: bool = False) -> bool:
    """Make an axis logarithmic where its values lie far apart, and say whether it is. A narrow one has few numbers."""
    known = [value for value in values if value is not None]
    is_log = bool(known) and min(known) > 0 and max(known) / min(known) > LOG_FROM
    if is_log:
        is_across = isinstance(axis, XAxis)
        (axis.axes.set_xscale if is_across else axis.axes.set_yscale)("log")
        few = is_narrow and max(known) / min(known) > FEW_FROM
        axis.set_major_locator(LogLocator(subs=(1.0,) if few else (1.0, 2.0, 5.0)))
        axis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:g}"))
        axis.set_minor_formatter(NullFormatter())
        axis.set_minor_locator(NullLocator())
    elif is_narrow:
        axis.set_major_locator(MaxNLocator(NARROW_TICKS))
    return is_log


def mark(axes: Axes, x: float, y: float, form: str, faint: bool = False) -> None:
    """A variant's mark, by its form; one that is beaten is hollow and faint."""
    axes.plot(
        [x], [y], SHAPES[form], color=FORM_COLOURS[form], markersize=MARK_SIZES[form], zorder=5,
        markerfacecolor=PAPER if faint else FORM_COLOURS[form], markeredgecolor=FORM_COLOURS[form] if faint else PAPER,
        markeredgewidth=1.5 if faint else 1.0,
    )  # fmt: skip


def bar(axes: Axes, ends: tuple[float | None, float | None], at: float, form: str, upright: bool = False,
        faint: bool = False) -> None:  # fmt: skip
    """An interval, where both of its ends are known."""
    low, high = ends
    if low is None or high is None:
        return
    along, across = [low, high], [at, at]
    x, y = (across, along) if upright else (along, across)
    axes.plot(
        x, y, color=FORM_COLOURS[form], linewidth=2.5, alpha=FAINT if faint else 0.75, solid_capstyle="butt", zorder=4
    )


def saved(figure: Figure, path: Path) -> None:
    """Write a figure into a file, the same one each time; InputError where it can't be written."""
    try:
        with matplotlib.rc_context({"svg.fonttype": "none", "svg.hashsalt": "unvek"}):
            figure.savefig(path, facecolor=PAPER, metadata={"Date": None} if path.suffix.lower() == ".svg" else None)
    except OSError as error:
        raise InputError(f"{path} can't be written: {error.strerror}") from error


# ---- in a page ----

_FILLED = re.compile(r' fill="(#[0-9a-f]{6})"')
_TITLE = re.compile(rf'<g id="{TITLE}">.*?</g>', re.DOTALL)
_STYLED = re.compile(r' style="([^"]*)"')
_FONT = re.compile(r"(?P<size>[\d.]+)px\s+'?(?P<family>[^;]*)")
_OWN_STYLE = re.compile(r"<defs>\s*<style.*?</style>\s*</defs>", re.DOTALL)
_KEPT = ("fill", "stroke", "stroke-width", "stroke-opacity", "fill-opacity", "opacity", "stroke-dasharray",
         "stroke-linejoin", "stroke-linecap", "text-anchor", "font-size", "stroke-dashoffset")  # fmt: skip


def inline_svg(figure: Figure, name: str, says: str) -> str:
    """Return a figure as SVG that may stand in a page whose policy allows no styles but the page's own.

    name: of letters, no other figure's of the page; says: what it shows, for whoever does not see it. Colours that are
    those of the look are left to the page, by class: it may be dark.
    """
    out = io.StringIO()
    with matplotlib.rc_context({"svg.fonttype": "none", "svg.hashsalt": name, "svg.id": name}):
        figure.savefig(
            out, format="svg", transparent=True, metadata={"Date": None, "Creator": None, "Format": None, "Type": None}
        )
    drawn = out.getvalue()
    drawn = drawn[drawn.index("<svg") :]
    drawn = _OWN_STYLE.sub("", re.sub(r"<metadata>.*?</metadata>", "", drawn, flags=re.DOTALL))
    drawn = _STYLED.sub(_as_attributes, drawn)
    head, _, rest = drawn.partition(">")
    rest = _TITLE.sub("", rest)  # a page has titles of its own
    view = re.search(r'viewBox="0 0 ([\d.]+) ([\d.]+)"', head)
    width, high = (float(view[1]), float(view[2])) if view else (1.0, 1.0)
    rest = _FILLED.sub(lambda found: f' class="fill-{_NAMED[found[1]]}"' if found[1] in _NAMED else found[0], rest)
    label = clean(says).replace("&", "&amp;").replace('"', "&quot;").replace("<", "&lt;")
    box = f"0 {TITLE_POINTS} {width:g} {high - TITLE_POINTS:g}"
    return f'<svg class="plot" role="img" aria-label="{label}" viewBox="{box}">{rest}'.replace("\n", "")


def _as_attributes(found: re.Match[str]) -> str:
    """A style as attributes that mean the same; the colours of the look as classes."""
    attributes, classes = {}, []
    for part in found[1].split(";"):
        key, _, value = part.strip().partition(":")
        key, value = key.strip(), value.strip()
        if key == "font" and (font := _FONT.search(value)):
            attributes["font-size"] = font["size"]
            if value.startswith(("bold", "700")):
                attributes["font-weight"] = "bold"
        elif key in _KEPT:
            named = _NAMED.get(value.lower()) if key in ("fill", "stroke") else None
            if named is not None:
                classes.append(f"{key}-{named}")
            else:
                attributes[key] = value
    said = "".join(f' {key}="{value}"' for key, value in attributes.items())
    return said + (f' class="{" ".join(classes)}"' if classes else "")


_NAMED = {INK: "ink", PAPER: "paper", **{colour: form for form, colour in FORM_COLOURS.items()}}
