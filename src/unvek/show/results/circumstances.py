"""Under what circumstances a run was made, in words: the machine meanwhile, and what it was made of."""

from collections.abc import Mapping
from typing import Any

from rich.text import Text

from unvek.core.plain_text import clean
from unvek.core.plan.runners import COMMAND, STREAM
from unvek.core.run.events.record import DISTURBED_FROM
from unvek.core.units import bytes_words, counted, duration_words, few_of
from unvek.show.terminal.bars import step_bars
from unvek.show.terminal.figures import UNKNOWN, warning_text

Fact = tuple[str, str | Text]
FILES_SHOWN = 12
PACKAGES_SHOWN = 12
GROWN_FROM = 1.05  # times the least memory seen: less of a change is not worth a line
BAR_COLUMNS = 80


def machine_facts(machine: Mapping[str, Any], model_bytes: float | None = None) -> list[Fact]:
    """Word memory, processor, energy, accelerators, and what else ran."""
    peak, device = machine["memory_peak_bytes"], machine["memory_device_bytes"]
    own = "" if model_bytes is None else f", {bytes_words(int(model_bytes))} of it since before the model was loaded"
    facts: list[Fact] = [("memory", UNKNOWN if peak is None else f"{bytes_words(peak)} at its peak{_of(machine)}{own}")]
    along = [size for _, size in machine.get("memory_along") or ()]
    if along and max(along) > GROWN_FROM * min(along):
        facts.append(("", f"from {bytes_words(along[0])} to {bytes_words(along[-1])} along the run"))
        facts.append(("", step_bars(along, BAR_COLUMNS)))
    if device is not None:
        facts.append(("", f"{bytes_words(device)} at its peak on the accelerator"))
    if machine["cpu_s"] is not None:
        share = machine.get("model_share")
        cores = "" if share is None else f", {share:.2f} cores busy"
        facts.append(("processor", f"{duration_words(machine['cpu_s'])} of its time{cores}"))
    facts.append(("others", _others(machine)))
    facts += _levels(machine)
    energy = machine.get("energy_j")
    facts.append(("energy", "unknown" if energy is None else f"{energy:.3g} J, from {machine['energy_source']}"))
    facts += [("accelerator", _accelerator(device)) for device in machine.get("accelerators", ())]
    return facts


def _of(machine: Mapping[str, Any]) -> str:
    processes = machine.get("processes") or 0
    return f", {processes:.0f} processes together" if processes > 1 else ""


def _others(machine: Mapping[str, Any]) -> str | Text:
    """Word what took the machine from the model."""
    others, stolen = machine.get("others_share"), machine.get("stolen_share")
    if others is None:
        return "unknown: too short a run to say" if machine.get("looks") else "unknown"
    words = f"kept {others:.2f} cores busy"
    if stolen is not None:
        words += f"; the host took {stolen:.2f} of a core"
    waited = {name: machine.get(f"waited_for_{name}_share") for name in ("cpu", "memory", "io")}
    known = [f"{name} {100 * share:.0f} %" for name, share in waited.items() if share is not None and share >= 0.01]
    words += f"; somebody waited for {', '.join(known)} of the time" if known else ""
    return warning_text(words) if others + (stolen or 0.0) >= DISTURBED_FROM else words


def _levels(machine: Mapping[str, Any]) -> list[Fact]:
    """Word free memory, swap, clock and temperature; what can't be read here is said to be unknown."""
    if not machine.get("looks"):
        return []
    free, swap = machine["memory_available_low_bytes"], machine["swap_used_high_bytes"]
    clock, temperature = machine["clock_low_hz"], machine["temperature_high_c"]
    words = [
        f"{bytes_words(free)} of memory free at least" if free is not None else "free memory unknown",
        f"{bytes_words(swap)} swapped out" if swap else "nothing swapped out",
        f"clock {clock / 1e9:.2f} GHz at least" if clock is not None else "clock unknown",
        f"{temperature:.0f} °C at most" if temperature is not None else "temperature unknown",
    ]
    return [("machine", ", ".join(words))]


def _accelerator(device: Mapping[str, Any]) -> str:
    words = [clean(device["name"])]
    if device["memory_used_high_bytes"] is not None:
        words.append(f"{bytes_words(device['memory_used_high_bytes'])} in use at most")
    if device["temperature_high_c"] is not None:
        words.append(f"{device['temperature_high_c']:.0f} °C at most")
    if device["clock_low_hz"] is not None:
        words.append(f"clock {device['clock_low_hz'] / 1e9:.2f} GHz at least")
    if device["power_high_w"] is not None:
        words.append(f"{device['power_high_w']:.0f} W at most")
    return ", ".join(words)


def made_of_facts(provenance: Mapping[str, Any]) -> list[Fact]:
    """Word files with their digests, the interpreter, and the packages that were loaded."""
    files = {**(provenance["script"] or {}), **(provenance["files"] or {}), **(provenance["modules"] or {})}
    each = [f"{clean(path)} (sha256 {digest[:12]})" for path, digest in files.items()]
    facts: list[Fact] = [("made of", words) for words in each[:FILES_SHOWN]]
    if len(each) > FILES_SHOWN:  # a model's folder may have hundreds
        facts.append(("made of", f"{counted(len(each) - FILES_SHOWN, 'more file')}, all in --as json"))
    if not files:
        facts.append(("made of", "unknown"))
    if provenance.get("runner") in (COMMAND, STREAM):
        return facts  # what a program is made of inside can't be asked
    python = provenance["python"]
    facts.append(("interpreter", f"Python {clean(python)}" if python else "unknown"))
    packages = provenance["packages"]
    if packages is None:
        facts.append(("packages", "unknown"))
    elif packages:
        named = [f"{clean(name)} {clean(version or 'of unknown version')}" for name, version in packages.items()]
        facts.append(("packages", few_of(named, PACKAGES_SHOWN)))
    if provenance["threads"]:
        facts.append(("threads", ", ".join(f"{name} {clean(value)}" for name, value in provenance["threads"].items())))
    return facts
