"""What happened on the machine during a run: looked at five times a second, and at its beginning and its end.

The looks cost the engine, not the model: nothing here runs in the model's process.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from time import process_time
from typing import Any

from unvek.core.rig.accelerators import Accelerator, AcceleratorReading
from unvek.core.rig.energy import FROM_ACCELERATOR, FROM_COUNTERS, FROM_WATTS, ProcessorEnergy
from unvek.core.rig.machine import MachineReader, MachineReading
from unvek.core.rig.process_tree import ProcessTree, TreeReading, cpu_s_of

LOOK_EVERY_S = 0.2
SHORTEST_FOR_SHARES_S = 0.1  # processor time is counted in ticks of 10 ms: in a shorter run a share says nothing
NO_PROCESSES = TreeReading(processes=(), memory_bytes=0, cpu_s=0.0)
MOST_POINTS = 120  # kept of the memory along a run


class Instruments:
    """The readable parts of the machine, opened once and used for all launches."""

    def __init__(self, accelerators: Sequence[Accelerator] = (), watts: float | None = None):
        self.machine = MachineReader()
        self.accelerators = tuple(accelerators)
        self.watts = watts
        self.processor_energy = ProcessorEnergy()

    @property
    def simulated(self) -> bool:
        """Whether a stand-in is among them, so that what is measured is marked."""
        return any(accelerator.facts.simulated for accelerator in self.accelerators)

    def close(self) -> None:
        self.machine.close()


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """Everything read at one moment."""

    machine: MachineReading
    tree: TreeReading
    own_cpu_s: float
    accelerators: tuple[AcceleratorReading, ...]
    processor_j: float | None

    @property
    def device_bytes(self) -> int | None:
        """What the launch's processes hold on the accelerators, as far as these say."""
        known = [r.memory_of_processes_bytes for r in self.accelerators if r.memory_of_processes_bytes is not None]
        return sum(known) if known else None


