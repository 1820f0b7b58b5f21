"""The processes of one launch: the model's own, all that it started, and those of them whose parent has gone.

On Linux a process is looked at twice only if it is one of the tree's: when a process has been born since the last look,
/proc is listed, and of those that were not there before the parent is read. One that is none of ours can't become one.
"""

import os
import sys
from dataclasses import dataclass

import psutil

from unvek.core.rig.machine import TICK_S

MARK = "UNVEK_LAUNCH"  # stands in the environment of a launch's processes
PAGE_BYTES = os.sysconf("SC_PAGE_SIZE")
FORGET_EVERY = 50  # looks; a number that went from one process to another between two looks is noticed then


@dataclass(frozen=True, slots=True, kw_only=True)
class TreeReading:
    """The tree at one moment. Memory that processes share counts for each of them."""

    processes: tuple[int, ...]
    memory_bytes: int
    cpu_s: float


class ProcessTree:
    """The tree below the process `root`. Orphans come to this process, which must have adopted them (run/family.py)."""

    def __init__(self, root: int, mark: str, adopter: int | None = None):
        """adopter: a process, besides this one, to which orphans come."""
        self._adopters = {os.getpid(), adopter}
        self._root = root
        self._mark = f"{MARK}={mark}".encode()
        self._members = {root}
        self._strangers: set[int] = set()
        self._newest = b""
        self._looks = 0

    def read(self) -> TreeReading:
        """Return the tree as it is; without any process when all have ended."""
        return self._read_proc() if sys.platform == "linux" else self._read_anywhere()

    def _read_proc(self) -> TreeReading:
        self._looks += 1
        if self._looks % FORGET_EVERY == 0:
            self._strangers.clear()
            self._newest = b""
        newest = _newest_process()
        if newest and newest == self._newest:
            present = self._members  # nobody has been born since the last look
        else:
            present = {int(name) for name in os.listdir("/proc") if name.isdigit()}
            self._strangers &= present
            self._newest = newest
        stats = {pid: stat for pid in present - self._strangers if (stat := _stat_of(pid)) is not None}
        members = {pid for pid in self._members if pid in stats}
        members |= {pid for pid in stats if pid == self._root or self._is_orphan(pid, stats[pid].parent)}
        while more := {pid for pid in stats if pid not in members and stats[pid].parent in members}:
            members |= more
        self._members = members or {self._root}
        self._strangers |= stats.keys() - members
        return TreeReading(
            processes=tuple(sorted(members)),
            memory_bytes=sum(stats[pid].memory_bytes for pid in members),
            cpu_s=sum(stats[pid].cpu_s for pid in members),
        )

    def _is_orphan(self, pid: int, parent: int) -> bool:
        if parent not in self._adopters:
            return False
        try:
            with open(f"/proc/{pid}/environ", "rb") as file:
                return self._mark in file.read().split(b"\0")
        except OSError:
            return False

    def _read_anywhere(self) -> TreeReading:
        processes, memory_bytes, cpu_s = [], 0, 0.0
        try:
            root = psutil.Process(self._root)
            for process in (root, *root.children(recursive=True)):
                with process.oneshot():
                    memory_bytes += process.memory_info().rss
                    cpu_s += sum(process.cpu_times()[:2])
                processes.append(process.pid)
        except psutil.Error:
            pass  # gone meanwhile
        return TreeReading(processes=tuple(processes), memory_bytes=memory_bytes, cpu_s=cpu_s)


@dataclass(frozen=True, slots=True)
class _Stat:
    parent: int
    cpu_s: float  # its own and that of children it has waited for
    memory_bytes: int


def _newest_process() -> bytes:
    """Return the number that was given last to a process or thread (proc(5), loadavg): listing them all costs more."""
    try:
        with open("/proc/loadavg", "rb", buffering=0) as file:
            return file.read(100).split()[-1]
    except (OSError, IndexError):
        return b""


def cpu_s_of(pid: int) -> float:
    """Return the processor time of one process, its ended children included; 0 where there is none."""
    if sys.platform == "linux":
        stat = _stat_of(pid)
        return stat.cpu_s if stat is not None else 0.0
    try:
        return float(sum(psutil.Process(pid).cpu_times()[:2]))
    except psutil.Error:
        return 0.0


def start_of(pid: int) -> str:
    """Return a text that tells a process from another that gets its number later; empty where there is none.

    On Linux in ticks since the machine was started, which the setting of the clock does not change.
    """
    if sys.platform == "linux":
        fields = _stat_fields(pid)
        return fields[19].decode("ascii") if len(fields) >= 22 else ""
    try:
        return f"{psutil.Process(pid).create_time():.0f}"
    except psutil.Error:
        return ""


def _stat_fields(pid: int) -> list[bytes]:
    """Return the fields of proc(5), stat, from the third (the state) on; none where there is no such process."""
    try:
        with open(f"/proc/{pid}/stat", "rb", buffering=0) as file:
            # The name may hold anything, ')' too; the last one ends it.
            return file.read(1024).rpartition(b")")[2].split()
    except OSError:
        return []


def _stat_of(pid: int) -> _Stat | None:
    fields = _stat_fields(pid)
    if len(fields) < 22 or fields[0] == b"Z":
        return None
    return _Stat(int(fields[1]), sum(map(int, fields[11:15])) * TICK_S, int(fields[21]) * PAGE_BYTES)
