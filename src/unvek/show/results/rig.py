"""A rig, drawn."""

from collections.abc import Mapping
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.plain_text import clean
from unvek.core.rig.quiet import QUIET
from unvek.core.rig.report import RigReport
from unvek.core.units import bytes_words, duration_words
from unvek.show.terminal.figures import warning_text
from unvek.show.terminal.grid import Column
from unvek.show.terminal.views import View

UNKNOWN = "unknown"


def print_rig(out: Console, found: RigReport) -> None:
    for name, value in _facts(found):
        out.print(Text.assemble((f"{name:<14}", "dim"), value))
    out.print()
    quiet = found.quiet
    verdict = Text(quiet.verdict, style="bold") if quiet.verdict == QUIET else warning_text(quiet.verdict)
    usual, slowest = duration_words(quiet.spin_s), duration_words(quiet.slowest_s)
    took = f" right now: the same work, done {quiet.spins} times, took {usual} as a rule and {slowest} at most."
    out.print(Text.assemble("This machine is ", verdict, took))
    out.print(Text(_spread_words(quiet.spin_s, quiet.spread)))
    out.print(Text(f"Largest disturbance: {clean(quiet.largest)}."))
    for disturber in quiet.disturbers[1:]:
        out.print(Text(f"Also: {clean(disturber.name)} (process {disturber.pid}), {disturber.share:.2f} of a core."))


def _spread_words(usual_s: float, spread: float) -> str:
    """Say how far apart nine in ten of the times lay; spread is that as a share of the usual one."""
    apart = f"Nine in ten of these times lie within {duration_words(spread * usual_s)} of one another"
    if spread < 1:
        return f"{apart}, {100 * spread:.1f} % of that: so much may be chance."
    return f"{apart}, more than the work takes: something takes the machine again and again. Trust no short run now."


def _facts(found: RigReport) -> list[tuple[str, str]]:
    facts = found.facts
    quiet = found.quiet
    rows = [
        ("fingerprint", found.fingerprint),
        ("processor", f"{clean(facts['processor'] or UNKNOWN)}, {facts['cores'] or UNKNOWN} cores"),
        ("memory", f"{bytes_words(facts['memory_bytes'])}, {bytes_words(found.memory_available_bytes)} of it free"),
        ("swap", f"{bytes_words(found.swap_used_bytes)} in use"),
        ("system", f"{clean(facts['system'])} {clean(facts['kernel'])}, {clean(found.distribution or UNKNOWN)}"),
        ("python", found.python),
    ]
    devices = facts.get("accelerators", ())
    rows += [("accelerator", _device_words(device)) for device in devices]
    if not devices:
        rows.append(("accelerator", "none found"))
    rows += [
        ("clock", UNKNOWN if found.clock_hz is None else f"{found.clock_hz / 1e9:.2f} GHz"),
        ("governor", clean(found.governor or UNKNOWN)),
        ("temperature", UNKNOWN if found.temperature_c is None else f"{found.temperature_c:.0f} °C"),
        ("energy", found.energy_source or f"{UNKNOWN}: no counter can be read; watts in a plan's [rig] stand in"),
        ("others", f"keep {quiet.others_share:.2f} cores busy"),
        ("host", UNKNOWN if quiet.stolen_share is None else f"took {quiet.stolen_share:.2f} of a core"),
        ("pressure", "stall figures are there" if found.pressure else UNKNOWN),
    ]
    return rows


def _device_words(device: Mapping[str, Any]) -> str:
    size = device["memory_bytes"]
    driver = f", driver {clean(device['driver'])}" if device["driver"] else ""
    return f"{clean(device['name'])}, {bytes_words(size) if size else UNKNOWN}{driver}"


def rig_columns(found: RigReport) -> list[Column]:
    names, values = Column("fact", numeric=False), Column("value", numeric=False)
    for name, value in [*_facts(found), ("quiet", found.quiet.verdict), ("disturbance", clean(found.quiet.largest))]:
        names.add(name)
        values.add(value)
    return [names, values]


def rig_records(found: RigReport) -> list[Mapping[str, Any]]:
    return [{"fact": names.plain, "value": values.plain}
            for names, values in zip(*(column.cells for column in rig_columns(found)), strict=True)]  # fmt: skip


RIG = View(print_rig, rig_columns, rig_records)
