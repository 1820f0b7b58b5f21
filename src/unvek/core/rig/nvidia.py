"""NVIDIA's accelerators, through NVIDIA's own Python bindings (the extra unvek[nvidia]).

Energy is the driver's counter since it was loaded, in millijoules; boards before Volta have none.
"""

from collections.abc import Callable, Collection
from typing import Any

from unvek.core.rig.accelerators import Accelerator, AcceleratorFacts, AcceleratorReading


def find_nvidia() -> tuple[Accelerator, ...]:
    """Return the devices; none where the bindings or the driver are not there."""
    try:
        import pynvml
    except ImportError:
        return ()
    try:
        pynvml.nvmlInit()
        return tuple(
            NvidiaAccelerator(pynvml, pynvml.nvmlDeviceGetHandleByIndex(place))
            for place in range(pynvml.nvmlDeviceGetCount())
        )
    except pynvml.NVMLError:
        return ()


class NvidiaAccelerator:
    """One device, by its handle."""

    def __init__(self, nvml: Any, handle: Any):
        self._nvml = nvml
        self._handle = handle
        memory = self._asked(nvml.nvmlDeviceGetMemoryInfo)
        self.facts = AcceleratorFacts(
            name=_text(self._asked(nvml.nvmlDeviceGetName)) or "unknown",
            memory_bytes=int(memory.total) if memory is not None else None,
            driver=_text(self._driver()),
        )

    def read(self, processes: Collection[int]) -> AcceleratorReading:
        nvml = self._nvml
        memory = self._asked(nvml.nvmlDeviceGetMemoryInfo)
        rates = self._asked(nvml.nvmlDeviceGetUtilizationRates)
        clock_mhz = self._asked(nvml.nvmlDeviceGetClockInfo, nvml.NVML_CLOCK_SM)
        power_mw = self._asked(nvml.nvmlDeviceGetPowerUsage)
        energy_mj = self._asked(nvml.nvmlDeviceGetTotalEnergyConsumption)
        return AcceleratorReading(
            memory_used_bytes=int(memory.used) if memory is not None else None,
            memory_of_processes_bytes=self._memory_of(processes),
            busy_share=rates.gpu / 100 if rates is not None else None,
            temperature_c=self._asked(nvml.nvmlDeviceGetTemperature, nvml.NVML_TEMPERATURE_GPU),
            clock_hz=clock_mhz * 1e6 if clock_mhz is not None else None,
            power_w=power_mw / 1000 if power_mw is not None else None,
            energy_j=energy_mj / 1000 if energy_mj is not None else None,
        )

    def close(self) -> None:
        pass  # the bindings are shut down with this process

    def _memory_of(self, processes: Collection[int]) -> int | None:
        """Sum what the driver says of these processes; None where it says nothing (in containers it can't tell)."""
        running = self._asked(self._nvml.nvmlDeviceGetComputeRunningProcesses)
        used = [entry.usedGpuMemory for entry in running or () if entry.pid in processes]
        known = [size for size in used if size is not None]
        return sum(known) if known else None

    def _driver(self) -> Any:
        try:
            return self._nvml.nvmlSystemGetDriverVersion()
        except self._nvml.NVMLError:
            return None

    def _asked(self, question: Callable[..., Any], *more: Any) -> Any:
        try:
            return question(self._handle, *more)
        except self._nvml.NVMLError:
            return None  # each board knows some of these and not others


def _text(value: str | bytes | None) -> str | None:
    return value.decode("utf-8", "replace") if isinstance(value, bytes) else value
