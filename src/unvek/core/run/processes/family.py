"""All that a model's process starts, found again by a mark in its environment, so that nothing is left behind.

A child that leaves the process group, or whose parent has crashed, is in no group and under no parent that we
know. On Linux this process asks to become the parent of such orphans; the mark tells them from other children.
"""

import ctypes
import os
import signal
import sys
from uuid import uuid4

import psutil

from unvek.core.rig.process_tree import MARK, start_of

FROM_OUTSIDE = (signal.SIGKILL, signal.SIGTERM, signal.SIGHUP, signal.SIGINT, signal.SIGQUIT)


def new_mark() -> str:
    """Return a mark that nobody else bears, and that says which process made it."""
    return f"{os.getpid()}:{start_of(os.getpid())}:{uuid4().hex}"


def adopt_orphans() -> None:
    """Become the parent of orphaned descendants (prctl(2), PR_SET_CHILD_SUBREAPER); elsewhere than on Linux nothing."""
    if sys.platform == "linux":
        PR_SET_CHILD_SUBREAPER = 36
        ctypes.CDLL(None).prctl(PR_SET_CHILD_SUBREAPER, 1)


def die_with_parent() -> None:
    """Be killed when the process that started this one ends (prctl(2), PR_SET_PDEATHSIG), on Linux."""
    if sys.platform == "linux":
        PR_SET_PDEATHSIG = 1
        ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)


def end_marked(mark: str) -> None:
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


def is_from_outside(code: int | None) -> bool:
    """Whether an exit code tells of a signal that somebody sends, and no crash: what crashes ends by another."""
    return code is not None and -code in FROM_OUTSIDE


def exit_words(code: int | None) -> str:
    """Word an exit code as Python gives it: negative for a signal."""
    if code is None:
        return "an unknown exit code"
    return f"signal {-code}" if code < 0 else f"exit code {code}"
