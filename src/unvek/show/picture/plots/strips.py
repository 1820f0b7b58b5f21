"""Strips as a picture: a row a variant, and beside each other a panel for each measure with its own axis."""

from collections.abc import Sequence
from dataclasses import dataclass, field

from matplotlib.axes import Axes
from matplotlib.figure import Figure

from unvek.core.digits import scale_for
from unvek.core.findings.comparison.found import Comparison
from unvek.core.findings.tally.found import Tally
from unvek.core.measures.catalogue import COST, COST_PER_GOOD, COST_PER_THOUSAND, MODEL_MEMORY, PEAK_MEMORY, TIME
from unvek.core.plain_text import clean
from unvek.show.palette import FORM_COLOURS, INK
from unvek.show.picture.plots.look import FAINT, LABEL_SIZE, SMALL_SIZE, bar, bare, mark, new_figure, scaled, titled
from unvek.show.terminal.heads import head_of

MOST_PANELS = 4
INCHES_PER_ROW, LEAST_INCHES, MOST_INCHES = 0.42, 3.2, 40.0
BESIDE = 0.3  # of a row, that single runs stand under the bar


@dataclass(frozen=True, slots=True, kw_only=True)
class Strip:
    """What stands in one row of a panel, in the panel's own unit."""

    middle: float | None
    low: float | None = None
    high: float | None = None
    dots: Sequence[float] = ()
    reference: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Panel:
    """One measure of all rows; words are those of its axis, span what it spans, if not what its values do."""

    words: str
    strips: Sequence[Strip]
    span: tuple[float, float] | None = None
    answers: Sequence[str] = field(default=())


@dataclass(frozen=True, slots=True)
class RowName:
    words: str
    form: str


def draw_comparison(found: Comparison) -> Figure:
    """Draw the comparison: time, quality, memory and cost, or the measures that were asked for."""
    names = list(found.asked) or _usual(found)
    panels = [_panel(found, name) for name in names[:MOST_PANELS]]
    rows = [RowName(f"{row.variant}  {row.where_words.removeprefix('with ')}".strip(), row.form) for row in found.rows]
    against = f"Against {clean(found.reference)}, the upright line"
    about = f"{against}: a typical run with its 95 % interval; dots are single runs"
    return draw_strips(found.title, about, rows, panels)


def _usual(found: Comparison) -> list[str]:
    known = [name for name in (MODEL_MEMORY, PEAK_MEMORY) if all(
        row.measures[name].typical is not None for row in found.rows if row.finished)]  # fmt: skip
    costs = [name for name in (COST_PER_GOOD, COST_PER_THOUSAND, COST) if name in found.rows[0].measures]
    names = [TIME, found.quality, *known[:1], *costs[:1]]
    return [name for name in dict.fromkeys(filter(None, names))
            if any(row.measures[name].typical is not None for row in found.rows)]  # fmt: skip


def _panel(found: Comparison, name: str) -> Panel:
    measures = [row.measures[name] for row in found.rows]
    scale = scale_for(measures[0].unit, (one.typical for one in measures))
    usual = {row.varied_words: row.measures[name].typical for row in found.rows if row.variant == found.reference}

    def read(value: float | None) -> float | None:
        return None if value is None else value / scale.divisor

    strips = [
        Strip(middle=read(one.typical), low=read(one.low), high=read(one.high),
              dots=tuple(value / scale.divisor for value in one.dots), reference=read(usual.get(row.varied_words)))
        for row, one in zip(found.rows, measures, strict=True)
    ]  # fmt: skip
    words = f"{head_of(name)}{f', {scale.unit}' if scale.unit else ''}"
    return Panel(words=words, strips=strips, answers=[one.answer or "" for one in measures])


def draw_tally(found: Tally) -> Figure:
    """Draw how often each variant wins against the reference, a panel for each group of judges."""
    groups = [group for group in found.groups if group.rows][:MOST_PANELS]
    variants = {row.variant: row.form for group in groups for row in group.rows}
    panels = []
    for group in groups:
        told = {row.variant: row for row in group.rows}
        strips = [
            Strip(middle=None) if (row := told.get(name)) is None or name == found.reference
            else Strip(middle=row.rating, low=row.low_together, high=row.high_together, reference=0.5)
            for name in variants
        ]  # fmt: skip
        panels.append(Panel(words=f"by {clean(group.of)}", strips=strips, span=(0.0, 1.0)))
    rows = [RowName(name, form) for name, form in variants.items()]
    about = (
        f"How often each is preferred to {clean(found.reference)}, ties half, with the 95 % interval of all together"
    )
    return draw_strips("What the verdicts come to", about, rows, panels)


def draw_strips(title: str, about: str, rows: Sequence[RowName], panels: Sequence[Panel]) -> Figure:
    """Draw the panels beside each other; rows share their names at the left."""
    height = min(MOST_INCHES, max(LEAST_INCHES, INCHES_PER_ROW * len(rows) + 1.7))
    figure = new_figure((12.8, height))
    titled(figure, title, about)
    if not panels:
        return figure
    ratios = [1.8, *([1.0] * (len(panels) - 1))]
    shown = figure.subplots(1, len(panels), sharey=True, squeeze=False, width_ratios=ratios)[0]
    longest = max((len(row.words) for row in rows), default=8)
    left = min(0.3, 0.045 + 0.0068 * longest)
    figure.subplots_adjust(left=left, right=0.98, top=1 - 0.95 / height, bottom=0.65 / height, wspace=0.08)
    for place, (axes, panel) in enumerate(zip(shown, panels, strict=True)):
        _draw(axes, rows, panel, is_first=place == 0)
    return figure


def _draw(axes: Axes, rows: Sequence[RowName], panel: Panel, is_first: bool) -> None:
    bare(axes, left=False)
    axes.set_ylim(len(rows) - 0.4, -0.6)
    if panel.span is not None:
        axes.set_xlim(*panel.span)
    else:
        scaled(axes.xaxis, [v for strip in panel.strips for v in (strip.middle, *strip.dots)], is_narrow=not is_first)
    for place, (row, strip) in enumerate(zip(rows, panel.strips, strict=True)):
        if strip.reference is not None:
            axes.plot([strip.reference] * 2, [place - 0.5, place + 0.5], color=INK, linewidth=1.0, alpha=0.7, zorder=1)
        colour = FORM_COLOURS[row.form]
        axes.plot(strip.dots, [place + BESIDE] * len(strip.dots), ".", color=colour, alpha=FAINT, markersize=5,
                  markeredgewidth=0, zorder=3)  # fmt: skip
        bar(axes, (strip.low, strip.high), place, row.form)
        if strip.middle is not None:
            mark(axes, strip.middle, place, row.form)
    axes.tick_params(axis="y", length=0, labelsize=LABEL_SIZE, labelleft=is_first)
    axes.set_xlabel(panel.words, color=INK, fontsize=SMALL_SIZE)
    if is_first:  # the others share them
        axes.set_yticks(range(len(rows)), [clean(row.words) for row in rows])
        for label, row in zip(axes.get_yticklabels(), rows, strict=True):
            label.set_color(FORM_COLOURS[row.form])
