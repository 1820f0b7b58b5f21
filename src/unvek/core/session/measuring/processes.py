"""Processes that measure for another one: they leave Ctrl-C to it, and end with it."""

import signal
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import active_children, get_context

from unvek.core.run.processes.family import die_with_parent


def process_pool(workers: int) -> ProcessPoolExecutor:
    """Return so many processes, started when there is something to do."""
    return ProcessPoolExecutor(workers, get_context("spawn"), initializer=_begin)


def give_up(pool: ProcessPoolExecutor) -> None:
    """End processes in the midst of what they do, which may take long."""
    for process in active_children():
        process.kill()
    pool.shutdown(wait=False, cancel_futures=True)


def _begin() -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    die_with_parent()
