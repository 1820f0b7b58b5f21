"""The rig in full: what it is, what of it can be read, and how quiet it is now."""

import platform
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, ClassVar

from unvek.core.plan.model import RigWanted
from unvek.core.rig.energy import FROM_COUNTERS
from unvek.core.rig.present import accelerators_present
from unvek.core.rig.quiet import Quietness, listen_for_quiet
from unvek.core.rig.telemetry import Instruments


@dataclass(frozen=True, slots=True, kw_only=True)
class RigReport:
    """A machine. None is unknown: the system does not show it, or not to this user."""

    kind: ClassVar[str] = "rig"
    fingerprint: str
    facts: Mapping[str, Any]
    memory_available_bytes: int
    swap_used_bytes: int
    distribution: str | None
    governor: str | None  # how the system chooses the processor's clock
    python: str
    clock_hz: float | None
    temperature_c: float | None
    pressure: bool
    energy_source: str | None
    quiet: Quietness


def report_rig() -> RigReport:
    """Read everything, and spin for two seconds."""
    with accelerators_present(RigWanted()) as present:
        instruments = Instruments(present.accelerators)
        now = instruments.machine.read()
        energy = instruments.processor_energy.known
        instruments.close()
        return RigReport(
            fingerprint=present.rig.fingerprint,
            facts=present.rig.as_mapping(),
            memory_available_bytes=now.memory_available_bytes,
            swap_used_bytes=now.swap_used_bytes,
            distribution=_distribution(),
            governor=_governor(),
            python=platform.python_version(),
            clock_hz=now.clock_hz,
            temperature_c=now.temperature_c,
            pressure=bool(now.waited_s),
            energy_source=FROM_COUNTERS if energy else None,
            quiet=listen_for_quiet(),
        )


def _distribution() -> str | None:
    try:
        return platform.freedesktop_os_release().get("PRETTY_NAME")
    except OSError:
        return platform.mac_ver()[0] or None


def _governor() -> str | None:
    try:
        return Path("/sys/devices/system/cpu/cpu0/cpufreq/scaling_governor").read_text().strip() or None
    except OSError:
        return None