class Telemetry:
    """Follows the processes of one launch. Between `begin` and `summary` lies one run.

    Without a tree (the model is on somebody else's server) only the machine is watched. helper is a process of
    Unvek's own beside the model: what it takes is not counted as others'.
    """

    def __init__(self, instruments: Instruments, tree: ProcessTree | None, helper: int | None = None):
        self._instruments = instruments
        self._helper = helper
        self._tree = tree
        self._forget()

    def _forget(self) -> None:
        self._first: Look | None = None
        self._latest: Look | None = None
        self._tree_cpu_s = 0.0
        self._count = 0
        self._memory: list[tuple[float, int]] = []
        self._memory_every = 1
        self._highest: dict[str, float] = {}
        self._lowest: dict[str, float] = {}
        self.others_share_now: float | None = None  # between the last two looks that were not too near

    def begin(self) -> Look:
        """Forget the run before, and take the first look."""
        self._forget()
        return self.look()

    def look(self) -> Look:
        """Read everything once, and remember what the summary needs of it."""
        tree = self._tree.read() if self._tree is not None else NO_PROCESSES
        now = Look(
            machine=self._instruments.machine.read(),
            tree=tree,
            own_cpu_s=process_time() + (cpu_s_of(self._helper) if self._helper is not None else 0.0),
            accelerators=tuple(device.read(tree.processes) for device in self._instruments.accelerators),
            processor_j=self._instruments.processor_energy.read_j(),
        )
        self._first = self._first or now
        if self._latest is not None and now.machine.at_s - self._latest.machine.at_s >= SHORTEST_FOR_SHARES_S:
            self.others_share_now = _others_share(self._latest, now)
        self._latest = now
        self._tree_cpu_s = max(self._tree_cpu_s, tree.cpu_s)  # a tree that has ended can't be asked any more
        self._note_levels(now)
        self._note_memory(now)
        return now

    def _note_levels(self, now: Look) -> None:
        if self._tree is not None:
            self._note("processes", len(now.tree.processes))
            self._note("memory", now.tree.memory_bytes)
        self._note("available", now.machine.memory_available_bytes)
        self._note("swap", now.machine.swap_used_bytes)
        self._note("clock", now.machine.clock_hz)
        self._note("temperature", now.machine.temperature_c)
        self._note("device", now.device_bytes)
        for place, reading in enumerate(now.accelerators):
            for name in ("memory_used_bytes", "temperature_c", "clock_hz", "power_w"):
                self._note(f"{name}{place}", getattr(reading, name))

    def _note(self, name: str, value: float | None) -> None:
        if value is not None:
            self._highest[name] = max(value, self._highest.get(name, value))
            self._lowest[name] = min(value, self._lowest.get(name, value))

    def _note_memory(self, now: Look) -> None:
        """Keep the memory along the run; when there are too many points, every second goes."""
        if self._count % self._memory_every == 0 and now.tree.processes:
            self._memory.append((now.machine.at_s, now.tree.memory_bytes))
            if len(self._memory) > MOST_POINTS:
                self._memory, self._memory_every = self._memory[::2], 2 * self._memory_every
        self._count += 1

    @property
    def memory_peak_bytes(self) -> int | None:
        """The most that the tree held at one look; a rise and fall between two looks is not seen here."""
        return int(self._highest["memory"]) if self._highest.get("memory") else None

    @property
    def device_peak_bytes(self) -> int | None:
        return int(self._highest["device"]) if "device" in self._highest else None

    def killed_for_memory(self) -> bool:
        """Whether the system killed a process for want of memory since the run began."""
        first, latest = self._first, self._latest
        if first is None or latest is None or first.machine.killed_for_memory is None:
            return False
        return (latest.machine.killed_for_memory or 0) > first.machine.killed_for_memory

    def summary(self) -> dict[str, Any]:
        """Return what the run's record keeps of the machine, as JSON values; None is unknown."""
        first, latest = self._first, self._latest
        if first is None or latest is None:
            return {}
        lasted_s = latest.machine.at_s - first.machine.at_s
        energy_j, energy_source = self._energy(first, latest, lasted_s)
        return {
            "looks": self._count,
            "looked_for_s": lasted_s,
            "processes": self._highest.get("processes"),
            "tree_memory_peak_bytes": self.memory_peak_bytes,
            "device_memory_peak_bytes": self.device_peak_bytes,
            "memory_along": [[round(at_s - first.machine.at_s, 3), size] for at_s, size in self._memory],
            **self._shares(first, latest, lasted_s),
            "memory_available_low_bytes": self._lowest.get("available"),
            "swap_used_high_bytes": self._highest.get("swap"),
            "clock_low_hz": self._lowest.get("clock"),
            "clock_high_hz": self._highest.get("clock"),
            "temperature_high_c": self._highest.get("temperature"),
            "energy_j": energy_j,
            "energy_source": energy_source,
            "accelerators": [self._of_accelerator(place) for place in range(len(latest.accelerators))],
        }

    def _shares(self, first: Look, latest: Look, lasted_s: float) -> dict[str, float | None]:
        """Processor time over time: 1 is one core, kept busy all along."""
        if lasted_s < SHORTEST_FOR_SHARES_S:
            return dict.fromkeys(("model_share", "others_share", "stolen_share"))
        model_s = max(0.0, self._tree_cpu_s - first.tree.cpu_s)
        own_s = latest.own_cpu_s - first.own_cpu_s
        busy_s = latest.machine.busy_s - first.machine.busy_s
        stolen_s = None
        if latest.machine.stolen_s is not None and first.machine.stolen_s is not None:
            stolen_s = latest.machine.stolen_s - first.machine.stolen_s
        return {
            "model_share": None if self._tree is None else model_s / lasted_s,
            "others_share": max(0.0, busy_s - model_s - own_s) / lasted_s,
            "stolen_share": None if stolen_s is None else stolen_s / lasted_s,
            **{
                f"waited_for_{name}_share": (waited_s - first.machine.waited_s[name]) / lasted_s
                for name, waited_s in latest.machine.waited_s.items()
                if name in first.machine.waited_s
            },
        }

    def _energy(self, first: Look, latest: Look, lasted_s: float) -> tuple[float | None, str | None]:
        """Return joules and where they are from: counters where there are any, else the watts given."""
        parts = {
            FROM_COUNTERS: _gone(first.processor_j, latest.processor_j),
            FROM_ACCELERATOR: _sum_known(
                _gone(before.energy_j, after.energy_j)
                for before, after in zip(first.accelerators, latest.accelerators, strict=True)
            ),
        }
        known = {source: joules for source, joules in parts.items() if joules is not None}
        if known:
            return sum(known.values()), " and ".join(known)
        watts = self._instruments.watts
        return (None, None) if watts is None else (watts * lasted_s, FROM_WATTS)

    def _of_accelerator(self, place: int) -> dict[str, Any]:
        facts = self._instruments.accelerators[place].facts
        return {
            "name": facts.name,
            "simulated": facts.simulated,
            "memory_used_high_bytes": self._highest.get(f"memory_used_bytes{place}"),
            "temperature_high_c": self._highest.get(f"temperature_c{place}"),
            "clock_low_hz": self._lowest.get(f"clock_hz{place}"),
            "power_high_w": self._highest.get(f"power_w{place}"),
        }


def _others_share(before: Look, after: Look) -> float:
    model_s = max(0.0, after.tree.cpu_s - before.tree.cpu_s)
    busy_s = after.machine.busy_s - before.machine.busy_s - (after.own_cpu_s - before.own_cpu_s)
    return max(0.0, busy_s - model_s) / (after.machine.at_s - before.machine.at_s)


def _gone(before: float | None, after: float | None) -> float | None:
    return None if before is None or after is None else after - before


def _sum_known(values: Iterable[float | None]) -> float | None:
    known = [value for value in values if value is not None]
    return sum(known) if known else None
