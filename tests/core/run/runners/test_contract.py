"""Every kind of runner keeps the same promises: a contract over a script, a program and a server."""

import time
import unittest
from collections.abc import Iterator
from pathlib import Path

import psutil

from tests.loopback import Loopback
from tests.support import ProjectTest, task, variant
from unvek.core.plan.cells import Cell, cells_of, read_sources
from unvek.core.plan.reading.plan import read_plan
from unvek.core.rig.process_tree import MARK
from unvek.core.run.engine.model_process import ModelProcess, RunnerError
from unvek.core.run.engine.printed_log import PrintedLog
from unvek.core.run.events.event import Event
from unvek.core.run.outputs_room import ROOM, OutputsRoom
from unvek.core.run.processes.direct import DirectSpawner
from unvek.core.run.processes.family import adopt_orphans
from unvek.core.run.processes.guard import spawner
from unvek.core.run.runners.starting import VariantStarter

SCRIPT = """
import subprocess, sys, time
def load(variant):
    return variant.name

def run(model, job, probe):
    if job.settings["do"] == "brood":
        subprocess.Popen([sys.executable, "-c", "import time; time.sleep(600)"], start_new_session=True)
    for n in range(3):
        probe.token("leaf ")
        time.sleep(600 if job.settings["do"] != "end" else 0)
"""
PROGRAM = """
import subprocess, sys, time
if sys.argv[1] == "brood":
    subprocess.Popen([sys.executable, "-c", "import time; time.sleep(600)"], start_new_session=True)
for n in range(3):
    print("leaf ", flush=True)
    time.sleep(600 if sys.argv[1] != "end" else 0)
"""
RUNNERS = """
[runners.program]
kind = "command"
command = ["{{python}}", "program.py", "{{do}}"]
answer = "printed"

[runners.server]
kind = "stream"
url = "http://127.0.0.1:{port}/{{do}}"
body = {{ ask = "{{prompt}}" }}
framing = "sse"
text = "/text"
"""
SECRETS = """
[runners.painter]
script = "model.py"
secrets = ["NO_SUCH_KEY"]

[runners.program]
kind = "command"
command = ["{python}", "program.py", "{do}"]
secrets = ["NO_SUCH_KEY"]

[runners.server]
kind = "stream"
url = "http://127.0.0.1:9/{do}"
framing = "sse"
text = "/text"
secrets = ["NO_SUCH_KEY"]
"""
HEAD = b"HTTP/1.1 200 OK\r\nContent-Type: text/event-stream\r\n\r\n"
LEAF = b'data: {"text": "leaf "}\n\n'
KINDS = ("painter", "program", "server")


def ends(count: int, body: bytes) -> Iterator[bytes]:
    yield HEAD + 3 * LEAF


def hangs(count: int, body: bytes) -> Iterator[bytes]:
    yield HEAD + LEAF
    for _ in range(600):
        time.sleep(0.1)
        yield b": still here\n\n"


