"""The engine's side of the simulated accelerator: it makes the books, and reads them as it reads a real device."""

from collections.abc import Collection
from pathlib import Path
from time import monotonic

from unvek.core.rig.accelerators import AcceleratorFacts, AcceleratorReading
from unvek.probe.simulated_accelerator import BUSY_W, FULL_CLOCK_HZ, IDLE_W, VARIABLE, Books

BUSY_OVER_S = 0.05  # the device is resting if nothing was written for so long


class SimulatedDevice:
    """A device in a file, for the runs of one plan; `environment` is how the model's process finds it."""

    def __init__(self, path: Path, memory_bytes: int):
        self._books = Books.make(str(path), memory_bytes)
        self._path = path
        self._busy_s, self._read_at_s = 0.0, monotonic()
        self.environment = {VARIABLE: str(path)}
        self.facts = AcceleratorFacts(
            name="simulated accelerator", memory_bytes=memory_bytes, driver=None, simulated=True
        )

    def read(self, processes: Collection[int]) -> AcceleratorReading:
        now_s = monotonic()
        blocks, written = self._books.blocks().values(), self._books.state()
        busy = now_s - written.at_s < BUSY_OVER_S and written.busy_s > self._busy_s
        state = written.after(now_s, busy=busy)
        share = (written.busy_s - self._busy_s) / max(1e-9, now_s - self._read_at_s)
        self._busy_s, self._read_at_s = written.busy_s, now_s
        return AcceleratorReading(
            memory_used_bytes=sum(size for _, size in blocks),
            memory_of_processes_bytes=sum(size for process, size in blocks if process in processes),
            busy_share=min(1.0, share),
            temperature_c=state.temperature_c,
            clock_hz=FULL_CLOCK_HZ * state.speed,
            power_w=BUSY_W if busy else IDLE_W,
            energy_j=state.energy_j,
        )

    def close(self) -> None:
        self._books.close()
        self._path.unlink(missing_ok=True)
