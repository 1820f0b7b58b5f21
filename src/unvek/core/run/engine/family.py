"""All that a model's process starts, found again by a mark in its environment, so that nothing is left behind.

A child that leaves the process group, or whose parent has crashed, is in no group and under no parent that we
know. On Linux this process asks to become the parent of such orphans; the mark tells them from other children.
"""

import ctypes
import os
import signal
import subprocess
import sys
from uuid import uuid4

import psutil

from unvek.core.rig.process_tree import MARK, start_of

AFTER_KILL_S = 5.0


def new_mark() -> str:
    """Return a mark that nobody else bears, and that says which process made it."""
    return f"{os.getpid()}:{start_of(os.getpid())}:{uuid4().hex}"


def adopt_orphans() -> None:
    """Become the parent of orphaned descendants (prctl(2), PR_SET_CHILD_SUBREAPER); elsewhere than on Linux nothing."""
    if sys.platform == "linux":
        PR_SET_CHILD_SUBREAPER = 36
        ctypes.CDLL(None).prctl(PR_SET_CHILD_SUBREAPER, 1)


def end_group(pid: int, number: int = signal.SIGKILL) -> None:
    """Send a signal to the process group that this process leads."""
    try:
        os.killpg(pid, number)
    except (ProcessLookupError, PermissionError):
        pass  # the group is gone already (on macOS a group of zombies is not permitted)


def end_process(process: "subprocess.Popen[bytes]", patience_s: float, after_asking_s: float = 0.2) -> None:
    """End a process that leads a group, and the group: wait for it, ask it to end, wait again, then kill."""
    if not _ends_within(process, patience_s):
        end_group(process.pid, signal.SIGTERM)
        _ends_within(process, after_asking_s)
    end_group(process.pid)
    _ends_within(process, AFTER_KILL_S)


def _ends_within(process: "subprocess.Popen[bytes]", seconds: float) -> bool:
    try:
        process.wait(max(0.0, seconds))
    except subprocess.TimeoutExpired:
        return False
    return True


def end_family(mark: str) -> None:
    """Kill and reap every descendant of this process that bears the mark."""
    for process in psutil.Process().children(recursive=True):
        try:
            if process.environ().get(MARK) == mark:
                process.kill()
                process.wait(timeout=1)
        except psutil.Error:
            continue  # gone meanwhile, or not ours to ask


def end_leftovers() -> int:
    """Kill what launches of engines that are no more have left running; return how many processes that were.

    An engine that was killed could not end the children of its model: they would disturb what is measured next.
    """
    ended = 0
    for process in psutil.process_iter():
        try:
            mark = process.environ().get(MARK)
            if mark is not None and not _maker_lives(mark):
                process.kill()
                ended += 1
        except psutil.Error:
            continue  # gone meanwhile, or not ours to ask
    return ended


def _maker_lives(mark: str) -> bool:
    pid, _, rest = mark.partition(":")
    return pid.isdecimal() and start_of(int(pid)) == rest.partition(":")[0]


def exit_words(code: int | None) -> str:
    """Word an exit code as Python gives it: negative for a signal."""
    if code is None:
        return "an unknown exit code"
    return f"signal {-code}" if code < 0 else f"exit code {code}"
