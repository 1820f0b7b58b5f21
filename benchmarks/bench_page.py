"""The report as a page: how large, how long it takes, for the demo and for 10,000 runs; and texts that attack it.

Run: python benchmarks/bench_page.py [RUNS] [TRIES]    (needs chromium and chromedriver for the tries)
"""

import random
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench_scale import fill
from common import UNVEK, demo_project, unvek

sys.path.insert(0, str(Path(__file__).parent.parent))
from tests.browser import CHROMIUM, DRIVER, FLAGS
from tests.hostile import with_hostile_texts
from unvek.core.evidence.gathering import EVERYTHING, gather
from unvek.core.findings.report.found import Report
from unvek.core.findings.report.gathering import Wished, report_of
from unvek.core.logbook.store import Logbook
from unvek.core.session.measuring.working_out import work_out
from unvek.show.page import report as page

MIB = 2**20
PLOTS_EVERY = 10  # tries: plots take most of the time, and are drawn by a library that escapes by itself
HARM = """return [window.hit, document.scripts.length, document.querySelectorAll('iframe, base, style').length,
[...document.querySelectorAll('*')].filter((one) => [...one.attributes].some((a) => a.name.startsWith('on'))).length]"""


def main(runs: int, tries: int) -> None:
    with demo_project({}, 8) as folder:
        unvek(folder, "run", "--plain")
        told(folder, "the demo's quick plan")
        report = gathered(folder / "logbook")
        if CHROMIUM and DRIVER:
            attacked(report, folder, tries)
        else:
            print("no chromium here: the tries are left out")
    folder = Path(tempfile.mkdtemp(prefix="unvek-bench-"))
    try:
        count = fill(folder / "logbook", runs)
        told(folder, f"{count} runs")
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def told(folder: Path, what: str) -> None:
    """Say how long the page takes, as a whole process and over what `compare` takes, and how large it is."""
    began_s = time.perf_counter()
    subprocess.run([*UNVEK, "compare"], cwd=folder, check=True, capture_output=True)
    compared_s = time.perf_counter() - began_s
    began_s = time.perf_counter()
    subprocess.run([*UNVEK, "report"], cwd=folder, check=True, capture_output=True)
    took_s = time.perf_counter() - began_s
    size = (folder / "report.html").stat().st_size
    print(f"{what}: {took_s:.1f} s ({took_s / compared_s:.1f} times `compare`), {size / MIB:.2f} MiB", flush=True)


def gathered(logbook_path: Path) -> Report:
    with Logbook.open(logbook_path) as logbook:
        evidence = work_out(logbook, gather(logbook, EVERYTHING)).evidence
        return report_of(logbook, evidence, EVERYTHING, Wished(), lambda done, of: None)


def attacked(report: Report, folder: Path, tries: int) -> None:
    """Open pages in which every text from outside is hostile, and count those in which any of it did something."""
    from selenium import webdriver
    from selenium.webdriver.chrome.options import Options
    from selenium.webdriver.chrome.service import Service

    options = Options()
    options.binary_location = CHROMIUM
    for flag in (*FLAGS, f"--user-data-dir={folder / 'profile'}"):
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = webdriver.Chrome(options=options, service=Service(DRIVER))
    draws, harmed = page._plots, 0
    plots = draws(report)
    try:
        for seed in range(tries):
            page._plots = draws if seed % PLOTS_EVERY == 0 else lambda _: plots
            path = folder / "hostile.html"
            path.write_text(page.report_page(with_hostile_texts(report, random.Random(seed))), encoding="utf-8")
            driver.get(path.as_uri())
            harmed += driver.execute_script(HARM) != [None, 3, 1, 0] or bool(driver.get_log("browser"))
    finally:
        page._plots = draws
        driver.quit()
    print(f"{tries} pages of hostile texts: in {harmed} of them any did something, or the browser had to stop it")


if __name__ == "__main__":
    main(*(int(one) for one in (sys.argv[1:] + ["10000", "1000"][len(sys.argv) - 1 :])))
