"""What this machine is, as far as it can be read without asking for rights."""

import hashlib
import json
import os
import platform
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from typing import Any

from unvek.core.rig.accelerators import AcceleratorFacts
from unvek.core.units import bytes_words


@dataclass(frozen=True, slots=True, kw_only=True)
class RigFacts:
    """A fixed machine. None is unknown, and is said so."""

    processor: str | None
    cores: int | None
    memory_bytes: int
    system: str
    kernel: str
    accelerators: tuple[AcceleratorFacts, ...] = ()

    @property
    def fingerprint(self) -> str:
        """The same for runs that can be compared: a digest of everything here."""
        return hashlib.sha256(json.dumps(self.as_mapping(), sort_keys=True).encode()).hexdigest()[:16]

    def as_mapping(self) -> Mapping[str, Any]:
        facts = asdict(self)
        if not self.accelerators:
            del facts["accelerators"]  # as it was before these were looked for: the same rig keeps its fingerprint
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
    )


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
    devices = "".join(f", {device['name']}" for device in facts.get("accelerators", ()))
    return (f"{facts['processor'] or 'unknown processor'}, {facts['cores'] or 'unknown'} cores, "
            f"{bytes_words(facts['memory_bytes'])}{devices}, {facts['system']} {facts['kernel']}")  # fmt: skip


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