class Contract(ProjectTest):
    spawner = staticmethod(spawner)

    def setUp(self) -> None:
        super().setUp()
        adopt_orphans()  # as the engine does
        (self.folder / ROOM).mkdir()
        self.room = OutputsRoom(self.folder)
        self.addCleanup(self.room.close)
        self.server = Loopback(self, {"end": ends, "hang": hangs, "brood": hangs})
        self.write("model.py", SCRIPT)
        self.write("program.py", PROGRAM)
        self.cells = self.cells_of(RUNNERS.format(port=self.server.port))

    def cells_of(self, runners: str, **options: object) -> dict[tuple[str, str], Cell]:
        """Return the cells of a plan with a variant for each kind of runner, by the kind and what is to be done."""
        variants = (variant(kind) + f'runner = "{kind}"\n' for kind in KINDS)
        plan_file = self.write_plan(*variants, task(seeds=(1,)), '[vary]\ndo = ["end", "hang", "brood"]\n', runners)
        text = plan_file.read_text().replace('reference = "slow"', 'reference = "painter"')
        if "[runners.painter]" in runners:
            text = text.replace('[runners.painter]\nscript = "model.py"\n', "", 1)
        plan_file.write_text(text)
        plan = read_plan(plan_file)
        self.starter = VariantStarter(plan.runners, self.spawner())
        self.addCleanup(self.starter.spawner.close)
        return {(cell.variant.name, cell.varied["do"]): cell for cell in cells_of(plan, read_sources(plan))}

    def started(self, kind: str) -> ModelProcess:
        """Return a process of this kind that has loaded its variant."""
        process = self.starter.start(self.cells[kind, "end"].variant, PrintedLog(self.folder / f"{kind}.log"), 1)
        self.addCleanup(process.stop, 0)
        process.ask_to_load()
        self.heard(process, "loaded")
        return process

    def heard(self, process: ModelProcess, *last: str) -> list[Event]:
        """Return what comes up to the first event of a kind that is waited for."""
        found: list[Event] = []
        deadline_s = time.monotonic() + 60
        while not any(event.kind in last for event in found):
            self.assertLess(time.monotonic(), deadline_s, f"nothing more came after {found[-3:]}")
            events = process.events(0.05)  # as often as the engine looks: not every event wakes it
            self.assertIsNotNone(events, f"it ended after {found[-3:]}")
            found += events
        return found

    def begin(self, process: ModelProcess, kind: str, do: str) -> None:
        self.made = getattr(self, "made", 0) + 1
        process.ask_to_run(self.cells[kind, do], self.room.make(1, self.made))

    def left(self, process: ModelProcess) -> list[psutil.Process]:
        """Return which processes that bear this one's mark still live."""
        return [one for one in psutil.process_iter() if process.mark.encode() in _environment(one)]

    def test_a_run_begins_once_and_ends_once_and_what_comes_between_is_in_order(self):
        for kind in KINDS:
            with self.subTest(kind):
                process = self.started(kind)
                for _ in range(2):  # the second tells that the first has left nothing over
                    self.begin(process, kind, "end")
                    events = self.heard(process, "ended")
                    kinds = [event.kind for event in events if event.kind not in ("packages", "memory")]
                    self.assertEqual((kinds[0], kinds[-1]), ("began", "ended"))
                    self.assertEqual((kinds.count("began"), kinds.count("ended"), kinds.count("ready")), (1, 1, 0))
                    stamps = [event.at_ns for event in events]
                    self.assertEqual(stamps, sorted(stamps))
                    text = "".join(e.fields.get("text") or "" for e in events if e.kind in ("token", "text"))
                    self.assertEqual(text.split(), ["leaf"] * 3)
                    self.assertEqual(events[-1].fields["status"], "finished")
                    self.assertTrue(process.takes_runs)
                self.assertEqual(process.dropped_lines(), 0)
                self.assertTrue(process.command)

    def test_a_run_that_is_broken_off_leaves_nothing_that_still_works_at_it(self):
        for kind in KINDS:
            with self.subTest(kind):
                process = self.started(kind)
                self.begin(process, kind, "hang")
                self.heard(process, "token", "text")
                process.break_off()
                if process.takes_runs:  # a program is started anew for each run, whatever became of the last one
                    self.begin(process, kind, "end")
                    self.heard(process, "ended")
                else:
                    self.assertEqual(self.left(process), [])

    def test_stopping_ends_all_that_it_has_started_however_often_it_is_asked(self):
        for kind in KINDS:
            with self.subTest(kind):
                process = self.started(kind)
                self.begin(process, kind, "brood")
                self.heard(process, "token", "text")
                code = process.stop(0.2)
                self.assertEqual(self.left(process), [])
                self.assertEqual(process.stop(0), code)
                self.assertFalse(process.takes_runs)

    def test_one_that_has_no_secret_that_it_needs_is_not_started(self):
        cells = self.cells_of(SECRETS)
        for kind in KINDS:
            with self.subTest(kind), self.assertRaisesRegex(RunnerError, "the environment has no NO_SUCH_KEY"):
                self.starter.start(cells[kind, "end"].variant, PrintedLog(Path("/dev/null")), 1)


class ContractWithoutGuardian(Contract):
    """As where the system has none."""

    spawner = DirectSpawner


def _environment(process: psutil.Process) -> bytes:
    try:
        return process.environ().get(MARK, "").encode()
    except psutil.Error:
        return b""


if __name__ == "__main__":
    unittest.main()
