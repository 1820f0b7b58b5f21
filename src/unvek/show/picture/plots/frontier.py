"""The frontier, drawn: the quality over the time that it takes, and beside it over memory or cost."""

from collections.abc import Sequence
from dataclasses import dataclass

from matplotlib.axes import Axes
from matplotlib.figure import Figure

from unvek.core.digits import Scale, scale_for
from unvek.core.findings.tradeoff.found import Count, Tradeoff, TradeoffRow
from unvek.core.measures.catalogue import TIME
from unvek.core.measures.definition import MORE
from unvek.core.plain_text import clean
from unvek.core.plan.needs import worded_need
from unvek.show.palette import INK
from unvek.show.picture.plots.look import SMALL_SIZE, bar, bare, mark, new_figure, scaled, titled
from unvek.show.picture.plots.names import Named, name_marks
from unvek.show.terminal.heads import head_of

MOST_PANELS = 2
ROOM = 0.06  # of an axis, beyond what stands there


@dataclass(frozen=True, slots=True)
class _Axis:
    """A count along an axis, in the unit in which its values read best."""

    count: Count
    scale: Scale

    def of(self, row: TradeoffRow) -> tuple[float | None, float | None, float | None]:
        found, divisor = row.values[self.count.measure], self.scale.divisor
        middle, low, high = ((None if v is None else v / divisor) for v in (found.typical, found.low, found.high))
        return middle, low, high

    @property
    def words(self) -> str:
        unit = f", {self.scale.unit}" if self.scale.unit else ""
        return f"{head_of(self.count.measure)}{unit}"


def draw_frontier(found: Tradeoff) -> Figure:
    """Draw every variant with both of its intervals; who is beaten stands faint, what the needs leave out in shade."""
    middles = {count.measure: [row.values[count.measure].typical for row in found.rows] for count in found.counts}
    axes_of = {one.measure: _Axis(one, scale_for(one.unit, middles[one.measure])) for one in found.counts}
    upright, across = _chosen(found, axes_of)
    figure = new_figure()
    shown = figure.subplots(1, len(across), sharey=True, squeeze=False, width_ratios=[1.6, 1][: len(across)])[0]
    # Room is made before names are placed: they stand where there is some.
    figure.subplots_adjust(left=0.075, right=0.975, top=0.86, bottom=0.1, wspace=0.06)
    for place, (axes, along) in enumerate(zip(shown, across, strict=True)):
        _draw(axes, found, along, upright, is_first=place == 0)
    pick = f"the pick is {found.pick}" if found.pick else "there is no pick"
    shaded = "; what the needs leave out is shaded" if _bounds(found) else ""
    titled(figure, found.title, f"Every variant with its 95 % intervals; {pick}. The line joins those that none beats, "
                                f"hollow ones are beaten{shaded}.")  # fmt: skip
    return figure


def _chosen(found: Tradeoff, axes_of: dict[str, _Axis]) -> tuple[_Axis | None, list[_Axis]]:
    """What stands up and what along: a score over the time, then over the next thing that is traded off."""
    up = next((c.measure for c in found.counts if c.better == MORE), None)
    along = [count.measure for count in found.counts if count.measure not in (up, "failures")]
    if up is None and len(along) > 1:
        up, along = along[1], [along[0], *along[2:]]
    along.sort(key=lambda name: name != TIME)
    return axes_of.get(up or ""), [axes_of[name] for name in along[:MOST_PANELS]] or list(axes_of.values())[:1]


