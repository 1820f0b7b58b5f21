"""python guardian.py SOCKET_FD: starts processes for the engine, and ends them with all that they started when it ends.

It is asked through a socket, a JSON object a line, file descriptors beside it; and answers so. Whatever its processes
leave behind becomes its child, in whatever group and with whatever environment: who starts it makes it the reaper of
its descendants. The socket's end is the engine's end. Standard library only, and little of that: it is soon there.
"""

from __future__ import annotations

import array
import errno
import fcntl
import json
import os
import select
import signal
import socket
import sys
from time import monotonic, monotonic_ns, sleep

TYPE_CHECKING = False  # typing takes as long to import as all the rest
if TYPE_CHECKING:
    from typing import Any

MOST_FDS = 16
END_WITHIN_S = 5.0
RESTORED = (signal.SIGPIPE, signal.SIGXFSZ)  # Python ignores these, and what it starts would


class Guardian:
    def __init__(self, fd: int) -> None:
        self._socket = socket.socket(fileno=fd)
        self._started: set[int] = set()
        self._rest = b""
        self._fds: list[int] = []

    def serve(self) -> None:
        wake, woken = os.pipe2(os.O_NONBLOCK | os.O_CLOEXEC)
        signal.set_wakeup_fd(woken, warn_on_full_buffer=False)
        signal.signal(signal.SIGCHLD, lambda *_: None)
        while True:
            ready, _, _ = select.select([self._socket.fileno(), wake], [], [])
            if wake in ready:
                try:
                    os.read(wake, 4096)
                except BlockingIOError:
                    pass
                self._reap()
            if self._socket.fileno() in ready and not self._hear():
                return

    def _hear(self) -> bool:
        """Do what has been asked; False where the engine has gone."""
        try:
            data, beside, _, _ = self._socket.recvmsg(65536, socket.CMSG_SPACE(4 * MOST_FDS), socket.MSG_CMSG_CLOEXEC)
        except OSError:
            return False
        for level, kind, content in beside:
            if level == socket.SOL_SOCKET and kind == socket.SCM_RIGHTS:
                fds = array.array("i", content[: len(content) // 4 * 4])
                self._fds += fds
        if not data:
            return False
        *lines, self._rest = (self._rest + data).split(b"\n")
        for line in lines:
            request = json.loads(line)
            if request["do"] == "start":
                self._start(request)
            else:
                self._end(request["mark"].encode())
                self._tell({"number": request["number"]})
        return True

    def _tell(self, content: Any) -> None:
        try:
            self._socket.sendall(json.dumps(content).encode() + b"\n")
        except OSError:
            pass  # the engine has gone: the socket says so

    def _start(self, request: Any) -> None:
        fds = [moved_above(self._fds.pop(0), max(request["to_have"])) for _ in request["to_have"]]
        try:
            os.chdir(request["folder"])
            actions = [(os.POSIX_SPAWN_DUP2, fd, number) for fd, number in zip(fds, request["to_have"], strict=True)]
            pid = os.posix_spawn(
                found(request["program"], request["environment"]),
                request["command"],
                request["environment"],
                file_actions=actions,
                setsid=True,
                setsigdef=RESTORED,
            )
        except (OSError, ValueError) as error:
            why = getattr(error, "strerror", None) or str(error)
            self._tell({"number": request["number"], "error": why})
        else:
            self._started.add(pid)
            self._tell({"number": request["number"], "pid": pid})
        finally:
            os.chdir("/")
            for fd in fds:
                os.close(fd)

    def _reap(self) -> None:
        """Take every child that has ended, and tell of those that were asked for."""
        while True:
            try:
                pid, status, used = os.wait4(-1, os.WNOHANG)
            except ChildProcessError:
                return
            if not pid:
                return
            if pid in self._started:
                self._started.discard(pid)
                self._tell(
                    {
                        "pid": pid,
                        "code": os.waitstatus_to_exitcode(status),
                        "at_ns": monotonic_ns(),
                        "cpu_s": used.ru_utime + used.ru_stime,
                        "peak_kib": used.ru_maxrss,
                    }
                )

    def _end(self, mark: bytes) -> None:
        """Kill whatever bears this mark, and every orphan that bears none."""
        give_up_at_s = monotonic() + END_WITHIN_S
        while monotonic() < give_up_at_s:
            parents = parents_of_processes()
            mine = descendants(os.getpid(), parents)
            to_end = [pid for pid in mine if self._is_to_end(pid, parents.get(pid), mark)]
            if not to_end:
                return
            kill(to_end)
            sleep(0.002)
            self._reap()

    def _is_to_end(self, pid: int, parent: int | None, mark: bytes) -> bool:
        own = environment_mark(pid)
        return own == mark or (not own and parent == os.getpid() and pid not in self._started)

    def end_everything(self) -> None:
        """Kill all that there is below, again until nothing is left: what a dying process has started comes here."""
        give_up_at_s = monotonic() + END_WITHIN_S
        while monotonic() < give_up_at_s:
            kill(descendants(os.getpid(), parents_of_processes()))
            try:
                while os.waitpid(-1, os.WNOHANG)[0]:
                    pass
            except ChildProcessError:
                return
            sleep(0.002)


def moved_above(fd: int, number: int) -> int:
    """Give a descriptor a number above those that a process is to have its own under: none is then written over."""
    moved = fcntl.fcntl(fd, fcntl.F_DUPFD_CLOEXEC, number + 1)
    os.close(fd)
    return moved


def found(program: str, environment: dict[str, str]) -> str:
    """Return where a program lies, by the PATH that it is to be given."""
    if "/" in program:
        return program
    for folder in environment.get("PATH", os.defpath).split(os.pathsep):
        path = os.path.join(folder or ".", program)
        if os.path.isfile(path) and os.access(path, os.X_OK):
            return path
    raise OSError(errno.ENOENT, os.strerror(errno.ENOENT))


def parents_of_processes() -> dict[int, int]:
    parents = {}
    for name in os.listdir("/proc"):
        if name.isdigit():
            try:
                with open(f"/proc/{name}/stat", "rb", buffering=0) as file:
                    parents[int(name)] = int(file.read(1024).rpartition(b")")[2].split()[1])
            except (OSError, IndexError, ValueError):
                continue  # gone meanwhile
    return parents


def descendants(root: int, parents: dict[int, int]) -> list[int]:
    children: dict[int, list[int]] = {}
    for pid, parent in parents.items():
        children.setdefault(parent, []).append(pid)
    below, all_of_them = [root], []
    while below:
        new = children.get(below.pop(), [])
        all_of_them += new
        below += new
    return all_of_them


def environment_mark(pid: int) -> bytes:
    """Return the mark that a process bears; empty where there is none, or it has ended."""
    try:
        with open(f"/proc/{pid}/environ", "rb") as file:
            for entry in file.read().split(b"\0"):
                if entry.startswith(b"UNVEK_LAUNCH="):
                    return entry.partition(b"=")[2]
    except OSError:
        pass
    return b""


def kill(pids: list[int]) -> None:
    for pid in pids:
        try:
            os.kill(pid, signal.SIGKILL)
        except OSError:
            pass  # gone meanwhile


def main() -> None:
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, lambda *_: None)  # it ends with the engine, and what it starts ignores none of them
    guardian = Guardian(int(sys.argv[1]))
    try:
        guardian.serve()
    finally:
        guardian.end_everything()


if __name__ == "__main__":
    main()
