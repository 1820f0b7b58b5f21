"""The report as a page: the whole answer in one file, that whoever gets it can read, print and check."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

from unvek.core.errors import InputError
from unvek.core.exchange.page_data import digest_of
from unvek.core.findings.audit.confounder import DOUBT, UNFAIR
from unvek.core.findings.comparison.found import Comparison
from unvek.core.findings.report.found import Report, RunCourse, ShownOutput
from unvek.core.findings.tradeoff.found import Tradeoff
from unvek.core.measures.catalogue import TIME
from unvek.core.units import bytes_words, duration_words, probability_words
from unvek.show.page.standalone import as_json, page
from unvek.show.page.strip_cells import StripCell, strip_cells
from unvek.show.results.comparison import comparison_columns
from unvek.show.results.tradeoff import tradeoff_columns
from unvek.show.terminal.figures import UNKNOWN, settings_words
from unvek.show.terminal.grid import Column

ALWAYS_PRINTED = 8  # how long a column has to stay as a window narrows to be printed, too


@dataclass(frozen=True, slots=True, kw_only=True)
class HeadCell:
    """The head of a column: what it is of, in which unit, whether it holds numbers, and whether it is printed."""

    words: str
    unit: str
    numeric: bool
    printed: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class TableRow:
    """A row: whose it is, the strip, and a text for each column."""

    variant: str
    form: str
    strip: StripCell | None
    cells: tuple[str, ...]
    doubts: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Table:
    heads: tuple[HeadCell, ...]
    rows: tuple[TableRow, ...]
    strip_head: str = ""


def report_page(report: Report) -> str:
    """Return the page, as one HTML file."""
    return page(
        "report",
        {
            "report": report,
            "answer": _answer(report.tradeoff),
            "grave": [one for one in report.audit.findings if one.severity in (UNFAIR, DOUBT)],
            "plots": _plots(report),
            "table": _table(report.comparison),
            "counts": _counts_table(report.tradeoff),
            "facts": partial(_facts_of_output, report.alike_by),
            "sorts": list(dict.fromkeys(
                one.content.sort for item in report.items for one in item.outputs if one.content is not None
            )),
            "settings_words": settings_words,
            "bytes_words": bytes_words,
            "duration_words": duration_words,
            "data": as_json(report.data),
            "digest": digest_of(report.data),
            "courses": as_json(_courses(report.courses)),
            "probability_words": probability_words,
        },
        is_cleaned=True,
    )  # fmt: skip


def write_report(report: Report, path: Path) -> int:
    """Write the page, and return the bytes that it has; InputError where it can't be written."""
    content = report_page(report).encode()
    part = path.with_name(path.name + ".part")
    try:
        part.write_bytes(content)
        part.replace(path)
    except OSError as error:
        raise InputError(f"{path} can't be written: {error.strerror}") from error
    finally:
        part.unlink(missing_ok=True)
    return len(content)


def _answer(found: Tradeoff) -> dict[str, Any]:
    """The pick, and how sure it is, in words."""
    form = next((row.form for row in found.rows if row.variant == found.pick), "full")
    open_ = [f"{found.pick} is a toss-up with {name}" for name in found.ties] + [
        f"{name} may be better" for name in found.undecided
    ]
    row = next((row for row in found.rows if row.variant == found.pick), None)
    probability = row.probability if row is not None else None
    return {"pick": found.pick, "form": form, "open": open_, "probability": probability}


def _plots(report: Report) -> dict[str, Any]:
    """The plots as SVG, and what each shows, in words."""
    from markupsafe import Markup

    from unvek.show.picture.plots.curve import draw_curve
    from unvek.show.picture.plots.frontier import draw_frontier
    from unvek.show.picture.plots.look import inline_svg
    from unvek.show.picture.plots.strips import draw_tally

    found, names = report.tradeoff, ", ".join(row.variant for row in report.tradeoff.rows if row.on_frontier)
    says = f"The frontier: {names} are beaten by none. The table below has every figure."
    plots: dict[str, Any] = {"frontier": Markup(inline_svg(draw_frontier(found), "frontier", says))}
    plots["curves"] = [
        Markup(inline_svg(draw_curve(one), f"curve{place}", f"{one.measure} over {one.setting}"))
        for place, one in enumerate(report.curves)
    ]
    if report.tally is not None and any(group.rows for group in report.tally.groups):
        plots["tally"] = Markup(inline_svg(draw_tally(report.tally), "tally", "How often each variant is preferred"))
    return plots


# ---- tables: what they say is what the terminal says ----


def _table(found: Comparison) -> Table:
    columns = comparison_columns(found)[1:]
    name = found.asked[0] if found.asked else TIME
    strips = strip_cells(found, name)
    rows = tuple(
        TableRow(
            variant=row.variant, form=row.form, strip=strips.cells[place], doubts=row.doubts,
            cells=tuple(_plain(column, place) for column in columns),
        )
        for place, row in enumerate(found.rows)
    )  # fmt: skip
    return Table(heads=_heads(columns), rows=rows, strip_head=strips.head)


def _counts_table(found: Tradeoff) -> Table:
    columns = tradeoff_columns(found)[1:]
    rows = tuple(
        TableRow(variant=row.variant, form=row.form, strip=None,
                 cells=tuple(_plain(column, place) for column in columns))
        for place, row in enumerate(found.rows)
    )  # fmt: skip
    return Table(heads=_heads(columns), rows=rows)


def _heads(columns: Sequence[Column]) -> tuple[HeadCell, ...]:
    return tuple(
        HeadCell(
            words=column.whole_name or column.head, unit=column.unit, numeric=column.numeric,
            printed=column.keep >= ALWAYS_PRINTED,
        )
        for column in columns
    )  # fmt: skip


def _plain(column: Column, place: int) -> str:
    """A cell's text, without the raised numbers that point to doubts: the page links those."""
    return column.cells[place].plain.rstrip(" ⁰¹²³⁴⁵⁶⁷⁸⁹")


# ---- outputs ----


def _facts_of_output(alike_by: str | None, one: ShownOutput) -> str:
    """What stands under an output: steps, time, likeness and drift, what is there of what was asked for."""
    cell = one.cell
    facts = [f"{cell.steps} steps"] if cell.steps else []
    facts += [duration_words(cell.time_s)] if cell.time_s is not None else []
    facts += [f"{alike_by} {cell.likeness:.3g}"] if cell.likeness is not None else []
    facts += [f"drift {cell.drift:.2f}"] if cell.drift is not None else []
    known = [point for point in cell.points if point is not None]
    facts += [f"{sum(known):g} of {len(known)} things"] if known else []
    facts += [f"wins {cell.wins:.2f}"] if cell.wins is not None else []
    if one.content is None:
        facts.append(cell.missing or (cell.status if cell.status != "finished" else "nothing that can be shown"))
    return ", ".join(facts) or UNKNOWN


def _courses(courses: Sequence[RunCourse]) -> Mapping[str, Any]:
    return {
        str(one.run): {"steps_s": list(one.steps_s), "memory": [list(look) for look in one.memory]} for one in courses
    }
