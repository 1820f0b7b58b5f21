"""The probe: the little object through which a model script reports what it does.

Every report is an event, one JSON object a line, stamped with the monotonic clock of this process as the first
thing that happens. Events are laid into memory that the engine shares (EventRing): a write to a pipe or a file
would be a system call each time and would wake the reader, tens of microseconds taken from the model; a copy
within memory takes less than one, and what has been laid there is not lost when this process crashes or hangs.
Standard library only, Python 3.8 and later.
"""

import base64
import math
import mmap
import os
import shutil
from json.encoder import encode_basestring_ascii as quoted
from pathlib import Path
from threading import Lock
from time import monotonic_ns, sleep
from typing import Callable, Optional, Union

HEADER_BYTES = 16  # two counts of 64 bits
WRITTEN, READ = 0, 1  # their places
ROOM_BYTES = 8 * 2**20
HALF_BYTES = ROOM_BYTES // 2
PREVIEW_EVERY_NS = 120_000_000
LONGEST_TEXT = 5_000  # characters in one event, of up to 12 bytes in ASCII; a longer text is sent in pieces
LARGEST_PREVIEW = 96 * 96  # pixels
MOST_PREVIEWS = 900  # that are kept of one run: so many files of one are kept in all, and a few more


def counts_of(shared: mmap.mmap) -> memoryview:
    """Return the two counts at the beginning of the shared memory, each of which is read and written as a whole.

    The struct module is of no use here: it clears the bytes and then fills them one by one, so that the other process
    now and then (once in five thousand looks) saw a count that never was, and took old events for new ones.
    """
    return memoryview(shared)[:HEADER_BYTES].cast("Q")


class EventRing:
    """Shared memory for event lines: a header of two counts, then room that is used in a circle.

    The first count is of the bytes ever written, by this process; the second of the bytes ever read, by the
    engine. Between them lies what is still to be read. The engine looks several times a second; it is woken
    through a pipe when something may not wait, or when half of the room is taken.
    """

    def __init__(self, ring_fd: int, wake_fd: int):
        self._map = mmap.mmap(ring_fd, HEADER_BYTES + ROOM_BYTES)
        self._wake_fd = wake_fd
        self._counts = counts_of(self._map)
        self._written, self._read = self._counts
        self._woken_at = 0
        self._muted = False
        self._lock = Lock()  # scripts may report from several threads
        os.register_at_fork(after_in_child=self._mute)

    def put(self, line: bytes) -> None:
        """Lay a line down; waits only while all the room is taken."""
        with self._lock:
            if self._muted:
                return
            length = len(line)
            if self._written + length - self._read > HALF_BYTES:
                self._make_room(length)
            start = self._written % ROOM_BYTES
            if start + length <= ROOM_BYTES:
                self._map[HEADER_BYTES + start : HEADER_BYTES + start + length] = line
            else:
                first = ROOM_BYTES - start
                self._map[HEADER_BYTES + start :] = line[:first]
                self._map[HEADER_BYTES : HEADER_BYTES + length - first] = line[first:]
            self._written += length
            self._counts[WRITTEN] = self._written  # last: whoever sees the count finds the bytes

    def wake(self) -> None:
        """Have the engine read now."""
        self._woken_at = self._written
        os.write(self._wake_fd, b"\n")

    def _mute(self) -> None:
        """In a forked child: its copy of the counts would overwrite what this process lays down."""
        self._muted = True
        self._lock = Lock()

    def _make_room(self, length: int) -> None:
        self._read = self._counts[READ]
        if self._written - self._woken_at > HALF_BYTES:
            self.wake()
        while self._written + length - self._read > ROOM_BYTES:
            sleep(0.001)
            self._read = self._counts[READ]


