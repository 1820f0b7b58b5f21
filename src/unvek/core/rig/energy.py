"""Energy: from the processor's counters where they can be read, or from watts that the user has measured."""

from pathlib import Path

POWERCAP = Path("/sys/class/powercap")
FROM_COUNTERS, FROM_ACCELERATOR, FROM_WATTS = "processor counters", "accelerator counter", "watts given by hand"


class ProcessorEnergy:
    """The energy counters of the processor's packages (Linux powercap, RAPL). Many systems show them to root only.

    A counter starts again from nothing at its range; that is made up for as long as somebody reads within a turn
    (minutes).
    """

    def __init__(self, powercap: Path = POWERCAP):
        self._zones = [zone for zone in sorted(powercap.glob("*rapl:*")) if _is_package(zone)]
        self._ranges_uj = [_number(zone / "max_energy_range_uj") or 0 for zone in self._zones]
        self._latest_uj = [_number(zone / "energy_uj") or 0 for zone in self._zones]
        self._total_uj = 0

    @property
    def known(self) -> bool:
        return bool(self._zones)

    def read_j(self) -> float | None:
        """Return joules since this object was made; None where there are no counters."""
        if not self._zones:
            return None
        for place, zone in enumerate(self._zones):
            now_uj = _number(zone / "energy_uj")
            if now_uj is None:
                continue
            gone_uj = now_uj - self._latest_uj[place]
            self._total_uj += gone_uj if gone_uj >= 0 else gone_uj + self._ranges_uj[place]
            self._latest_uj[place] = now_uj
        return self._total_uj * 1e-6


def _is_package(zone: Path) -> bool:
    """Whether a zone is a whole package, and readable: cores and memory are parts of it, the platform holds it."""
    try:
        name = (zone / "name").read_text()
    except OSError:
        return False
    return name.startswith("package") and _number(zone / "energy_uj") is not None


def _number(path: Path) -> int | None:
    try:
        return int(path.read_text())
    except (OSError, ValueError):
        return None
