"""What an accelerator is to Unvek: a name, a memory, and a reading. Each make of them is an adapter of its own."""

from collections.abc import Collection, Mapping
from dataclasses import asdict, dataclass
from typing import Any, Protocol


@dataclass(frozen=True, slots=True, kw_only=True)
class AcceleratorFacts:
    """What does not change while it is there. What a simulated one measured is marked wherever it is shown."""

    name: str
    memory_bytes: int | None
    driver: str | None
    simulated: bool = False

    def as_mapping(self) -> Mapping[str, Any]:
        return asdict(self)


@dataclass(frozen=True, slots=True, kw_only=True)
class AcceleratorReading:
    """One look. None is unknown. `energy_j` is a counter that only grows."""

    memory_used_bytes: int | None = None
    memory_of_processes_bytes: int | None = None  # of the processes that were asked about
    busy_share: float | None = None
    temperature_c: float | None = None
    clock_hz: float | None = None
    power_w: float | None = None
    energy_j: float | None = None


class Accelerator(Protocol):
    """One device. Reading never raises: what can't be read is None."""

    @property
    def facts(self) -> AcceleratorFacts: ...

    def read(self, processes: Collection[int]) -> AcceleratorReading: ...

    def close(self) -> None: ...
