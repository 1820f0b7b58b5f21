"""A stand-in for an accelerator: a memory of its own that can run out, and a speed that drops when it is hot.

Nothing is computed on it: `work` takes as long as such a device would, and the books are kept in a small file that
the engine reads. What was measured with it is marked simulated. A script uses it like this:

    device = SimulatedAccelerator.of_this_run()
    block = device.allocate(20 * 2**20)        # OutOfMemoryError where that is too much
    device.work(0.030)                         # 30 ms at full speed, longer when hot
    device.free(block)

Standard library only, Python 3.8 and later; this file may be copied beside a script.
"""

import fcntl
import math
import mmap
import os
import struct
from contextlib import contextmanager
from time import monotonic, sleep
from typing import Dict, Iterator, NamedTuple

VARIABLE = "UNVEK_SIMULATED_ACCELERATOR"  # names the file in which the books are kept
MOST_BLOCKS = 256
MOST_READINGS = 1000
HEAD = struct.Struct("=Qdddd")  # memory_bytes, at_s, temperature_c, busy_s, energy_j
BLOCK = struct.Struct("=QQ")  # the process that holds it (0: none), its bytes
FILE_BYTES = HEAD.size + MOST_BLOCKS * BLOCK.size

ROOM_C, WARMING_C, COOLING_S = 30.0, 65.0, 6.0  # idle; how much work adds in the end; how fast it follows
FULL_SPEED_TO_C, HALF_SPEED_AT_C = 65.0, 90.0
IDLE_W, BUSY_W = 6.0, 60.0
FULL_CLOCK_HZ = 1.5e9
SLICE_S = 0.005


class OutOfMemoryError(MemoryError):
    """The accelerator's memory is too small for what was asked."""


class State(NamedTuple):
    """The device at one moment."""

    memory_bytes: int
    at_s: float
    temperature_c: float
    busy_s: float
    energy_j: float

    @property
    def speed(self) -> float:
        """Full speed is 1; it falls in a straight line to a half as the device gets hot."""
        hot = (self.temperature_c - FULL_SPEED_TO_C) / (HALF_SPEED_AT_C - FULL_SPEED_TO_C)
        return 1.0 - 0.5 * min(1.0, max(0.0, hot))

    def after(self, now_s: float, busy: bool) -> "State":
        """The same device later, having worked or rested since (Newton's law of cooling)."""
        passed_s = max(0.0, now_s - self.at_s)
        goal_c = ROOM_C + (WARMING_C if busy else 0.0)
        temperature_c = goal_c + (self.temperature_c - goal_c) * math.exp(-passed_s / COOLING_S)
        watts = BUSY_W if busy else IDLE_W
        return State(
            self.memory_bytes, now_s, temperature_c, self.busy_s + busy * passed_s, self.energy_j + watts * passed_s
        )


class Books:
    """The file that the device's state and its memory's holders stand in, locked while it is changed."""

    def __init__(self, path: str):
        self._fd = os.open(path, os.O_RDWR | os.O_CLOEXEC)
        self._map = mmap.mmap(self._fd, FILE_BYTES)

    @classmethod
    def make(cls, path: str, memory_bytes: int) -> "Books":
        """Lay out a cool, empty device in a file."""
        with open(path, "wb") as file:
            file.write(HEAD.pack(memory_bytes, monotonic(), ROOM_C, 0.0, 0.0).ljust(FILE_BYTES, b"\0"))
        return cls(path)

    @contextmanager
    def locked(self) -> Iterator[None]:
        fcntl.lockf(self._fd, fcntl.LOCK_EX)
        try:
            yield
        finally:
            fcntl.lockf(self._fd, fcntl.LOCK_UN)

    def state(self) -> State:
        """Return the state, read until it comes out the same twice: it may be in the middle of a change."""
        found = HEAD.unpack_from(self._map)
        for _ in range(MOST_READINGS):
            again = HEAD.unpack_from(self._map)
            if again == found and found[0]:
                break
            found = again
        return State(*found)

    def set_state(self, state: State) -> None:
        HEAD.pack_into(self._map, 0, *state)

    def blocks(self) -> Dict[int, "tuple[int, int]"]:
        """Return (process, bytes) by the block's place; what a process that has ended held is free again."""
        found = {}
        for place in range(MOST_BLOCKS):
            process, size = BLOCK.unpack_from(self._map, HEAD.size + place * BLOCK.size)
            if process and _lives(process):
                found[place] = (process, size)
        return found

    def set_block(self, place: int, process: int, size: int) -> None:
        BLOCK.pack_into(self._map, HEAD.size + place * BLOCK.size, process, size)

    def close(self) -> None:
        self._map.close()
        os.close(self._fd)


class SimulatedAccelerator:
    """The device as a script sees it."""

    def __init__(self, path: str):
        self._books = Books(path)

    @classmethod
    def of_this_run(cls) -> "SimulatedAccelerator":
        """The device that the plan asks for; LookupError where it asks for none."""
        if VARIABLE not in os.environ:
            raise LookupError(
                'the plan has no simulated accelerator: add simulated_accelerator = "64 MiB" to its [rig]'
            )
        return cls(os.environ[VARIABLE])

    def allocate(self, n_bytes: int) -> int:
        """Take so much of the device's memory; returns the block's number. Raises OutOfMemoryError."""
        with self._books.locked():
            blocks = self._books.blocks()
            used, room = sum(size for _, size in blocks.values()), self._books.state().memory_bytes
            if used + n_bytes > room or len(blocks) == MOST_BLOCKS:
                raise OutOfMemoryError("the simulated accelerator has %d bytes, %d of them in use; asked for %d more"
                                       % (room, used, n_bytes))  # fmt: skip
            place = next(place for place in range(MOST_BLOCKS) if place not in blocks)
            self._books.set_block(place, os.getpid(), n_bytes)
            return place

    def free(self, block: int) -> None:
        with self._books.locked():
            self._books.set_block(block, 0, 0)

    @property
    def memory_used_bytes(self) -> int:
        return sum(size for _, size in self._books.blocks().values())

    def work(self, seconds: float) -> None:
        """Do what takes so many seconds at full speed."""
        left_s = seconds
        with self._books.locked():
            self._books.set_state(self._books.state().after(monotonic(), busy=False))
        while left_s > 0:
            speed = self._books.state().speed
            sleep(min(SLICE_S, left_s / speed))
            with self._books.locked():
                before = self._books.state()
                after = before.after(monotonic(), busy=True)
                self._books.set_state(after)
            left_s -= (after.at_s - before.at_s) * speed


def _lives(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        pass
    return True
