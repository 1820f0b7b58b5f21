"""How quiet the machine is right now: a spin of fixed work repeated for two seconds, and what got in its way."""

import os
from collections.abc import Mapping
from dataclasses import dataclass
from statistics import median
from time import monotonic_ns

import psutil

from unvek.core.rig.machine import MachineReader
from unvek.core.stats.quantiles import quantile

SPIN_FOR_S = 2.0
TURNS = 20_000  # of an empty loop: a good half of a millisecond on the machines of today
QUIET_BELOW, UNSETTLED_BELOW = 0.03, 0.10  # of the middle time: how far nine in ten spins lie apart
INTERRUPTED_FROM = 1.2  # times the middle: a spin that was interrupted
WORTH_NAMING_SHARE = 0.01  # of the time: less of a disturbance is none
QUIET, UNSETTLED, NOISY = "quiet", "unsettled", "noisy"


@dataclass(frozen=True, slots=True, kw_only=True)
class Disturber:
    """Another process, and how many cores it kept busy meanwhile."""

    pid: int
    name: str
    share: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Quietness:
    """What the spin has shown. Shares are of one core; `spread` is of the middle time."""

    verdict: str
    spins: int
    spin_s: float
    spread: float
    slowest_s: float
    lost_share: float
    others_share: float
    stolen_share: float | None
    disturbers: tuple[Disturber, ...]
    largest: str


def listen_for_quiet(for_s: float = SPIN_FOR_S) -> Quietness:
    """Spin for so long, and say how evenly that went and what disturbed it most."""
    reader = MachineReader()
    before, processes, own_s = reader.read(), _cpu_by_process(), _own_cpu_s()
    times_s = _spin(for_s)
    after, own_s = reader.read(), _own_cpu_s() - own_s
    reader.close()
    lasted_s = after.at_s - before.at_s
    stolen = (
        None if after.stolen_s is None or before.stolen_s is None else (after.stolen_s - before.stolen_s) / lasted_s
    )
    disturbers = disturbers_between(processes, _cpu_by_process(), lasted_s)
    middle = median(times_s)
    ordered = sorted(times_s)
    spread = (quantile(ordered, 0.95) - quantile(ordered, 0.05)) / middle
    lost_s = sum(time - middle for time in times_s if time > INTERRUPTED_FROM * middle)
    return Quietness(
        verdict=QUIET if spread < QUIET_BELOW else UNSETTLED if spread < UNSETTLED_BELOW else NOISY,
        spins=len(times_s),
        spin_s=middle,
        spread=spread,
        slowest_s=ordered[-1],
        lost_share=lost_s / lasted_s,
        others_share=max(0.0, after.busy_s - before.busy_s - own_s) / lasted_s,
        stolen_share=stolen,
        disturbers=disturbers,
        largest=_largest(stolen, disturbers, spread),
    )


def _spin(for_s: float) -> list[float]:
    times_s = []
    end_ns = monotonic_ns() + int(for_s * 1e9)
    now_ns = monotonic_ns()
    while now_ns < end_ns:
        began_ns = now_ns
        for _ in range(TURNS):
            pass
        now_ns = monotonic_ns()
        times_s.append((now_ns - began_ns) * 1e-9)
    return times_s


def _own_cpu_s() -> float:
    times = os.times()
    return times.user + times.system


def _cpu_by_process() -> dict[tuple[int, float], tuple[str, float]]:
    """Return (name, processor seconds) of every process that can be asked, by its number and start."""
    found = {}
    for process in psutil.process_iter(["name", "cpu_times", "create_time"]):
        times = process.info["cpu_times"]
        if times is not None and process.pid != os.getpid():
            key = (process.pid, process.info["create_time"])
            found[key] = (process.info["name"] or "unknown", times.user + times.system)
    return found


def disturbers_between(
    before: Mapping[tuple[int, float], tuple[str, float]],
    after: Mapping[tuple[int, float], tuple[str, float]],
    lasted_s: float,
) -> tuple[Disturber, ...]:
    """Return the three that took most, of those that took anything worth naming."""
    shares = [
        Disturber(pid=key[0], name=name, share=(cpu_s - before.get(key, (name, 0.0))[1]) / lasted_s)
        for key, (name, cpu_s) in after.items()
    ]
    named = [disturber for disturber in shares if disturber.share >= WORTH_NAMING_SHARE]
    return tuple(sorted(named, key=lambda disturber: -disturber.share)[:3])


def _largest(stolen_share: float | None, disturbers: tuple[Disturber, ...], spread: float) -> str:
    """Name the largest disturbance."""
    top = disturbers[0] if disturbers else None
    if stolen_share is not None and stolen_share >= max(WORTH_NAMING_SHARE, top.share if top else 0.0):
        return f"the host of this virtual machine took {stolen_share:.2f} of a core"
    if top is not None:
        return f"{top.name} (process {top.pid}) kept {top.share:.2f} of a core busy"
    if spread >= UNSETTLED_BELOW:
        return "nothing that shows from here: the processor's clock, or other guests of its host"
    return "none to speak of"
