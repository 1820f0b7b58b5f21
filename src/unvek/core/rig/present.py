"""The accelerators that are there for a plan: those of the machine, and the stand-in that a plan may ask for."""

import os
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from tempfile import mkstemp
from typing import Any

from unvek.core.plan.model import RigWanted
from unvek.core.rig.accelerators import Accelerator
from unvek.core.rig.facts import RigFacts, read_rig
from unvek.core.rig.nvidia import find_nvidia
from unvek.core.rig.simulated import SimulatedDevice


@dataclass(frozen=True, slots=True, kw_only=True)
class Present:
    """Accelerators, what a model's process needs to know of a simulated one, and the machine's facts with them."""

    accelerators: tuple[Accelerator, ...]
    environment: Mapping[str, str]
    rig: RigFacts


@contextmanager
def accelerators_present(wanted: RigWanted) -> Iterator[Present]:
    """Open the accelerators for as long as this lasts."""
    devices: list[Accelerator] = list(find_nvidia())
    environment: Mapping[str, str] = {}
    if wanted.simulated_accelerator_bytes is not None:
        fd, path = mkstemp(prefix="unvek-simulated-")
        os.close(fd)
        simulated = SimulatedDevice(Path(path), wanted.simulated_accelerator_bytes)
        devices.append(simulated)
        environment = simulated.environment
    try:
        yield Present(
            accelerators=tuple(devices), environment=environment, rig=read_rig(device.facts for device in devices)
        )
    finally:
        for device in devices:
            device.close()


def this_rig() -> tuple[str, Mapping[str, Any]]:
    """Return the fingerprint and the facts of this machine, as no plan says more of it."""
    with accelerators_present(RigWanted()) as present:
        return present.rig.fingerprint, dict(present.rig.as_mapping())