def _draw(axes: Axes, found: Tradeoff, along: _Axis, upright: _Axis | None, is_first: bool) -> None:
    bare(axes)
    known = [
        row
        for row in found.rows
        if along.of(row)[0] is not None and (upright is None or upright.of(row)[0] is not None)
    ]
    ends = [end for row in known for end in along.of(row)]
    is_log = scaled(axes.xaxis, [along.of(row)[0] for row in known])
    _make_room(axes, ends, is_log, upright=False)
    if upright is not None:
        _make_room(axes, [end for row in known for end in upright.of(row)], False, upright=True)
    _shade(axes, found, along, upright)
    marks, bars = [], []
    for row in known:
        x, x_low, x_high = along.of(row)
        y, y_low, y_high = upright.of(row) if upright is not None else (float(found.rows.index(row)), None, None)
        assert x is not None, "it is known"
        assert y is not None, "it is known"
        faint = not row.on_frontier
        bar(axes, (x_low, x_high), y, row.form, faint=faint)
        bar(axes, (y_low, y_high), x, row.form, upright=True, faint=faint)
        mark(axes, x, y, row.form, faint=faint)
        marks.append(Named(row.variant, x, y, row.form, is_bold=row.variant == found.pick))
        bars += [(x if low is None else low, y, x if high is None else high, y) for low, high in ((x_low, x_high),)]
        bars += [(x, y if low is None else low, x, y if high is None else high) for low, high in ((y_low, y_high),)]
    _join(axes, [one for one, row in zip(marks, known, strict=True) if row.on_frontier], along, upright)
    axes.set_xlabel(along.words, color=INK, fontsize=SMALL_SIZE + 1)
    if upright is None:  # rows, one above the other: their height says nothing
        axes.tick_params(axis="y", length=0, labelleft=False)
        axes.set_ylim(len(found.rows) - 0.5, -0.5)
    if is_first and upright is not None:
        axes.set_ylabel(upright.words, color=INK, fontsize=SMALL_SIZE + 1)
    name_marks(axes, marks, bars)


def _make_room(axes: Axes, ends: Sequence[float | None], is_log: bool, upright: bool) -> None:
    known = [end for end in ends if end is not None and (end > 0 or not is_log)]
    low, high = min(known, default=0.0), max(known, default=1.0)
    if is_log:
        factor = (high / low) ** ROOM
        low, high = low / factor, high * factor
    else:
        room = ROOM * (high - low or abs(high) or 1.0)
        low, high = low - room, high + room
    (axes.set_ylim if upright else axes.set_xlim)(low, high)


def _join(axes: Axes, marks: Sequence[Named], along: _Axis, upright: _Axis | None) -> None:
    """The line through those on the frontier that are beaten by none on these two counts; others need a third."""
    if upright is None:
        return
    signs = [-1.0 if axis.count.better == MORE else 1.0 for axis in (along, upright)]
    best, on_line = None, []
    for one in sorted(marks, key=lambda one: (signs[0] * one.x, signs[1] * one.y)):
        if best is None or signs[1] * one.y < best:
            best = signs[1] * one.y
            on_line.append(one)
    axes.plot([one.x for one in on_line], [one.y for one in on_line], color=INK, linewidth=1.2, alpha=0.55, zorder=2,
              linestyle=(0, (5, 3)))  # fmt: skip


def _bounds(found: Tradeoff) -> dict[str, list[tuple[bool, float]]]:
    """The needs that are bounds of a count: whether at most, and the bound in its unit."""
    units = {count.measure: count.unit for count in found.counts}
    needs = [need for need in map(worded_need, found.needs) if need.measure in units and need.share is None]
    bounds: dict[str, list[tuple[bool, float]]] = {}
    for need in needs:
        bounds.setdefault(need.measure, []).append((need.at_most, need.bound(units[need.measure])))
    return bounds


def _shade(axes: Axes, found: Tradeoff, along: _Axis, upright: _Axis | None) -> None:
    for axis, is_upright in ((along, False), (upright, True)):
        for at_most, bound in _bounds(found).get(axis.count.measure, []) if axis is not None else ():
            assert axis is not None, "nothing has no bounds"
            at = bound / axis.scale.divisor
            low, high = axes.get_ylim() if is_upright else axes.get_xlim()
            ends = (at, max(at, high)) if at_most else (min(at, low), at)
            span = (axes.axhspan if is_upright else axes.axvspan)(
                *ends, facecolor=INK, alpha=0.09, linewidth=0, zorder=0
            )
            span.set_hatch("//")
            span.set_edgecolor(INK)
            (axes.set_ylim if is_upright else axes.set_xlim)(low, high)
            if low < at < high:
                words = f" needed at {'most' if at_most else 'least'} {at:.4g}"
                if is_upright:
                    axes.text(0.995, at, words, transform=axes.get_yaxis_transform(), ha="right", color=INK,
                              va="bottom" if at_most else "top", fontsize=SMALL_SIZE - 1)  # fmt: skip
                else:
                    axes.text(at, 0.01, clean(words), transform=axes.get_xaxis_transform(), color=INK, va="bottom",
                              ha="left" if at_most else "right", fontsize=SMALL_SIZE - 1)  # fmt: skip
