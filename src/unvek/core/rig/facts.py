"""What this machine is, as far as it can be read without asking for rights."""

import hashlib
import json
import os
import platform
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

import psutil


@dataclass(frozen=True, slots=True, kw_only=True)
class RigFacts:
    """A fixed machine. None is unknown, and is said so."""

    processor: str | None
    cores: int | None
    memory_bytes: int
    system: str
    kernel: str

    @property
    def fingerprint(self) -> str:
        """The same for runs that can be compared: a digest of everything here."""
        return hashlib.sha256(json.dumps(asdict(self), sort_keys=True).encode()).hexdigest()[:16]

    def as_mapping(self) -> Mapping[str, Any]:
        return asdict(self)


def read_rig() -> RigFacts:
    return RigFacts(
        processor=_processor(),
        cores=len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count(),
        memory_bytes=psutil.virtual_memory().total,
        system=platform.system(),
        kernel=platform.release(),
    )


def _processor() -> str | None:
    try:
        with open("/proc/cpuinfo") as file:
            for line in file:
                if line.startswith("model name"):
                    return line.partition(":")[2].strip()
    except OSError:
        pass
    return platform.processor() or None
