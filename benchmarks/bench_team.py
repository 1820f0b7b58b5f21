"""A team's logbook on a real server: what the end of a run takes beside the server's own commit, and many at once.

Run: python benchmarks/bench_team.py [RUNS] [ROWS]    (10,000 runs by 4 writers, 100,000 rows read; three minutes)

The server is started here, with its own settings for durability. Its own commit is one transaction with one row of the
same bytes, by its own client. Who reads is held against that client copying the same columns.
"""

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import psutil
import psycopg
from common import paired_ratio_words, spread_words

sys.path.insert(0, str(Path(__file__).parent.parent))
from tests.database import server
from tests.written import RIG, run_start
from unvek.core.logbook import tables
from unvek.core.logbook.array_columns import SORTS
from unvek.core.logbook.inserting import insert_all
from unvek.core.logbook.place import Place
from unvek.core.logbook.rows import KeptRun
from unvek.core.logbook.store import Logbook, add_launch, note_rig
from unvek.core.logbook.team_work import Work
from unvek.core.run.events.record import FINISHED, Progress, Provenance, RunRecord

WRITERS, ENDS, READINGS = 4, 300, 5
STEPS = tuple(0.01 + n / 1e6 for n in range(100))


def record(launch: int, place: int, variant: str = "full") -> RunRecord:
    return RunRecord(
        start=run_start(f"{variant}/violet/{place}", launch=launch, place=place, settings={"steps": 100}),
        limits={"run_s": 60.0}, status=FINISHED, error=None, exit_code=0, provenance=Provenance(),
        progress=Progress(time_s=1.0, step_times_s=STEPS, text="of leaf"), log_tail="loaded\n" * 20,
        machine={"others_share": 0.1},
    )  # fmt: skip


def ends_of_runs(address: str, folder: Path) -> None:
    """Show what the durable end of a run takes beside a commit of the server's own."""
    with Logbook.make_or_open(Place(folder, address)) as logbook, psycopg.connect(address) as own:
        logbook.record_rig("rig", RIG)
        logbook.tell_work(work())
        launch = logbook.open_launch("full", 1)
        own.execute("CREATE TABLE plain (number SERIAL PRIMARY KEY, content BYTEA)")
        own.commit()
        ours, theirs = [], []
        for place in range(1, ENDS + 1):
            ours.append(timed(lambda place=place: logbook.keep_run(record(launch, place))))

            def commit() -> None:
                own.execute("INSERT INTO plain (content) VALUES (%s)", [bytes(1500)])
                own.commit()

            theirs.append(timed(commit))
    more = [one - other for one, other in zip(ours, theirs, strict=True)]
    print(f"The durable end of a run: {spread_words(ours, 'ms', 1000)}; a commit of the server's own: "
          f"{spread_words(theirs, 'ms', 1000)}; more: {1000 * statistics.median(more):.2f} ms in the middle "
          f"(to reach: at most 3), ratio {paired_ratio_words(ours, theirs)}.")  # fmt: skip


def work() -> Work:
    return Work(title="Which painter?", session="evening", planned=ENDS)


def timed(do: Callable[[], object]) -> float:
    began_s = time.perf_counter()
    do()
    return time.perf_counter() - began_s


