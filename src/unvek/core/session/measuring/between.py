"""Measuring between two rounds: in a process of its own, so that the engine stays as small as it is."""

from collections.abc import Callable
from concurrent.futures import TimeoutError
from concurrent.futures.process import BrokenProcessPool

from unvek.core.errors import UnvekError
from unvek.core.logbook.place import Place
from unvek.core.session.measuring.processes import give_up, process_pool

LOOK_EVERY_S = 0.2


def measure_meanwhile(place: Place, is_enough: Callable[[], bool]) -> None:
    """Work out what is missing in a logbook, while no run is being made; given up when `is_enough` says so."""
    pool = process_pool(1)
    done = pool.submit(_measure, place)
    while not is_enough():
        try:
            done.result(timeout=LOOK_EVERY_S)
        except TimeoutError:
            continue
        except (BrokenProcessPool, UnvekError):
            pass  # what is missing is worked out after the last run, which says what is wrong
        pool.shutdown()
        return
    give_up(pool)


def _measure(place: Place) -> None:
    from unvek.core.evidence.gathering import Selection, gather
    from unvek.core.logbook.store import Logbook
    from unvek.core.session.measuring.working_out import Manner, work_out

    with Logbook.open(place) as logbook:
        work_out(logbook, gather(logbook, Selection(across_rigs=True)), Manner(holds_machine=True))
