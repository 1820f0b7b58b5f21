"""A checked plan, drawn: what is wrong with it, or what it would run."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from rich.console import Console
from rich.text import Text

from unvek.core.digits import scale_for
from unvek.core.plain_text import clean
from unvek.core.session.checkup import Checkup
from unvek.core.units import counted, duration_words, range_words
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import figure, settings_words, variant_text, warning_text
from unvek.show.terminal.grid import Column, print_grid
from unvek.show.terminal.views import View

if TYPE_CHECKING:
    from unvek.core.findings.smallest import Smallest
    from unvek.core.session.first_steps import FirstStep


def print_checkup(out: Console, found: Checkup) -> None:
    if not found.ok:
        out.print(warning_text(f"{clean(found.plan)}: {counted(len(found.errors), 'error')}"))
        for problem in found.errors:
            out.print()
            out.print(Text(clean(problem.where), style="bold"))
            out.print(Text(f"  found   {clean(problem.found)}"))
            out.print(Text(f"  wanted  {clean(problem.wanted)}"))
        return
    out.print(Text(clean(found.title), style="bold"))
    out.print(Text(_what_it_runs(found)))
    if found.settle_to is not None:
        out.print(
            Text(
                f"More rounds are added until each ratio of times is known to {100 * found.settle_to:.2g} %, "
                f"{found.most_rounds} in all at most."
            )
        )
    if found.already:
        out.print(Text(f"{found.already} of them are done; {found.runs - found.already} are left."))
    if found.forecast_s is not None and found.already < found.runs:
        took = range_words(found.forecast_s.low, found.forecast_s.high)
        out.print(Text(f"These would take {took}, from the runs so far, and the starting of processes on top."))
    for one in found.smallest:
        out.print(Text(_smallest_words(one)))
    out.print()
    print_grid(out, checkup_columns(found))
    if found.first_steps:
        out.print()
    for step in found.first_steps:
        out.print(_step_words(step))
    if found.doubts:
        out.print()
    for doubt in found.doubts:
        out.print(Text.assemble(("doubt  ", "bold"), clean(doubt)))


def _step_words(step: "FirstStep") -> Text:
    name = variant_text(step.variant, step.form)
    if not step.ok:
        return Text.assemble(name, "  ", warning_text("failed"), f": {clean(step.error or 'nothing was said')}")
    load = f"loaded in {duration_words(step.load_s)}, " if step.load_s is not None else ""
    first = f"its first step after {duration_words(step.first_s)}" if step.first_s is not None else "a whole run"
    return Text.assemble(name, f"  {load}{first}")


def _smallest_words(one: "Smallest") -> str:
    """What will hardly show, and with twice as many."""
    what = "no difference in time" if one.counted_in == "round" else f"no loss of {clean(one.of)}"
    share, of_twice = 100 * one.share, 100 * one.share_of_twice
    return (f"With {counted(one.count, one.counted_in)} {what} below about {share:.2g} % will show here; with "
            f"{2 * one.count}, {of_twice:.2g} %.")  # fmt: skip


def _what_it_runs(found: Checkup) -> str:
    parts = [
        counted(len(found.variants), "variant"),
        counted(found.items, "item"),
        *(f"{len(values)} values of {clean(name)}" for name, values in found.varied.items()),
        counted(found.rounds, "round"),
        counted(found.repeats, "repeat"),
    ]
    warmups = found.warmups * len(found.variants) * found.rounds
    return f"{' x '.join(parts)} = {counted(found.runs, 'run')}, and {counted(warmups, 'warm-up')}"


def checkup_columns(found: Checkup) -> list[Column]:
    scale = scale_for("B", (variant.weights_bytes for variant in found.variants))
    names = Column("variant", numeric=False, keep=10)
    forms = Column("form", numeric=False, keep=8)
    weights = Column("weights", scale.unit, keep=6)
    settings = Column("settings", numeric=False, keep=7)
    for variant in found.variants:
        reference = "  (reference)" if variant.name == found.reference else ""
        names.add(variant_text(variant.name, variant.form) + faint(reference))
        forms.add(variant.form + (f", {clean(variant.precision)}" if variant.precision else ""))
        weights.add(figure(variant.weights_bytes, None, None, scale))
        settings.add(settings_words(dict(variant.settings)))
    return [names, forms, weights, settings]


def checkup_records(found: Checkup) -> list[Mapping[str, Any]]:
    if not found.ok:
        return [{"where": p.where, "found": p.found, "wanted": p.wanted} for p in found.errors]
    return [
        {
            "variant": v.name,
            "form": v.form,
            "precision": v.precision,
            "weights_bytes": v.weights_bytes,
            "settings": dict(v.settings),
        }
        for v in found.variants
    ]


CHECKUP = View(print_checkup, checkup_columns, checkup_records)