def write(address: str, folder: str, writer: int, runs: int) -> float:
    began_s = time.perf_counter()
    with Logbook.make_or_open(Place(Path(folder), address)) as logbook:
        logbook.record_rig(f"rig-{writer}", {**RIG, "name": f"bench-{writer}"})
        logbook.begin_session("run")
        for number in range(runs):
            if number % 50 == 0:
                launch = logbook.open_launch("full", 1 + number // 50)
            logbook.keep_run(record(launch, 1 + number % 50, f"v{writer}"))
        logbook.end_session()
    return time.perf_counter() - began_s


def many_at_once(address: str, folder: Path, runs: int) -> None:
    """Show that of runs by several writers at once none is lost, and none there twice."""
    began_s = time.perf_counter()
    with ProcessPoolExecutor(WRITERS, get_context("spawn")) as pool:
        done = [pool.submit(write, address, str(folder / str(n)), n, runs // WRITERS) for n in range(WRITERS)]
        for one in done:
            one.result()
    took_s = time.perf_counter() - began_s
    with Logbook.open(Place(folder / "reader", address)) as logbook:
        kept = logbook.runs()
    ids, numbers, slots = ({get(run) for run in kept} for get in (
        lambda run: run.id, lambda run: run.number, lambda run: (run.launch, run.place)
    ))  # fmt: skip
    assert len(kept) == len(ids) == len(numbers) == len(slots) == runs // WRITERS * WRITERS
    each_ms = 1000 * WRITERS * took_s / len(kept)
    print(f"{WRITERS} writers at once, {len(kept)} runs in {took_s:.1f} s ({each_ms:.2f} ms a run for each): none "
          "lost, none twice.")  # fmt: skip


def reading(address: str, folder: Path, rows: int) -> None:
    """Show what reading columns takes beside the server's own client copying them."""
    place = Place(folder, address)
    with Logbook.make_or_open(place) as logbook, logbook.bringing_in() as connection:
        fill(connection, rows)
    names = ", ".join(name for name in SORTS if name != "rig")
    ours, first, theirs = [], [], []
    for _ in range(READINGS):
        for left in folder.glob("runs.arrow*"):
            left.unlink()
        for into in (first, ours):
            with Logbook.open(place) as logbook:
                into.append(timed(lambda logbook=logbook: len(logbook.run_columns())))
        with psycopg.connect(address) as own:
            theirs.append(
                timed(lambda own=own: copied(own, f"COPY (SELECT {names} FROM runs ORDER BY number) TO STDOUT"))
            )
    print(f"Columns of {rows} runs: {spread_words(first, 's')} the first time, {spread_words(ours, 's')} from then on; "
          f"the server's client copies them in {spread_words(theirs, 's')}: ratios "
          f"{paired_ratio_words(first, theirs)} and {paired_ratio_words(ours, theirs)}.")  # fmt: skip


def copied(own: psycopg.Connection, words: str) -> int:
    with own.cursor() as cursor, cursor.copy(words) as copying:
        return sum(len(block) for block in copying)


def fill(connection, rows: int) -> None:
    note_rig(connection, "rig", RIG)
    launch = add_launch(connection, None, "full", 1, "rig").number
    insert_all(connection, tables.runs, (
        KeptRun(number=n, id=f"run-{n}", cell=f"c{n % 97}", launch=launch, variant=f"v{n % 7}", task=f"t{n % 13}",
                seed=n % 10, round=1 + n // 1000, repeat=1, place=1 + n % 1000, status=FINISHED, time_s=1 + n / 1e6,
                steps=20, step_time_s=0.05, started_at="2026-11-20T08:00:00.000+00:00")
        for n in range(1, rows + 1)
    ))  # fmt: skip


def memory() -> None:
    """Show what the extras add to a process that keeps runs."""
    folder = "import sqlite3; from unvek.core.logbook.sqlite_backend import Sqlite"
    of_server = f"{folder}; import psycopg, sqlalchemy.dialects.postgresql.psycopg"
    with_store = f"{of_server}, s3fs"
    held = {"a folder's logbook": folder, "a server's": of_server, "a server's and an object store": with_store}
    said = "; ".join(f"{words}: {resident(code):.0f} MiB" for words, code in held.items())
    print(f"Memory of a process that has what it takes for {said}.")


def resident(code: str) -> float:
    process = subprocess.Popen(
        [sys.executable, "-c", f"{code}\nprint('here', flush=True)\ninput()"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
    )
    assert process.stdout is not None
    process.stdout.readline()
    held = psutil.Process(process.pid).memory_info().rss / 2**20
    process.kill()
    process.communicate()
    return held


def main(runs: int, rows: int) -> None:
    running = server()
    with tempfile.TemporaryDirectory(prefix="unvek-bench-") as name:
        folder = Path(name)
        ends_of_runs(running.address(running.new_database()), folder / "ends")
        many_at_once(running.address(running.new_database()), folder / "many", runs)
        reading(running.address(running.new_database()), folder / "reading", rows)
    memory()


if __name__ == "__main__":
    os.environ.pop("UNVEK_LOGBOOK", None)
    main(*(int(given) for given in sys.argv[1:3]) if len(sys.argv) == 3 else (10_000, 100_000))
