"""What the whole machine is doing: counters that only grow, and levels, read cheaply enough for five times a second."""

import os
import sys
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from time import monotonic

import psutil

TICK_S = 1 / os.sysconf("SC_CLK_TCK")
LEVELS_EVERY_S = 1.0  # clock and temperature: slow to read on some machines, and slow to change
PRESSURES = ("cpu", "memory", "io")
PROCESSOR_SENSORS = ("coretemp", "k10temp", "zenpower", "cpu_thermal", "acpitz")


@dataclass(frozen=True, slots=True, kw_only=True)
class MachineReading:
    """One look at the machine. Times in seconds since some moment in the past, summed over all cores."""

    at_s: float
    busy_s: float
    stolen_s: float | None  # taken by the host of a virtual machine
    waited_s: Mapping[str, float] = field(default_factory=dict)  # pressure stall figures: some task waited for this
    memory_available_bytes: int
    swap_used_bytes: int
    killed_for_memory: int | None  # processes that the system killed because memory ran out
    clock_hz: float | None
    temperature_c: float | None


class MachineReader:
    """Reads the machine. Where the system has no such figure it is None, or is not there."""

    def __init__(self) -> None:
        self._files = {name: _opened(path) for name, path in _PATHS.items()} if sys.platform == "linux" else {}
        self._clock_hz, self._temperature_c = _clock_hz(), _temperature_c()
        self._levels_at_s = monotonic()

    def read(self) -> MachineReading:
        now_s = monotonic()
        if now_s - self._levels_at_s >= LEVELS_EVERY_S:
            self._levels_at_s = now_s
            if self._clock_hz is not None:  # what this machine does not show it need not be asked again
                self._clock_hz = _clock_hz()
            if self._temperature_c is not None:
                self._temperature_c = _temperature_c()
        busy_s, stolen_s = self._processor_s()
        available_bytes, swap_bytes = self._memory_bytes()
        return MachineReading(
            at_s=now_s,
            busy_s=busy_s,
            stolen_s=stolen_s,
            waited_s=self._waited_s(),
            memory_available_bytes=available_bytes,
            swap_used_bytes=swap_bytes,
            killed_for_memory=_field(self._text("vmstat", 2**16), "oom_kill "),
            clock_hz=self._clock_hz,
            temperature_c=self._temperature_c,
        )

    def close(self) -> None:
        for fd in self._files.values():
            if fd is not None:
                os.close(fd)
        self._files = {}

    def _processor_s(self) -> tuple[float, float | None]:
        """Return (busy, stolen) seconds; proc(5): user nice system idle iowait irq softirq steal guest guest_nice."""
        fields = self._text("stat", 256).split("\n", 1)[0].split()[1:]
        if len(fields) < 8:
            times = psutil.cpu_times()
            return float(sum(times) - times.idle), None
        user, nice, system, _, _, irq, softirq, stolen = (int(text) * TICK_S for text in fields[:8])
        return user + nice + system + irq + softirq, stolen

    def _memory_bytes(self) -> tuple[int, int]:
        text = self._text("meminfo", 4096)
        available, total, free = (_field(text, name) for name in ("MemAvailable:", "SwapTotal:", "SwapFree:"))
        if available is None:
            return psutil.virtual_memory().available, psutil.swap_memory().used
        return available * 1024, ((total or 0) - (free or 0)) * 1024

    def _waited_s(self) -> dict[str, float]:
        waited = {}
        for name in PRESSURES:
            some = self._text(name, 256).split("\n", 1)[0]
            if some.startswith("some") and "total=" in some:
                waited[name] = int(some.rpartition("total=")[2]) * 1e-6
        return waited

    def _text(self, name: str, most_bytes: int) -> str:
        fd = self._files.get(name)
        if fd is None:
            return ""
        try:
            return os.pread(fd, most_bytes, 0).decode("ascii", "replace")
        except OSError:
            return ""  # pressure figures may be there and switched off


_PATHS = {"stat": "/proc/stat", "meminfo": "/proc/meminfo", "vmstat": "/proc/vmstat"} | {
    name: f"/proc/pressure/{name}" for name in PRESSURES
}


def _opened(path: str) -> int | None:
    try:
        return os.open(path, os.O_RDONLY | os.O_CLOEXEC)
    except OSError:
        return None


def _field(text: str, name: str) -> int | None:
    """Return the number behind a name at the beginning of a line."""
    start = text.find("\n" + name)
    if start < 0:
        return None
    words = text[start + 1 + len(name) : start + len(name) + 40].split()
    return int(words[0]) if words and words[0].isdigit() else None


def _clock_hz() -> float | None:
    """Return the mean clock of the cores as the frequency driver has it now; None where there is no such driver."""
    khz = []
    for path in Path("/sys/devices/system/cpu").glob("cpu[0-9]*/cpufreq/scaling_cur_freq"):
        try:
            khz.append(int(path.read_text()))
        except (OSError, ValueError):
            continue
    return 1000 * sum(khz) / len(khz) if khz else None


def _temperature_c() -> float | None:
    """Return the hottest of the processor's sensors; None where the system shows none."""
    read = getattr(psutil, "sensors_temperatures", None)
    sensors = read() if read is not None else {}
    return max((reading.current for name in PROCESSOR_SENSORS for reading in sensors.get(name, ())), default=None)
