"""One start of a program: the files through which it is heard, its exit, and what it used."""

import fcntl
import os
import pty
import selectors
import shutil
import struct
import subprocess
import sys
import tempfile
import termios
import tty
from collections.abc import Iterator, Mapping
from pathlib import Path
from time import monotonic_ns

from unvek.core.plan.runners import OUT_FOLDER, PRINTED, CommandRunner
from unvek.core.rig.process_tree import MARK
from unvek.core.run.engine.family import end_process, exit_words
from unvek.core.run.events.event import Event, LineSplitter, NotAnEventError, made_event, parse_event
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

    def __init__(self, runner: CommandRunner, command: list[str], out: Path, log: Path,
                 environment: Mapping[str, str], mark: str, began_ns: int):  # fmt: skip
        self.command = command
        self._runner = runner
        self._out = out
        self._selector = selectors.DefaultSelector()
        self._splitter = LineSplitter()
        self._garbage = 0
        self._progress = PrintedProgress(runner, began_ns)
        self._answer = PrintedAnswer()
        self._process: subprocess.Popen[bytes] | None = None
        self._exit_fd: int | None = None
        self._ended = False
        self._code: int | None = None
        self._cpu_s: float | None = None
        self._peak_bytes: int | None = None
        self._got = False  # whether the latest reading of a file brought anything
        self._own_folder = Path(tempfile.mkdtemp(prefix="unvek-events-"))
        self._events_path = self._own_folder / "events"
        self._log_file = open(log, "ab", buffering=0)  # noqa: SIM115 - closed in end()
        program_ends = self._open_files()
        try:
            self._start(environment, mark, program_ends)
        except (OSError, ValueError):
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

    def _start(self, environment: Mapping[str, str], mark: str, program_ends: tuple[int, int]) -> None:
        self._process = subprocess.Popen(
            self.command,
            executable=self._runner.program,
            stdin=subprocess.DEVNULL,
            stdout=program_ends[0],
            stderr=program_ends[1],
            cwd=self._out if self._runner.start_in == OUT_FOLDER else self._runner.folder,
            env={
                **os.environ,
                **self._runner.environment,
                **environment,
                EVENTS_VARIABLE: str(self._events_path),
                MARK: mark,
            },
            start_new_session=True,
        )
        if hasattr(os, "pidfd_open"):
            self._exit_fd = os.pidfd_open(self._process.pid)
            self._selector.register(self._exit_fd, selectors.EVENT_READ, None)

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
        for key, _ in self._selector.select(timeout_s if self._exit_fd is not None else min(timeout_s, POLL_S)):
            if key.data is not None:
                yield from key.data(key.fd, monotonic_ns())
        if self._has_exited():
            yield from self._end_of_run(monotonic_ns())

    def _has_exited(self) -> bool:
        """Whether the program has exited; what it used is noted then."""
        assert self._process is not None, "only a started program is heard"
        pid, status, used = os.wait4(self._process.pid, os.WNOHANG)
        if pid == 0:
            return False
        self._process.returncode = self._code = os.waitstatus_to_exitcode(status)
        self._cpu_s = used.ru_utime + used.ru_stime
        self._peak_bytes = _peak_bytes(used.ru_maxrss)
        return True

    def _end_of_run(self, at_ns: int) -> Iterator[Event]:
        """Yield what was printed and told before the end, then the end: the latest of these stamps, not of ours."""
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
            cpu_s=self._cpu_s,
            memory_peak_bytes=self._peak_bytes,
        )
        # Not in the journal's line: a signal's number is negative there, and no event's field is.
        yield ended._replace(fields={**ended.fields, "exit_code": self._code})

    def _outputs(self, at_ns: int) -> Iterator[Event]:
        """Files that do not fit the patterns are taken away: they are no outputs of the run."""
        wanted = {path for pattern in self._runner.outputs for path in self._out.rglob(pattern) if path.is_file()}
        for path in sorted(self._out.rglob("*")):
            if path in wanted:
                yield made_event("output", at_ns, name=str(path.relative_to(self._out))[:1000])
            elif path.is_file() or path.is_symlink():
                path.unlink()

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
        self._log_file.write(data)
        yield from self._progress.feed(data, at_ns)

    def _answered(self, fd: int, at_ns: int) -> Iterator[Event]:
        data = self._read(fd)
        yield from self._answer.feed(data, at_ns)

    # ---- the end ----

    def end(self, patience_s: float) -> int | None:
        """End the program and its group if it still runs, and close everything; return its exit code."""
        if self._log_file.closed:
            return self._code
        if self._process is not None:
            end_process(self._process, patience_s)
            self._code = self._process.returncode
        for key in list(self._selector.get_map().values()):
            os.close(key.fd)
        self._selector.close()
        self._log_file.close()
        shutil.rmtree(self._own_folder, ignore_errors=True)
        return self._code


def _stamped(line: bytes, at_ns: int) -> bytes:
    """Put the moment of its coming into an event that a program (a shell script, say) has not stamped itself."""
    if b'"at_ns"' in line:
        return line
    return line.rstrip()[:-1] + b',"at_ns":%d}' % at_ns if line.rstrip().endswith(b"}") else line


def _peak_bytes(max_resident: int) -> int | None:
    """Return the most that the program held, where the system's figure is its own.

    Linux hands the mark of the process that started a program on to it (execve(2) keeps it), so that it says nothing
    unless it is higher than this process's own; looks at the memory then have to do.
    """
    if sys.platform == "darwin":
        return max_resident
    own = 0
    try:
        with open("/proc/self/status", "rb") as file:
            own = next(int(line.split()[1]) for line in file if line.startswith(b"VmHWM:"))
    except (OSError, StopIteration):
        pass
    return max_resident * 1024 if max_resident > own else None
