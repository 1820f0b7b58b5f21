"""How quickly a prompt is read: by a script, a program and a server, and what is not known is not made up."""

import json
import unittest
from typing import Any

import numpy as np

from tests.support import ProjectTest
from tests.written import WrittenLogbook
from unvek.core.evidence.gathering import gather
from unvek.core.findings.curve.curve import curve
from unvek.core.run.events.event import parse_event
from unvek.core.run.events.recording import Recording


def measured(*events: tuple[float, dict[str, Any]], holds_load: bool = False) -> dict[str, float]:
    """Return what a run of these events came to; moments in seconds."""
    recording = Recording(holds_load)
    ended = {"event": "ended", "status": "finished"}
    for at_s, event in ((0.0, {"event": "began"}), *events, (9.0, ended)):
        recording.take(parse_event(json.dumps({"at_ns": int((at_s + 1) * 1e9), **event}).encode()))
    return {value.name: value.number for value in recording.progress(0).values}


READ = {"event": "tokens", "read": 300}
TOKEN = {"event": "token", "text": "a"}


class Known(unittest.TestCase):
    def test_it_is_over_the_time_until_the_first_token(self):
        self.assertAlmostEqual(measured((0.0, READ), (1.5, TOKEN), (8.0, TOKEN))["rate.input"], 200)

    def test_what_was_known_from_earlier_was_not_read(self):
        found = measured((0.0, {**READ, "cached": 120}), (1.5, TOKEN))
        self.assertAlmostEqual(found["rate.input"], 120)
        self.assertEqual((found["input.tokens"], found["input.cached"]), (300, 120))
        for cached in (150, 300, 301):
            self.assertNotIn("rate.input", measured((0.0, {**READ, "cached": cached}), (1.5, TOKEN)))

    def test_a_time_with_the_load_in_it_tells_nothing_unless_the_prompt_is_a_phase(self):
        began = {"event": "phase", "name": "prompt"}
        self.assertNotIn("rate.input", measured((0.0, READ), (1.5, TOKEN), holds_load=True))
        self.assertAlmostEqual(measured((1.0, began), (1.0, READ), (1.5, TOKEN), holds_load=True)["rate.input"], 600)

    def test_without_a_first_token_or_a_count_there_is_none(self):
        for events in (
            [(0.0, READ)],
            [(1.5, TOKEN)],
            [(0.0, {**READ, "read": 0}), (1.5, TOKEN)],
            [(0.0, READ), (0.0, TOKEN)],
            [(0.0, READ), (1.0, {"event": "step"})],
        ):
            self.assertNotIn("rate.input", measured(*events))

    def test_each_question_is_timed_from_when_it_was_due(self):
        events = []
        for stream, (due_s, first_s) in enumerate(((0.0, 1.0), (1.0, 4.0), (1.0, 3.0)), 1):
            events += [
                (due_s, {"event": "sent", "stream": stream, "due_ns": int((due_s + 1) * 1e9)}),
                (first_s, {**TOKEN, "stream": stream}),
                (first_s, {**READ, "stream": stream}),
            ]
        self.assertAlmostEqual(
            measured(*sorted(events, key=lambda event: event[0]))["rate.input"], 150
        )  # of 300, 100, 150


SCRIPT = """
def load(variant): pass
def run(model, job, probe):
    probe.tokens_in(len(job.prompt.split()), cached=1)
    probe.token("a")
"""
PROGRAM = """
import sys, time
print("read", len(sys.argv[1].split()), "tokens", file=sys.stderr, flush=True)
if sys.argv[2] == "told":
    print("prompt", file=sys.stderr, flush=True)
time.sleep(0.3)  # what is printed at one moment on two ways may be read in either order
print("answer")
"""
PLAN = """
[schedule]
rounds = 1
repeats = 1
warmups = 0
[runners.script]
script = "reader.py"
[runners.program]
kind = "command"
command = ["{python}", "reads.py", "{prompt}", "{how}"]
answer = "printed"
[runners.program.values]
"input.tokens" = 'read (\\d+) tokens'
[runners.program.phases]
prompt = '^prompt'
[[variants]]
name = "script"
runner = "script"
[[variants]]
name = "told"
runner = "program"
settings = { how = "told" }
[[variants]]
name = "untold"
runner = "program"
settings = { how = "untold" }
[[tasks]]
name = "t"
prompt = "one two three"
length = [3, 50, 200]
"""


class Built(ProjectTest):
    def test_scripts_and_programs_tell_it_and_a_curve_goes_along_the_tokens(self):
        self.write("reader.py", SCRIPT)
        self.write("reads.py", PROGRAM)
        self.write("plan.toml", PLAN)
        self.unvek("run")
        for row in self.log():
            run = self.result("show", str(row["run"]))
            measures, length = run["measures"], int(row["task"].partition("-")[2])
            self.assertEqual(measures["input.tokens"], length)
            if row["variant"] == "script":
                self.assertAlmostEqual(measures["rate.input"], (length - 1) / run["first_s"])
            else:
                self.assertEqual("rate.input" in measures, row["variant"] == "told")
        rows = self.result("curve", "input.tokens", "--measure", "rate.input")["rows"]
        self.assertEqual([(row["variant"], [p["value"] for p in row["points"]]) for row in rows],
                         [("script", [50, 200]), ("told", [50, 200])], "the cold run counts in no speed")  # fmt: skip


class Gathered(WrittenLogbook):
    def test_counts_that_are_near_each_other_are_one_value_however_many_there_are(self):
        cells = [f"full/task-{n}/1" for n in range(300)]
        self.plan("full", cells=cells, quality=None)
        launch = self.logbook.open_launch("full", 1)
        for place, cell in enumerate(cells, 2):
            self.run_made(cell, 1.0, 1, place=place, launch=launch)
        evidence = gather(self.logbook)
        counts = [100.0, 101.0, 103.0, *(2000.0 + 10 * n for n in range(297))]
        evidence.values._columns["input.tokens"] = np.array(counts)
        evidence.values._columns["time.total"] = np.array(counts)
        points = curve(evidence, "input.tokens").rows[0].points
        self.assertEqual((points[0].value, points[0].n), (101.0, 3))
        self.assertLess(len(points), 40)
        self.assertEqual(sum(point.n for point in points), 300)


if __name__ == "__main__":
    unittest.main()
