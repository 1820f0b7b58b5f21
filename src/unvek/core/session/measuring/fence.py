"""A program that looks at outputs, kept within bounds: of time, of memory, of what it says and of what it may see.

What it looks at may have been written by a model, and what it runs may be what the model wrote. It gets a scratch
folder with copies, an environment with next to nothing in it, and is killed with all that it started. That is no
prison: it runs as the user, reads what the user may read, and reaches the network.
"""

import os
import resource
import select
import sys
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path
from time import monotonic
from types import MappingProxyType
from uuid import uuid4

from unvek.core.held_folder import remove
from unvek.core.rig.process_tree import MARK, ProcessTree
from unvek.core.run.engine.memory_fence import MemoryFence, let_go_first
from unvek.core.run.processes.family import new_mark
from unvek.core.run.processes.process import Ended, Process, Spawner, ToStart
from unvek.core.units import bytes_words, duration_words

LOOK_EVERY_S = 0.02
MOST_SAID = 64 * 2**10  # bytes of an answer
MOST_BESIDE = 64 * 2**20  # bytes of what else it prints, of which the end is kept
TAIL = 2000
LARGEST_FILE = 2**30  # bytes of a file that it writes
AT_ONCE = 2**16
AFTER_END_S = 0.2  # for what is still in its pipes
ONE_THREAD = MappingProxyType(dict.fromkeys(("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS"), "1"))


class OutOfBoundsError(Exception):
    """Why a program was killed."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Bounds:
    time_s: float
    memory_bytes: int


@contextmanager
def scratch_folder() -> Iterator[Path]:
    """Make a folder that goes again with whatever was put into it."""
    folder = Path(tempfile.mkdtemp(prefix="unvek-measure-"))
    try:
        yield folder
    finally:
        with suppress(OSError):
            parent = os.open(folder.parent, os.O_RDONLY | os.O_DIRECTORY)
            try:
                remove(folder.name, parent)
            finally:
                os.close(parent)


def bare_environment(scratch: Path) -> dict[str, str]:
    """Return all of an environment that a program gets: no keys, no proxies, one thread, since many run at a time."""
    return {
        "PATH": os.environ.get("PATH", os.defpath),
        "HOME": str(scratch),
        "TMPDIR": str(scratch),
        "LANG": "C.UTF-8",
        "PYTHONDONTWRITEBYTECODE": "1",
        **ONE_THREAD,
    }


@dataclass
class _Pipe:
    """Our end of a pipe, and what came through it."""

    fd: int
    most: int
    keeps_end: bool
    data: bytearray = field(default_factory=bytearray)
    seen: int = 0
    is_open: bool = True

    def read(self) -> None:
        try:
            found = os.read(self.fd, AT_ONCE)
        except BlockingIOError:
            return
        except OSError:
            found = b""
        if not found:
            self.is_open = False
            return
        self.seen += len(found)
        self.data += found
        if self.keeps_end:
            del self.data[:-TAIL]
        if self.seen > self.most:
            raise OutOfBoundsError(f"it printed more than {bytes_words(self.most)}")


class FencedProcess:
    """A program that has been started. StartError where that can't be; close() ends it and all that it started."""

    def __init__(self, spawner: Spawner, command: Sequence[str], scratch: Path, bounds: Bounds,
                 fds: Sequence[int] = ()):  # fmt: skip
        self._spawner, self._bounds, self._mark = spawner, bounds, new_mark()
        said, output = os.pipe()
        beside, error = os.pipe()
        self._said, self._beside = _Pipe(said, MOST_SAID, False), _Pipe(beside, MOST_BESIDE, True)
        for pipe in (said, beside):
            os.set_blocking(pipe, False)
        environment = {**bare_environment(scratch), MARK: self._mark}
        self._process: Process | None = None
        self._memory: MemoryFence | None = None
        wanted = ToStart(
            command=command, folder=scratch, environment=environment, output=output, error=error, fds=fds
        )  # fmt: skip
        try:
            self._process = spawner.start(wanted)
        except BaseException:
            self.close()
            raise
        finally:
            os.close(output)
            os.close(error)
        self._bound()
        self._tree = ProcessTree(self._process.pid, self._mark, spawner.adopter)

    def _bound(self) -> None:
        """Have the system bound what can only be seen too late."""
        assert self._process is not None, "it has just been started"
        let_go_first(self._process.pid)
        self._memory = MemoryFence.around(self._process.pid, uuid4().hex[:12], self._bounds.memory_bytes)
        if sys.platform == "linux":
            with suppress(OSError):  # it has ended already
                resource.prlimit(self._process.pid, resource.RLIMIT_CORE, (0, 0))
                resource.prlimit(self._process.pid, resource.RLIMIT_FSIZE, (LARGEST_FILE, LARGEST_FILE))

    @property
    def said(self) -> bytes:
        return bytes(self._said.data)

    @property
    def tail(self) -> str:
        """The end of what it printed beside its answer, or else of that."""
        return bytes(self._beside.data or self._said.data[-TAIL:]).decode("utf-8", "replace").strip()

    def wait(self, wake: int | None = None) -> Ended | None:
        """Wait until it has ended, or the descriptor `wake` can be read: then None. OutOfBoundsError beyond a bound."""
        assert self._process is not None, "only a started program is waited for"
        until_s, look_at_s = monotonic() + self._bounds.time_s, 0.0
        while True:
            waited_for = [pipe.fd for pipe in (self._said, self._beside) if pipe.is_open]
            ready = select.select([*waited_for, *([wake] if wake is not None else [])], [], [], LOOK_EVERY_S)[0]
            for pipe in (self._said, self._beside):
                if pipe.fd in ready:
                    pipe.read()
            if wake is not None and wake in ready:
                return None
            if (ended := self._process.ended()) is not None:
                self._drain()
                if self._memory is not None and self._memory.has_killed():
                    raise OutOfBoundsError(self._too_large)
                return ended
            if monotonic() > until_s:
                raise OutOfBoundsError(f"it took longer than {duration_words(self._bounds.time_s)}")
            if monotonic() > look_at_s:
                look_at_s = monotonic() + LOOK_EVERY_S
                if self._tree.read().memory_bytes > self._bounds.memory_bytes:
                    raise OutOfBoundsError(self._too_large)

    @property
    def _too_large(self) -> str:
        return f"it took more than {bytes_words(self._bounds.memory_bytes)} of memory"

    def _drain(self) -> None:
        """Read what is left in the pipes; what it left running may hold them open."""
        until_s = monotonic() + AFTER_END_S
        while monotonic() < until_s:
            waited_for = {pipe.fd: pipe for pipe in (self._said, self._beside) if pipe.is_open}
            ready = select.select(list(waited_for), [], [], 0.0)[0] if waited_for else []
            if not ready:
                return
            for fd in ready:
                waited_for[fd].read()

    def close(self) -> None:
        if self._process is not None:
            self._process.end(0, after_asking_s=0)
            self._spawner.end_family(self._mark)
        if self._memory is not None:
            self._memory.remove()
        for pipe in (self._said, self._beside):
            os.close(pipe.fd)
