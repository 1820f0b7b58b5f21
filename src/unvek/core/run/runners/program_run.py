"""One start of a program: the files through which it is heard, its exit, and what it used."""

import fcntl
import os
import pty
import selectors
import shutil
import struct
import sys
import tempfile
import termios
import tty
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path, PurePath
from time import monotonic_ns

from unvek.core.plan.runners import OUT_FOLDER, PRINTED, CommandRunner
from unvek.core.rig.process_tree import MARK
from unvek.core.run.engine.model_process import Surroundings
from unvek.core.run.events.event import Event, LineSplitter, NotAnEventError, made_event, parse_event
from unvek.core.run.outputs_room import MakingFolder
from unvek.core.run.processes.family import exit_words
from unvek.core.run.processes.process import Ended, Process, StartError, ToStart
from unvek.core.run.runners.printed_answer import PrintedAnswer
from unvek.core.run.runners.printed_progress import PrintedProgress

EVENTS_VARIABLE = "UNVEK_EVENTS"
MOST_AT_ONCE = 2**16  # bytes read from one file before the others have their turn
MOST_READS_AT_END = 256
POLL_S = 0.005  # where the system can't tell of an exit through a file
ROWS_AND_COLUMNS = (40, 160)
# A program can tell of these; began, loaded, ready and ended are told from outside it.
KINDS_FROM_PROGRAM = (
    "phase",
    "step",
    "token",
    "tokens",
    "text",
    "output",
    "value",
    "count",
    "fault",
    "preview",
    "memory",
)


