"""Processes that the engine starts itself, where there is no guardian: their children are found again by a mark."""

import os
import subprocess
import sys
from time import monotonic, monotonic_ns, sleep

from unvek.core.run.processes.family import end_marked
from unvek.core.run.processes.process import Ended, Process, Spawner, StartError, ToStart

POLL_S = 0.002
PEAK_UNIT = 1 if sys.platform == "darwin" else 1024  # bytes, of what getrusage(2) gives


class DirectProcess(Process):
    def __init__(self, process: "subprocess.Popen[bytes]"):
        self._process = process
        self._ended: Ended | None = None
        self.pid = process.pid

    def ended(self) -> Ended | None:
        if self._ended is None:
            pid, status, used = os.wait4(self.pid, os.WNOHANG)
            if pid:
                self._process.returncode = os.waitstatus_to_exitcode(status)
                self._ended = Ended(
                    code=self._process.returncode, at_ns=monotonic_ns(), cpu_s=used.ru_utime + used.ru_stime,
                    peak_bytes=used.ru_maxrss * PEAK_UNIT,
                )  # fmt: skip
        return self._ended

    def wait(self, seconds: float) -> bool:
        until_s = monotonic() + seconds
        while self.ended() is None and monotonic() < until_s:
            sleep(POLL_S)
        return self.ended() is not None


class DirectSpawner(Spawner):
    def start(self, wanted: ToStart) -> Process:
        try:
            return DirectProcess(
                subprocess.Popen(
                    wanted.command,
                    executable=wanted.program,
                    stdin=subprocess.DEVNULL,
                    stdout=wanted.output,
                    stderr=wanted.error,
                    pass_fds=wanted.fds,
                    cwd=wanted.folder,
                    env=wanted.environment,
                    start_new_session=True,
                )
            )
        except (OSError, ValueError) as error:  # the last for a zero byte in an argument
            raise StartError(str(getattr(error, "strerror", None) or error)) from error

    def end_family(self, mark: str) -> None:
        end_marked(mark)
