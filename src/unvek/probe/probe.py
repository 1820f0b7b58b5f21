"""The probe: the little object through which a model script reports what it does.

Every report is an event, one JSON object a line, stamped with the monotonic clock of this process as the first
thing that happens. Writing to the pipe costs a system call and may wake the reader, so events that follow each
other within WRITE_EVERY_NS are kept and written together: the stamps are taken at once, only the news is late.
Standard library only, Python 3.8 and later.
"""

import base64
import math
import os
import shutil
from json.encoder import encode_basestring_ascii as quoted
from pathlib import Path
from time import monotonic_ns
from typing import Callable, List, Optional, Union

WRITE_EVERY_NS = 20_000_000
PREVIEW_EVERY_NS = 120_000_000
LONGEST_TEXT = 16_000  # characters in one event; a longer text is sent in pieces
LARGEST_PREVIEW = 96 * 96  # pixels


class EventPipe:
    """Writes event lines to the engine."""

    def __init__(self, fd: int):
        self._fd = fd
        self._waiting: List[bytes] = []
        self._written_at_ns = 0

    def put(self, line: bytes, at_ns: int) -> None:
        """Write a line now if the last writing is long enough ago, and keep it for the next one otherwise."""
        self._waiting.append(line)
        if at_ns - self._written_at_ns > WRITE_EVERY_NS:
            self.flush()

    def flush(self) -> None:
        data = b"".join(self._waiting)
        self._waiting.clear()
        while data:
            data = data[os.write(self._fd, data) :]
        self._written_at_ns = monotonic_ns()


class Probe:
    """Reports on one run. Set `sync` to an accelerator's synchronise call to have it called before each stamp."""

    def __init__(self, pipe: EventPipe, out: Path):
        self.sync: Optional[Callable[[], object]] = None
        self._pipe = pipe
        self._out = out
        self._outputs = 0
        self._preview_at_ns = 0

    def step(self, of: Optional[int] = None) -> None:
        """One step is done; `of` is how many there will be."""
        at_ns = self._stamp()
        if of is None:
            self._pipe.put(b'{"event":"step","at_ns":%d}\n' % at_ns, at_ns)
        else:
            self._pipe.put(b'{"event":"step","at_ns":%d,"of":%d}\n' % (at_ns, of), at_ns)

    def token(self, text: str, count: int = 1) -> None:
        """A token has come, or `count` of them at once."""
        at_ns = self._stamp()
        self._pipe.put(b'{"event":"token","at_ns":%d,"n":%d,"text":%s}\n' % (at_ns, count, _json(text)), at_ns)

    def phase(self, name: str) -> None:
        """From here on the run is in this phase; the first step counts from the start of its phase."""
        at_ns = self._stamp()
        self._pipe.put(b'{"event":"phase","at_ns":%d,"name":%s}\n' % (at_ns, _json(name)), at_ns)

    def text(self, text: str) -> None:
        """A piece of the answer that isn't a token."""
        at_ns = self._stamp()
        for start in range(0, max(1, len(text)), LONGEST_TEXT):
            piece = text[start : start + LONGEST_TEXT]
            self._pipe.put(b'{"event":"text","at_ns":%d,"text":%s}\n' % (at_ns, _json(piece)), at_ns)

    def output(self, content: Union[str, "os.PathLike[str]", bytes], name: Optional[str] = None) -> None:
        """Hand in a result: a file (one outside the job's `out` folder is copied into it), or bytes to be saved."""
        at_ns = self._stamp()
        self._outputs += 1
        if isinstance(content, (bytes, bytearray, memoryview)):
            target = self._out / Path(name or "output-%d.bin" % self._outputs).name
            target.write_bytes(content)
        else:
            source = Path(content)
            target = self._out / Path(name or source.name).name
            if source.resolve() != target.resolve():
                shutil.copyfile(str(source), str(target))
        self._pipe.put(b'{"event":"output","at_ns":%d,"name":%s}\n' % (at_ns, _json(target.name)), at_ns)

    def value(self, name: str, number: float, unit: str = "") -> None:
        """A named number about this run; it becomes a measure."""
        at_ns = self._stamp()
        number = float(number)
        if not math.isfinite(number):
            raise ValueError("probe.value(%r) got %r, which is no finite number" % (name, number))
        self._pipe.put(
            b'{"event":"value","at_ns":%d,"name":%s,"number":%s,"unit":%s}\n'
            % (at_ns, _json(name), repr(number).encode(), _json(unit)),
            at_ns,
        )

    def count(self, name: str, n: int = 1) -> None:
        """Something to be counted has happened n times: a call, a retry."""
        at_ns = self._stamp()
        self._pipe.put(b'{"event":"count","at_ns":%d,"name":%s,"n":%d}\n' % (at_ns, _json(name), n), at_ns)

    def tokens_in(self, n: int) -> None:
        """The prompt had n tokens."""
        self.count("input.tokens", n)

    def fault(self, kind: str, note: str = "") -> None:
        """Something went wrong that did not end the run."""
        at_ns = self._stamp()
        self._pipe.put(b'{"event":"fault","at_ns":%d,"kind":%s,"note":%s}\n' % (at_ns, _json(kind), _json(note)), at_ns)

    @property
    def preview_due(self) -> bool:
        """Whether a preview would be sent now: ask before making one that costs something to make."""
        return monotonic_ns() - self._preview_at_ns > PREVIEW_EVERY_NS

    def preview(self, width: int, height: int, rgb: bytes) -> None:
        """Show a small picture (at most 96x96) as it forms: rows of red, green, blue bytes. At most 8 a second go."""
        if not self.preview_due:
            return
        rgb = bytes(rgb)
        if width < 1 or height < 1 or width * height > LARGEST_PREVIEW or len(rgb) != 3 * width * height:
            raise ValueError(
                "a preview has at most %d pixels and 3 bytes for each; got %d x %d and %d bytes"
                % (LARGEST_PREVIEW, width, height, len(rgb))
            )
        at_ns = monotonic_ns()
        self._preview_at_ns = at_ns
        self._pipe.put(
            b'{"event":"preview","at_ns":%d,"width":%d,"height":%d,"rgb":"%s"}\n'
            % (at_ns, width, height, base64.b64encode(rgb)),
            at_ns,
        )

    def device_memory(self, n_bytes: int) -> None:
        """How much of the accelerator's memory is in use now."""
        at_ns = self._stamp()
        self._pipe.put(b'{"event":"memory","at_ns":%d,"device_bytes":%d}\n' % (at_ns, n_bytes), at_ns)

    def _stamp(self) -> int:
        if self.sync is not None:
            self.sync()
        return monotonic_ns()


def _json(text: str) -> bytes:
    return quoted(str(text)[:LONGEST_TEXT]).encode("ascii")
