"""What this machine is, as far as it can be read without asking for rights."""

import hashlib
import json
import math
import os
import platform
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any

from unvek.core.errors import InputError
from unvek.core.plan.names import LONGEST_NAME, NAME_WORDS, is_name
from unvek.core.rig.accelerators import AcceleratorFacts
from unvek.core.units import bytes_words

NAME_VARIABLE = "UNVEK_RIG_NAME"


@dataclass(frozen=True, slots=True, kw_only=True)
class RigFacts:
    """A fixed machine. None is unknown, and is said so.

    name tells machines of one kind apart: machines of a team have one, and any to which its user gives one.
    """

    processor: str | None
    cores: int | None
    memory_bytes: int
    system: str
    kernel: str
    accelerators: tuple[AcceleratorFacts, ...] = ()
    name: str | None = None

    @property
    def fingerprint(self) -> str:
        """The same for runs that can be compared: a digest of everything here."""
        return hashlib.sha256(json.dumps(self.as_mapping(), sort_keys=True).encode()).hexdigest()[:16]

    def as_mapping(self) -> Mapping[str, Any]:
        facts = asdict(self)
        if not self.accelerators:
            del facts["accelerators"]  # as it was before these were looked for: the same rig keeps its fingerprint
        if self.name is None:
            del facts["name"]  # likewise
        return facts


def read_rig(accelerators: Iterable[AcceleratorFacts] = ()) -> RigFacts:
    """Read the machine's facts; which accelerators it has the caller knows."""
    import psutil  # here: whoever only words facts that are kept starts without it

    return RigFacts(
        processor=_processor(),
        cores=len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count(),
        memory_bytes=psutil.virtual_memory().total,
        system=platform.system(),
        kernel=platform.release(),
        accelerators=tuple(accelerators),
        name=given_name(),
    )


def given_name() -> str | None:
    """Return the name that its user gives this machine; InputError where it is none."""
    name = os.environ.get(NAME_VARIABLE)
    if name and not is_name(name):
        raise InputError(f"{NAME_VARIABLE} is {name!r}; wanted {NAME_WORDS}")
    return name or None


def named(rig: RigFacts) -> RigFacts:
    """Return the facts of a machine with a name, which is the host's where its user gives none."""
    if rig.name is not None:
        return rig
    host = "".join(letter for letter in platform.node().partition(".")[0] if letter.isalnum() or letter in "_-")
    return replace(rig, name=host[:LONGEST_NAME] if is_name(host[:LONGEST_NAME]) else "machine")


def elsewhere() -> tuple[str, dict[str, Any]]:
    """Return fingerprint and facts of a machine of which nothing is known but that timings were brought from it."""
    facts: dict[str, Any] = {
        "processor": None,
        "cores": None,
        "memory_bytes": None,
        "system": "elsewhere",
        "kernel": "",
    }
    return "elsewhere", facts


def rig_words(facts: Mapping[str, Any]) -> str:
    """Word a rig's facts, as they are kept, in one line."""
    if facts["memory_bytes"] is None:
        return "a machine that is not known"
    name = f"{facts['name']}: " if facts.get("name") else ""
    devices = "".join(f", {device['name']}" for device in facts.get("accelerators", ()))
    return (f"{name}{facts['processor'] or 'unknown processor'}, {facts['cores'] or 'unknown'} cores, "
            f"{bytes_words(facts['memory_bytes'])}{devices}, {facts['system']} {facts['kernel']}")  # fmt: skip


def kind_of_machine(facts: Mapping[str, Any]) -> tuple[Any, ...]:
    """Return what is the same for machines of one kind: all that they are made of, but neither name nor kernel.

    Memory is told to a thirtieth: how much of it a system leaves free for programs differs from start to start.
    """
    devices = tuple(sorted(str(device["name"]) for device in facts.get("accelerators", ())))
    memory = facts.get("memory_bytes")
    rounded = None if not memory else round(math.log(memory) * 15)
    return facts.get("processor"), facts.get("cores"), rounded, facts.get("system"), devices


def differences(facts: Mapping[str, Mapping[str, Any]]) -> list[str]:
    """Return what differs between machines, by their names, each with its value on each."""
    found = []
    for key in dict.fromkeys(key for of in facts.values() for key in of if key != "name"):
        values = {machine: of.get(key) for machine, of in facts.items()}
        if len({repr(value) for value in values.values()}) > 1:
            said = ", ".join(f"{_fact_words(key, value)} on {machine}" for machine, value in values.items())
            found.append(f"{key.removesuffix('_bytes')} ({said})")
    return found


def _fact_words(key: str, value: Any) -> str:
    if value is None:
        return "unknown"
    if key == "accelerators":
        return " and ".join(str(device["name"]) for device in value) or "none"
    return bytes_words(value) if key.endswith("_bytes") else str(value)


def has_simulated(facts: Mapping[str, Any]) -> bool:
    """Whether a stand-in is among the accelerators of a rig's facts, as they are kept."""
    return any(device["simulated"] for device in facts.get("accelerators", ()))


def _processor() -> str | None:
    try:
        with open("/proc/cpuinfo") as file:
            for line in file:
                if line.startswith("model name"):
                    return line.partition(":")[2].strip()
    except OSError:
        pass
    return platform.processor() or None