class ProgramRun:
    """One start of the program, and the files through which it is heard."""

    def __init__(self, runner: CommandRunner, command: list[str], out: MakingFolder, around: Surroundings, mark: str,
                 began_ns: int):  # fmt: skip
        self.command = command
        self._runner = runner
        self._out = out
        self._selector = selectors.DefaultSelector()
        self._splitter = LineSplitter()
        self._garbage = 0
        self._progress = PrintedProgress(runner, began_ns)
        self._answer = PrintedAnswer()
        self._process: Process | None = None
        self._around = around
        self._is_closed = False
        self._ended = False
        self._latest_ns = began_ns
        self._code: int | None = None
        self._got = False  # whether the latest reading of a file brought anything
        self._own_folder = Path(tempfile.mkdtemp(prefix="unvek-events-"))
        self._events_path = self._own_folder / "events"
        program_ends = self._open_files()
        try:
            self._start(mark, program_ends)
        except (OSError, StartError):
            self.end(0)
            raise
        finally:
            for fd in set(program_ends):
                os.close(fd)

    def _open_files(self) -> tuple[int, int]:
        """Open what the program prints to and tells through; return its standard output and its standard error."""
        os.mkfifo(self._events_path)
        # Opened for writing too, so that a program that closes its end is not the end of it.
        self._selector.register(os.open(self._events_path, os.O_RDWR | os.O_NONBLOCK), selectors.EVENT_READ, self._told)
        ours, output = self._open_printed()
        if self._runner.answer != PRINTED:
            self._selector.register(ours, selectors.EVENT_READ, self._printed)
            return output, output
        self._selector.register(ours, selectors.EVENT_READ, self._answered)
        ours, error = self._open_printed()
        self._selector.register(ours, selectors.EVENT_READ, self._printed)
        return output, error

    def _open_printed(self) -> tuple[int, int]:
        """Return (our end, the program's end) of what it prints."""
        if not self._runner.terminal:
            ours, theirs = os.pipe()
        else:
            ours, theirs = pty.openpty()
            tty.setraw(theirs)  # no line end is changed on the way
            fcntl.ioctl(theirs, termios.TIOCSWINSZ, struct.pack("HHHH", *ROWS_AND_COLUMNS, 0, 0))
        os.set_blocking(ours, False)
        return ours, theirs

    def _start(self, mark: str, program_ends: tuple[int, int]) -> None:
        spawner = self._around.spawner
        self._process = spawner.start(
            ToStart(
                command=self.command,
                program=self._runner.program,
                folder=self._out.path if self._runner.start_in == OUT_FOLDER else self._runner.folder,
                environment={
                    **os.environ,
                    **self._runner.environment,
                    **self._around.environment,
                    EVENTS_VARIABLE: str(self._events_path),
                    MARK: mark,
                },
                output=program_ends[0],
                error=program_ends[1],
            )
        )
        if spawner.exits_fd is not None:
            self._selector.register(spawner.exits_fd, selectors.EVENT_READ, None)

    @property
    def pid(self) -> int | None:
        return self._process.pid if self._process is not None else None

    @property
    def dropped_lines(self) -> int:
        return self._garbage + self._splitter.dropped

    def events(self, timeout_s: float) -> Iterator[Event]:
        """Yield what has come, waiting so long at most; `ended` is the last."""
        if self._ended:
            return
        assert self._process is not None, "only a started program is heard"
        tells_of_exits = self._around.spawner.exits_fd is not None
        ready = self._selector.select(timeout_s if tells_of_exits else min(timeout_s, POLL_S))
        come = [event for key, _ in ready if key.data is not None for event in key.data(key.fd, monotonic_ns())]
        ended = self._process.ended()
        if ended is not None:  # what is read late, on a busy machine, came before the end all the same
            come = [event._replace(at_ns=min(event.at_ns, ended.at_ns)) for event in come]
        self._latest_ns = max((self._latest_ns, *(event.at_ns for event in come)))
        yield from come
        if ended is not None:
            yield from self._end_of_run(ended)

    def _end_of_run(self, end: Ended) -> Iterator[Event]:
        """Yield what was printed and told before the end, then the end: the latest of these stamps, not of ours."""
        at_ns, self._code = max(end.at_ns, self._latest_ns), end.code
        for key in list(self._selector.get_map().values()):
            if key.data is not None:
                for _ in range(MOST_READS_AT_END):  # what the program left running may print for ever
                    yield from list(key.data(key.fd, at_ns))
                    if not self._got:
                        break
        yield from self._progress.feed(b"", at_ns, final=True)
        yield from self._answer.feed(b"", at_ns, final=True)
        yield from self._outputs(at_ns)
        self._ended = True
        failed = self._code != 0
        ended = made_event(
            "ended",
            at_ns,
            status="failed" if failed else "finished",
            error=f"{Path(self.command[0]).name} ended with {exit_words(self._code)}" if failed else None,
            cpu_s=end.cpu_s,
            memory_peak_bytes=_peak_bytes(end.peak_bytes),
        )
        # Not in the journal's line: a signal's number is negative there, and no event's field is.
        yield ended._replace(fields={**ended.fields, "exit_code": self._code})

    def _outputs(self, at_ns: int) -> Iterator[Event]:
        """Files that do not fit the patterns are taken away: they are no outputs of the run."""
        with suppress(OSError), self._out.held() as folder:  # no folder any more: told where the outputs are taken
            for found in sorted(folder.found(), key=lambda found: found.path):
                if found.what is not None:
                    continue  # refused, where the outputs are taken
                if any(PurePath(found.path).match(pattern.removeprefix("**/")) for pattern in self._runner.outputs):
                    name = found.path.encode("utf-8", "surrogateescape").decode("utf-8", "replace")
                    yield made_event("output", at_ns, name=name[:1000])
                else:
                    folder.remove(found.path)

    # ---- what comes from the files ----

    def _read(self, fd: int) -> bytes:
        try:
            data = os.read(fd, MOST_AT_ONCE)
        except BlockingIOError:
            data, is_over = b"", False
        except OSError:  # a pseudo-terminal whose other end is closed
            data, is_over = b"", True
        else:
            is_over = not data
        if is_over:
            self._selector.unregister(fd)
            os.close(fd)
        self._got = bool(data)
        return data

    def _told(self, fd: int, at_ns: int) -> Iterator[Event]:
        for line in self._splitter.feed(self._read(fd)):
            try:
                event = parse_event(_stamped(line, at_ns))
            except NotAnEventError:
                self._garbage += 1
                continue
            if event.kind in KINDS_FROM_PROGRAM:
                yield event._replace(at_ns=min(event.at_ns, at_ns))
            else:
                self._garbage += 1

    def _printed(self, fd: int, at_ns: int) -> Iterator[Event]:
        data = self._read(fd)
        self._around.log.write(data)
        yield from self._progress.feed(data, at_ns)

    def _answered(self, fd: int, at_ns: int) -> Iterator[Event]:
        data = self._read(fd)
        yield from self._answer.feed(data, at_ns)

    # ---- the end ----

    def end(self, patience_s: float) -> int | None:
        """End the program and its group if it still runs, and close everything; return its exit code."""
        if self._is_closed:
            return self._code
        self._is_closed = True
        if self._process is not None:
            self._process.end(patience_s)
            self._code = self._process.code
        for key in list(self._selector.get_map().values()):
            if key.data is not None:  # not what the spawner tells of exits through
                os.close(key.fd)
        self._selector.close()
        shutil.rmtree(self._own_folder, ignore_errors=True)
        return self._code


def _stamped(line: bytes, at_ns: int) -> bytes:
    """Put the moment of its coming into an event that a program (a shell script, say) has not stamped itself."""
    if b'"at_ns"' in line:
        return line
    return line.rstrip()[:-1] + b',"at_ns":%d}' % at_ns if line.rstrip().endswith(b"}") else line


def _peak_bytes(max_resident: int | None) -> int | None:
    """Return the most that the program held, where the system's figure is its own.

    Linux hands the mark of the process that started a program on to it (execve(2) keeps it), so that it says nothing
    unless it is higher than this process's own; looks at the memory then have to do.
    """
    if sys.platform == "darwin" or max_resident is None:
        return max_resident
    own = 0
    try:
        with open("/proc/self/status", "rb") as file:
            own = next(int(line.split()[1]) for line in file if line.startswith(b"VmHWM:"))
    except (OSError, StopIteration):
        pass
    return max_resident if max_resident > 1024 * own else None
