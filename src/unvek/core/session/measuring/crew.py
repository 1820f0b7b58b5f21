"""Many values worked out at a time: at first in this process, and where there is more to do, over all cores."""

import atexit
import os
from collections import deque
from collections.abc import Generator, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, wait
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from dataclasses import dataclass
from time import monotonic

from unvek.core.evidence.outputs.source import KeptOutputs
from unvek.core.session.measuring.fence import ONE_THREAD
from unvek.core.session.measuring.processes import give_up, process_pool
from unvek.core.session.measuring.wanted import Job, Outcome, OutputsByRun
from unvek.core.session.measuring.worker import Worker

ALONE_FOR_S = 1.0  # a process takes some tenths of a second to be ready
LARGEST_CHUNK = 16  # jobs
CHUNKS_AHEAD = 2  # for each worker
KILLED = "the process that measured it was killed, or ran out of memory"


@dataclass(frozen=True, slots=True)
class Task:
    """Jobs that one worker does in one go, with the outputs that they are of."""

    jobs: Sequence[Job]
    kept: KeptOutputs


def worked_out(jobs: Sequence[Job], kept: KeptOutputs) -> Generator[tuple[int, list[Outcome]], None, None]:
    """Yield what came of each job, by its place, in the order in which they are done; closed, give up the rest."""
    outputs = OutputsByRun(kept)
    began_s, done = monotonic(), 0
    with Worker() as worker:
        for place, job in enumerate(jobs):
            if monotonic() - began_s > ALONE_FOR_S and cores() > 1 and len(jobs) - done > 1:
                break
            yield place, worker.work_out(job, outputs.of([job]))
            done += 1
    if done < len(jobs):
        with _one_thread_each():
            yield from _over_cores(jobs, list(range(done, len(jobs))), outputs)


def cores() -> int:
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def _over_cores(
    jobs: Sequence[Job], places: Sequence[int], outputs: OutputsByRun
) -> Iterator[tuple[int, list[Outcome]]]:
    """Do these jobs in a process for each core. Where one is killed, find out in another by which job."""
    size = max(1, min(LARGEST_CHUNK, len(places) // (4 * cores())))
    left = _in_chunks(places, size)
    while left:
        broken, left = yield from _in_pool(jobs, left, outputs, cores(), CHUNKS_AHEAD * cores())
        suspects = _in_chunks([place for chunk in broken for place in chunk], 1)
        while suspects:
            broken, suspects = yield from _in_pool(jobs, suspects, outputs, 1, 1)
            for (place,) in broken:
                yield place, [Outcome(jobs[place].name, None, KILLED)]


def _in_chunks(places: Sequence[int], size: int) -> list[Sequence[int]]:
    return [places[start : start + size] for start in range(0, len(places), size)]


def _in_pool(
    jobs: Sequence[Job], chunks: Sequence[Sequence[int]], outputs: OutputsByRun, workers: int, ahead: int
) -> Generator[tuple[int, list[Outcome]], None, tuple[list[Sequence[int]], list[Sequence[int]]]]:
    """Do chunks of jobs in processes of their own, so many handed out at a time.

    Return those that were handed out when a process was killed, and those that were not yet; none if all went well.
    """
    waiting = deque(chunks)
    under_way: dict[Future[list[list[Outcome]]], Sequence[int]] = {}
    pool = process_pool(workers)
    try:
        while waiting or under_way:
            while waiting and len(under_way) < ahead:
                some = [jobs[place] for place in waiting[0]]
                under_way[pool.submit(_do, Task(some, outputs.of(some)))] = waiting[0]
                waiting.popleft()
            for future in wait(under_way, return_when=FIRST_COMPLETED).done:
                yield from zip(under_way[future], future.result(), strict=True)
                del under_way[future]
    except BrokenProcessPool:
        pool.shutdown(cancel_futures=True)
        return list(under_way.values()), list(waiting)
    except BaseException:  # Ctrl-C, which may come while a process is being started; or nobody wants the rest
        give_up(pool)
        raise
    pool.shutdown()
    return [], []


@contextmanager
def _one_thread_each() -> Iterator[None]:
    """Have the processes started meanwhile do their arithmetic in one thread: there is one of them for each core."""
    before = {name: os.environ.get(name) for name in ONE_THREAD}
    os.environ.update(ONE_THREAD)
    try:
        yield
    finally:
        for name, value in before.items():
            if value is None:
                os.environ.pop(name, None)
            else:
                os.environ[name] = value


# ---- within a worker's process ----

_workers: list[Worker] = []


def _do(task: Task) -> list[list[Outcome]]:
    if not _workers:
        _workers.append(Worker())
        atexit.register(_workers[0].close)
    return [_workers[0].work_out(job, task.kept) for job in task.jobs]
