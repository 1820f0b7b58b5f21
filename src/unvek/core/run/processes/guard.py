"""The engine's side of the guardian, a process of its own that starts the others (guardian.py)."""

import json
import select
import socket
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path
from time import monotonic, monotonic_ns
from typing import Any

from unvek.core.run.processes.direct import DirectSpawner
from unvek.core.run.processes.family import adopt_orphans, end_marked
from unvek.core.run.processes.process import Ended, Process, Spawner, StartError, ToStart

PROGRAM = Path(__file__).with_name("guardian.py")
ANSWERS_WITHIN_S = 10.0
KILLED = -9


def spawner() -> Spawner:
    """Return what starts processes on this system."""
    return Guard() if sys.platform == "linux" else DirectSpawner()


class GuardedProcess(Process):
    """A process that the guardian has started."""

    def __init__(self, guard: "Guard", pid: int):
        self._guard = guard
        self.pid = pid
        self.how: Ended | None = None

    def ended(self) -> Ended | None:
        if self.how is None:
            self._guard.hear(0)
        return self.how

    def wait(self, seconds: float) -> bool:
        until_s = monotonic() + seconds
        while self.how is None and self._guard.hear(max(0.0, until_s - monotonic())):
            if monotonic() >= until_s:
                break
        return self.how is not None


class Guard(Spawner):
    """One guardian, started at once, and anew where it has been killed itself."""

    def __init__(self) -> None:
        self._processes: dict[int, GuardedProcess] = {}
        self._answers: dict[int, dict[str, Any]] = {}  # by the number of what was asked
        self._number = 0
        self._begin()

    def _begin(self) -> None:
        self._socket, theirs = socket.socketpair()
        self._rest = b""
        with theirs:
            self._guardian = subprocess.Popen(
                (sys.executable, "-I", "-S", "-B", str(PROGRAM), str(theirs.fileno())),
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                pass_fds=(theirs.fileno(),),
                start_new_session=True,  # a signal to the engine's group is none to it
                preexec_fn=adopt_orphans,
            )
        self.exits_fd, self.adopter = self._socket.fileno(), self._guardian.pid

    def start(self, wanted: ToStart) -> Process:
        if self._guardian.poll() is not None:
            self._socket.close()
            self._begin()
        fds = {1: wanted.output, 2: wanted.error, **{fd: fd for fd in wanted.fds}}
        with open("/dev/null", "rb") as nothing:
            fds = {0: nothing.fileno(), **fds}
            answer = self._asked(
                fds=tuple(fds.values()), do="start", command=list(wanted.command),
                program=wanted.program or wanted.command[0], folder=str(wanted.folder),
                environment=dict(wanted.environment), to_have=list(fds),
            )  # fmt: skip
        if "pid" not in answer:
            raise StartError(answer.get("error", "the process that starts others has been killed; try again"))
        process = self._processes[answer["pid"]] = GuardedProcess(self, answer["pid"])
        return process

    def end_family(self, mark: str) -> None:
        if not self._asked(do="end", mark=mark):
            end_marked(mark)

    def hear(self, seconds: float) -> bool:
        """Take what the guardian tells, waiting so long at most; False where it has gone."""
        try:
            while select.select([self._socket], [], [], seconds)[0]:
                data = self._socket.recv(65536)
                if not data:
                    return self._gone()
                *lines, self._rest = (self._rest + data).split(b"\n")
                for line in lines:
                    self._take(json.loads(line))
                seconds = 0.0
        except (OSError, ValueError):
            return self._gone()
        return True

    def close(self) -> None:
        self._socket.close()
        try:
            self._guardian.wait(ANSWERS_WITHIN_S)
        except subprocess.TimeoutExpired:
            self._guardian.kill()

    def _take(self, told: dict[str, Any]) -> None:
        if "code" not in told:
            self._answers[told["number"]] = told
            return
        process = self._processes.pop(told["pid"], None)
        if process is not None:
            process.how = Ended(
                code=told["code"], at_ns=told["at_ns"], cpu_s=told["cpu_s"], peak_bytes=1024 * told["peak_kib"]
            )

    def _asked(self, fds: Sequence[int] = (), **content: Any) -> dict[str, Any]:
        """Ask for something, and return the answer; an empty one where none comes."""
        self._number += 1
        data = json.dumps({**content, "number": self._number}).encode() + b"\n"
        try:
            sent = socket.send_fds(self._socket, [data], list(fds)) if fds else 0
            self._socket.sendall(data[sent:])
        except OSError:
            self._gone()
            return {}
        until_s = monotonic() + ANSWERS_WITHIN_S
        while self._number not in self._answers:
            if monotonic() >= until_s or not self.hear(max(0.0, until_s - monotonic())):
                break
        answer = self._answers.pop(self._number, {})
        self._answers.clear()  # of what was given up before
        return answer

    def _gone(self) -> bool:
        """The guardian has been killed: what it had started has come to this process, and is killed too."""
        for process in self._processes.values():
            process.how = Ended(code=KILLED, at_ns=monotonic_ns())
        self._processes.clear()
        return False
