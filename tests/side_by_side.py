"""Modules of tests run side by side, each in a process of its own.

Most of what a test takes is starting processes and waiting for them, so that there is one more at a time than there are
processors. The largest modules begin first. What nearly every module imports is imported once, in a process that the others
are forked from. What a module prints is shown where it fails.
"""

import os
import sys
import tempfile
import time
import unittest
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor, as_completed
from multiprocessing import get_context
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parent.parent
LONGEST_S = 900
FORKED_FROM = ["numpy", "PIL.Image", "psutil", "rich.console", "unvek.cli.showing", "unvek.core.session.making"]


class Ended(NamedTuple):
    """How a module's tests went: what unittest said last, and all that it printed."""

    module: str
    passed: bool
    seconds: float
    said: str
    printed: str


def modules() -> list[str]:
    """Return all modules of tests, the largest first."""
    files = sorted(ROOT.glob("tests/**/test_*.py"), key=lambda path: -path.stat().st_size)
    return [".".join(path.relative_to(ROOT).with_suffix("").parts) for path in files]


def run_here(module: str, printed: Path) -> None:
    """Run a module's tests in this process, everything that it prints going into a file; exit with how they went."""
    with open(printed, "wb", buffering=0) as file:
        for stream in (1, 2):
            os.dup2(file.fileno(), stream)
    result = unittest.main(module=None, argv=["tests", module], exit=False).result
    sys.exit(0 if result.wasSuccessful() and result.testsRun else 1)


def run(module: str, folder: Path) -> Ended:
    began_s, file = time.monotonic(), folder / module
    process = get_context("forkserver").Process(target=run_here, args=(module, file))
    process.start()
    process.join(LONGEST_S)
    late = process.is_alive()
    process.kill()
    process.join()
    printed = file.read_text(errors="replace") if file.exists() else ""
    if late:
        printed += f"\nnot over after {LONGEST_S} s"
    said = " ".join(printed.strip().splitlines()[-3:]).replace("  ", " ")
    return Ended(module, process.exitcode == 0 and not late, time.monotonic() - began_s, said, printed)


def run_all(chosen: Sequence[str]) -> int:
    """Run these modules, or all; print how each went, and return the exit code."""
    began_s = time.monotonic()
    failed = []
    with (
        tempfile.TemporaryDirectory(prefix="unvek-tests-") as name,
        ThreadPoolExecutor((os.cpu_count() or 1) + 1) as pool,
    ):
        os.environ["TMPDIR"] = name  # of all that the tests leave
        get_context("forkserver").set_forkserver_preload(FORKED_FROM)
        for future in as_completed([pool.submit(run, module, Path(name)) for module in chosen or modules()]):
            ended = future.result()
            print(f"{ended.seconds:6.1f} s  {ended.module}: {ended.said}", flush=True)
            if not ended.passed:
                failed.append(ended)
    for ended in failed:
        print(f"\n=== {ended.module}\n{ended.printed}")
    words = f"{len(failed)} modules failed: {' '.join(ended.module for ended in failed)}" if failed else "all passed"
    print(f"\n{time.monotonic() - began_s:.0f} s, {words}")
    return 1 if failed else 0