class Probe:
    """Reports on one run. Set `sync` to an accelerator's synchronise call to have it called before each stamp."""

    def __init__(self, ring: EventRing, out: Path, keeps_previews: bool = False):
        self.sync: Optional[Callable[[], object]] = None
        self._ring = ring
        self._out = out
        self._outputs = 0
        self._preview_at_ns = 0
        self._keeps_previews = keeps_previews
        self._steps = 0

    def step(self, of: Optional[int] = None) -> None:
        """One step is done; `of` is how many there will be."""
        at_ns = self._stamp()
        self._steps += 1
        if of is None:
            self._ring.put(b'{"event":"step","at_ns":%d}\n' % at_ns)
        else:
            self._ring.put(b'{"event":"step","at_ns":%d,"of":%d}\n' % (at_ns, of))

    def token(self, text: str, count: int = 1) -> None:
        """A token has come, or `count` of them at once."""
        at_ns = self._stamp()
        self._ring.put(b'{"event":"token","at_ns":%d,"n":%d,"text":%s}\n' % (at_ns, count, _json(text)))

    def phase(self, name: str) -> None:
        """From here on the run is in this phase; the first step counts from the start of its phase."""
        at_ns = self._stamp()
        self._ring.put(b'{"event":"phase","at_ns":%d,"name":%s}\n' % (at_ns, _json(name)))

    def text(self, text: str) -> None:
        """A piece of the answer that isn't a token."""
        at_ns = self._stamp()
        for start in range(0, max(1, len(text)), LONGEST_TEXT):
            piece = text[start : start + LONGEST_TEXT]
            self._ring.put(b'{"event":"text","at_ns":%d,"text":%s}\n' % (at_ns, _json(piece)))

    def output(self, content: Union[str, "os.PathLike[str]", bytes], name: Optional[str] = None) -> None:
        """Hand in a result: a file, or bytes to be saved. A file outside the job's `out` folder is copied into it.

        A relative name is looked for in that folder first, then where the script runs.
        """
        at_ns = self._stamp()
        self._outputs += 1
        if isinstance(content, (bytes, bytearray, memoryview)):
            target = self._out / Path(name or "output-%d.bin" % self._outputs).name
            target.write_bytes(content)
        else:
            source = self._found(Path(content))
            target = self._out / Path(name or source.name).name
            if source.resolve() != target.resolve():
                shutil.copyfile(str(source), str(target))
        self._ring.put(b'{"event":"output","at_ns":%d,"name":%s}\n' % (at_ns, _json(target.name)))

    def _found(self, path: Path) -> Path:
        if path.is_absolute():
            return path
        for place in (self._out, Path.cwd()):
            if (place / path).exists():
                return place / path
        raise FileNotFoundError(
            "probe.output(%r): there is no such file in job.out (%s), nor in %s" % (str(path), self._out, Path.cwd())
        )

    def value(self, name: str, number: float, unit: str = "") -> None:
        """A named number about this run; it becomes a measure. One that is not finite is refused, and noted so."""
        at_ns = self._stamp()
        number = float(number)
        if not math.isfinite(number):
            self.fault("refused", "%s %r: no finite number" % (name, number))
            return
        self._ring.put(
            b'{"event":"value","at_ns":%d,"name":%s,"number":%s,"unit":%s}\n'
            % (at_ns, _json(name), repr(number).encode(), _json(unit))
        )

    def count(self, name: str, n: int = 1) -> None:
        """Something to be counted has happened n times: a call, a retry."""
        at_ns = self._stamp()
        self._ring.put(b'{"event":"count","at_ns":%d,"name":%s,"n":%d}\n' % (at_ns, _json(name), n))

    def tokens_in(self, n: int, cached: "int | None" = None) -> None:
        """The prompt had n tokens; so many of them (if that is known) were kept from an earlier one, and not read."""
        at_ns = self._stamp()
        known = b"" if cached is None else b',"cached":%d' % cached
        self._ring.put(b'{"event":"tokens","at_ns":%d,"read":%d%s}\n' % (at_ns, n, known))

    def fault(self, kind: str, note: str = "") -> None:
        """Something went wrong that did not end the run."""
        at_ns = self._stamp()
        self._ring.put(b'{"event":"fault","at_ns":%d,"kind":%s,"note":%s}\n' % (at_ns, _json(kind), _json(note)))

    @property
    def preview_due(self) -> bool:
        """Whether a preview would be sent or kept now: ask before making one that costs something to make."""
        return self._keeps_previews or monotonic_ns() - self._preview_at_ns > PREVIEW_EVERY_NS

    def preview(self, width: int, height: int, rgb: bytes) -> None:
        """Show a small picture (at most 96x96) as it forms: rows of red, green, blue bytes. At most 8 a second go.

        Where the plan keeps all, each is kept beside the outputs too, under its step, and may be as large as those.
        """
        if not self.preview_due:
            return
        rgb = bytes(rgb)
        if self._keeps_previews:
            self._keep_preview(width, height, rgb)
            if width * height > LARGEST_PREVIEW or monotonic_ns() - self._preview_at_ns <= PREVIEW_EVERY_NS:
                return
        if width < 1 or height < 1 or width * height > LARGEST_PREVIEW or len(rgb) != 3 * width * height:
            raise ValueError(
                "a preview has at most %d pixels and 3 bytes for each; got %d x %d and %d bytes"
                % (LARGEST_PREVIEW, width, height, len(rgb))
            )
        at_ns = monotonic_ns()
        self._preview_at_ns = at_ns
        self._ring.put(
            b'{"event":"preview","at_ns":%d,"width":%d,"height":%d,"rgb":"%s"}\n'
            % (at_ns, width, height, base64.b64encode(rgb))
        )

    def _keep_preview(self, width: int, height: int, rgb: bytes) -> None:
        """Keep a preview as a file (PPM), numbered by the steps that are done."""
        if width < 1 or height < 1 or len(rgb) != 3 * width * height:
            raise ValueError("a preview has 3 bytes a pixel; got %d x %d and %d bytes" % (width, height, len(rgb)))
        if self._steps > MOST_PREVIEWS:
            return
        folder = self._out / "previews"
        folder.mkdir(exist_ok=True)
        (folder / ("%05d.ppm" % self._steps)).write_bytes(b"P6 %d %d 255\n" % (width, height) + rgb)

    def device_memory(self, n_bytes: int) -> None:
        """How much of the accelerator's memory is in use now."""
        at_ns = self._stamp()
        self._ring.put(b'{"event":"memory","at_ns":%d,"device_bytes":%d}\n' % (at_ns, n_bytes))

    def _stamp(self) -> int:
        if self.sync is not None:
            self.sync()
        return monotonic_ns()


def _json(text: str) -> bytes:
    return quoted(str(text)[:LONGEST_TEXT]).encode("ascii")
