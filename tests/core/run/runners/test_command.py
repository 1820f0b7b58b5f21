"""Programs: real ones, with a bar by the well-known library, in C and in shell; and what they print, read."""

import os
import shutil
import subprocess
import sys
import unittest
from pathlib import Path
from types import MappingProxyType
from typing import Any
from unittest.mock import patch

from tests.support import ProjectTest, task, variant
from unvek.core.plan.runners import CommandRunner, ValuePattern
from unvek.core.run.runners.control_codes import PrintedLines
from unvek.core.run.runners.printed_progress import PrintedProgress

PROGRAM_IN_C = r"""
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
static long long now_ns(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return t.tv_sec * 1000000000LL + t.tv_nsec;
}
static void rest_ms(long ms) {
    struct timespec t = {ms / 1000, ms % 1000 * 1000000};
    nanosleep(&t, NULL);
}
int main(int argc, char **argv) {
    int steps = atoi(argv[1]);
    if (argc > 2 && !strcmp(argv[2], "spin")) {
        long long end = now_ns() + 1000000LL * steps;
        while (now_ns() < end) {}
        return 0;
    }
    char *events = getenv("UNVEK_EVENTS");
    FILE *out = argc > 2 && !strcmp(argv[2], "events") ? fopen(events, "a") : NULL;
    if (out) fprintf(out, "{\"event\":\"phase\",\"at_ns\":%lld,\"name\":\"steps\"}\n", now_ns());
    for (int i = 1; i <= steps; i++) {
        rest_ms(20);
        if (out) {
            fprintf(out, "{\"event\":\"step\",\"at_ns\":%lld,\"of\":%d}\n", now_ns(), steps);
            fflush(out);
        } else {
            printf("step %d/%d\n", i, steps); /* in a buffer of its own, unless it prints to a terminal */
        }
    }
    if (out) fprintf(out, "{\"event\":\"value\",\"at_ns\":%lld,\"name\":\"warmth\",\"number\":2.5,\"unit\":\"K\"}\n", now_ns());
    if (out) fprintf(out, "not an event\n{\"event\":\"ended\",\"at_ns\":1,\"status\":\"failed\"}\n");
    if (out) fclose(out);
    printf("load took 3.2 s\ngenerated 1,412 tokens\n");
    return steps == 13 ? 3 : 0;
}
"""
PROGRAM_IN_SHELL = """#!/bin/sh
echo "Loading weights: 100%|##########| 2/2"
echo '{"event":"phase","name":"sampling"}' >> "$UNVEK_EVENTS"
for i in 1 2 3; do
  sleep 0.05
  echo '{"event":"step","of":3}' >> "$UNVEK_EVENTS"
done
echo '{"event":"text","text":"a card"}' >> "$UNVEK_EVENTS"
printf '%s' "$1" > "$2/prompt.txt"; echo x > "$2/scratch.tmp"
"""
WITH_A_BAR = """
import sys, time
from tqdm import tqdm
for _ in tqdm(range(3), desc="Loading parts"):
    time.sleep(0.01)
for _ in tqdm(range(int(sys.argv[1])), desc="sampling", mininterval=0):
    time.sleep(0.03)
"""


def runner(*command: str, more: str = "") -> str:
    words = ", ".join(f"'{word}'" for word in command)
    return f'[runners.program]\nkind = "command"\ncommand = [{words}]\n{more}\n'


class Programs(ProjectTest):
    def run_program(self, table: str, *variants: str, expect: int = 0, **options: Any) -> list[dict[str, Any]]:
        """Make one run a variant, and return them whole."""
        tables = variants or (variant("slow", steps=4),)
        self.write_plan(table, *(v + 'runner = "program"\n' for v in tables), task(seeds=[7]), **options)
        self.unvek("run", "--plain", expect=expect)
        return [dict(self.result("show", str(row["run"]))) for row in self.log()]

    def assert_came_one_by_one(self, run: dict[str, Any]) -> None:
        """Hold steps to having been heard as they were made: heard at the end, all but one would last no time."""
        self.assertGreater(sum(s > 0.005 for s in run["step_times_s"]), 1, run["step_times_s"])

    def compiled(self) -> str:
        """Return the program in C, compiled."""
        compiler = shutil.which("cc")
        if compiler is None:
            self.skipTest("there is no C compiler here")
        self.write("steps.c", PROGRAM_IN_C)
        subprocess.run([compiler, "-O1", "-o", "steps", "steps.c"], cwd=self.folder, check=True)
        return "./steps"

    def test_a_bar_of_the_well_known_library_is_read(self):
        self.write("bar.py", WITH_A_BAR)
        (run,) = self.run_program(runner(sys.executable, "bar.py", "{steps}"), variant("slow", steps=6))
        self.assertEqual((run["status"], run["steps"]), ("finished", 6))
        self.assert_came_one_by_one(run)
        self.assertTrue({"Loading parts", "sampling"} <= set(run["phases"]), run["phases"])

    def test_a_program_in_c_is_heard_step_by_step_though_it_does_not_flush(self):
        patterns = "[runners.program.phases]\nload = 'load took (?P<seconds>[\\d.]+) s'\n[runners.program.values]\n\"output.tokens\" = 'generated ([\\d,]+) tokens'\nload = {pattern = 'took ([\\d.]+)', unit = \"s\"}"
        (run,) = self.run_program(runner(self.compiled(), "{steps}", more=patterns))
        self.assertEqual((run["steps"], run["tokens"], run["measures"]["load"]), (4, 1412, 3.2))
        self.assert_came_one_by_one(run)
        self.assertIn("load", run["phases"])
        self.assertTrue(run["provenance"]["total_includes_load"])
        self.assertIsNone(run["load_s"])
        self.assertGreater(run["time_s"], 0.08)

    def test_a_program_may_write_events_of_its_own(self):
        run, failed = self.run_program(
            runner(self.compiled(), "{steps}", "events"), variant("slow", steps=5), variant("other", steps=13), expect=1
        )
        self.assertEqual((run["status"], run["steps"], run["measures"]["warmth"]), ("finished", 5, 2.5))
        self.assertTrue(all(s > 0.0195 for s in run["step_times_s"]), run["step_times_s"])  # stamped by the program
        self.assertEqual([kind for kind, _ in run["faults"]], ["garbage"])  # it can't say that it has ended
        self.assertEqual((failed["status"], failed["steps"]), ("failed", 13))
        self.assertIn("exit code 3", failed["error"])
        self.assertEqual(failed["provenance"]["exit_code"], 3)

    def test_a_shell_script_may_too_and_only_outputs_asked_for_are_kept(self):
        script = self.write("card.sh", PROGRAM_IN_SHELL)
        script.chmod(0o755)
        hostile = 'a "rose"; echo $HOME `id` > x'
        self.write_plan(
            runner("./card.sh", "{prompt}", "{out}", more='outputs = ["*.txt"]'),
            variant("slow") + 'runner = "program"\n', task(seeds=[7], prompt=hostile),
        )  # fmt: skip
        self.unvek("run", "--plain")
        run = self.result("show", "1")
        self.assertEqual((run["steps"], run["text"]), (3, "a card"))
        self.assert_came_one_by_one(run)
        (output,) = run["outputs"]
        self.assertEqual((self.folder / "logbook" / output["path"]).read_text(), hostile)
        self.assertIn(hostile, run["provenance"]["command"])

    def test_an_answer_may_be_what_it_prints(self):
        self.write(
            "say.py",
            "import sys, time\nfor w in 'une caf\\u00e9 noir'.split():\n    print(w, end=' ', flush=True)\n    time.sleep(0.05)\nprint('wrote 9 tokens', file=sys.stderr)\n",
        )
        table = runner(
            sys.executable,
            "say.py",
            more="answer = 'printed'\nterminal = {}\n[runners.program.values]\n\"output.tokens\" = 'wrote (\\d+)'",
        )
        for terminal in ("true", "false"):
            (run,) = self.run_program(table.replace("{}", terminal))
            self.assertEqual((run["text"], run["tokens"]), ("une caf\u00e9 noir ", 9))
            self.assertGreater(len(run["piece_times_s"]), 1)
            self.assertGreater(run["time_s"], run["piece_times_s"][-1])
            shutil.rmtree(self.folder / "logbook")

    def test_an_answer_that_breaks_off_within_a_character_is_kept_to_its_last_byte(self):
        self.write("say.py", "import os\nos.write(1, 'half a caf\u00e9'.encode()[:-1])\n")
        (run,) = self.run_program(runner(sys.executable, "say.py", more="answer = 'printed'"))
        self.assertEqual(run["text"], "half a caf\ufffd")

    def test_limits_end_a_program_and_all_that_it_started(self):
        self.write(
            "hang.py",
            "import subprocess, sys, time\nprint('step 1/3', flush=True)\nsubprocess.Popen([sys.executable, '-c', 'import time; time.sleep(613)'], start_new_session=True)\nheld = []\nwhile sys.argv[1] == 'eat':\n    held.append(b'x' * 2**24)\n    time.sleep(0.02)\ntime.sleep(613)\n",
        )
        hung, eaten, after = self.run_program(
            runner(sys.executable, "hang.py", "{do}"), variant("slow", do="hang"), variant("eats", do="eat") + 'limits = { memory = "200 MiB" }\n',
            variant("again", do="hang"), expect=1, run_limit="4 s",
        )  # fmt: skip
        self.assertEqual([run["status"] for run in (hung, eaten, after)], ["timed-out", "out-of-memory", "timed-out"])
        self.assertEqual(hung["steps"], 1)
        left = [p for p in Path("/proc").glob("[0-9]*/cmdline") if b"time.sleep(613)" in _read(p)]
        self.assertEqual(left, [])

    def test_a_secret_is_kept_nowhere_whoever_says_it(self):
        secret = "sk-4711-\u00e9"
        say = "import os\nKEY = os.environ['API_KEY']\nprint('the key is', KEY, flush=True)\n"
        self.write("say.py", say)
        self.write(
            "model.py",
            say
            + "def load(v): pass\ndef run(m, j, probe):\n    probe.text('in words: ' + KEY)\n    raise ValueError('refused ' + KEY)\n",
        )
        plan = self.write_plan(
            runner(sys.executable, "say.py", more="secrets = ['API_KEY']"),
            variant("slow") + 'runner = "program"\n', variant("script") + 'runner = "painter"\n', task(seeds=[1]),
        )  # fmt: skip
        plan.write_text(plan.read_text().replace('script = "model.py"', 'script = "model.py"\nsecrets = ["API_KEY"]'))
        self.assertIn("The environment has no API_KEY", self.unvek("check").stdout)
        os.environ["API_KEY"] = secret
        self.addCleanup(os.environ.pop, "API_KEY")
        shown = self.unvek("run", "--plain", expect=1).stderr
        shown += self.unvek("show", "1").stdout + self.unvek("show", "2").stdout
        for words in ("the key is [API_KEY]", "in words: [API_KEY]", "refused [API_KEY]"):
            self.assertIn(words, shown)
        self.assertNotIn(secret, shown)
        kept = [path for path in (self.folder / "logbook").rglob("*") if path.is_file()]
        written = (secret.encode(), secret.encode("ascii", "backslashreplace"), b"sk-4711")
        self.assertFalse([path for path in kept if any(form in path.read_bytes() for form in written)])

    def test_a_secret_that_comes_in_pieces_is_kept_nowhere_either(self):
        self.write(
            "model.py",
            "import os\nKEY = os.environ['API_KEY']\ndef load(v): pass\n"
            "def run(m, j, probe):\n    for piece in ('key ', KEY[:5], KEY[5:]):\n        probe.token(piece)\n",
        )
        plan = self.write_plan(variant("slow"), task(seeds=[1]))
        plan.write_text(plan.read_text().replace('script = "model.py"', 'script = "model.py"\nsecrets = ["API_KEY"]'))
        with patch.dict(os.environ, API_KEY="sk-4711-leaf"):
            self.unvek("run")
        self.assertEqual(self.result("show", "1")["text"], "key [API_KEY]")
        kept = [path for path in (self.folder / "logbook").rglob("*") if path.is_file()]
        self.assertFalse([path for path in kept if b"sk-4711" in path.read_bytes()])

    def test_a_program_that_can_not_be_started_is_told(self):
        self.write("broken", "no interpreter").chmod(0o755)
        (run,) = self.run_program(runner("./broken"), expect=1)
        self.assertIn("can't be started", run["error"])

    def test_what_is_wrong_with_the_plan_is_told_at_once(self):
        self.write_plan(
            runner("no-such-program-here", "{stepps}", "{weights[0]}", more="steps = '(\\d+'\noutputs = ['../x']\n[runners.program.values]\nx = 'no group'"),
            variant("slow", steps=4) + 'runner = "program"\n', task(), '[vary]\nclients = [1, 2]\n',
        )  # fmt: skip
        done = self.unvek("check", expect=2)
        for words in ("no such program", "{stepps}, which variant slow", "did you mean steps?", "weights[0]", "regular expression",
                      "'../x'", "a group for the number", "slow is not behind a server"):  # fmt: skip
            self.assertIn(words, done.stdout + done.stderr)


def _read(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError:
        return b""


class Printed(unittest.TestCase):
    def read(self, *printed: str, **patterns: Any) -> list[tuple[str, Any]]:
        """Return what pieces printed 10 ms apart come to: steps as (kind, ms), others as (kind, name)."""
        made = CommandRunner(
            name="p", folder=Path(), command=(), program="", files=(), environment={}, secrets=(), outputs=(), answer="files",
            start_in="plan", terminal=True, steps=patterns.get("steps"), phases=MappingProxyType(patterns.get("phases", {})),
            values=MappingProxyType({n: ValuePattern(pattern=p, unit="") for n, p in patterns.get("values", {}).items()}),
        )  # fmt: skip
        progress = PrintedProgress(made, 0)
        events = [e for n, p in enumerate(printed, 1) for e in progress.feed(p.encode(), n * 10_000_000)]
        events += progress.feed(b"", len(printed) * 10_000_000, final=True)
        return [
            ("step", e.at_ns / 1e6) if e.kind == "step" else (e.kind, e.fields.get("name", dict(e.fields)))
            for e in events
        ]

    def test_the_common_forms_of_progress_are_known(self):
        for form in (
            "step {}/3\n", "{}/3\n", "[{}/3] painting\n", "Step {} of 3\n", "\r {}/3 [00:01<00:02, 1.9s/it]", "\r 33%|###  | {}/3 [00:01<?, ?it/s]",
            "\x1b[2K\rsampling \x1b[32m{}/3\x1b[0m \u2501\u2501\u2501", "\x1b[1A\x1b[2Kepoch {}/3 done\n", "progress: ({} / 3)\n", "iter {}/3: loss 0.1\n", "{}/3 2.1 it/s\r",
        ):  # fmt: skip
            with self.subTest(form):
                got = self.read(*(form.format(n) for n in range(4)), "\n")
                self.assertEqual(
                    [entry for entry in got if entry[0] == "step"], [("step", ms) for ms in (20.0, 30.0, 40.0)]
                )

    def test_what_only_looks_like_it_is_not(self):
        for line in ("saved on 11/23/2026\n", "see docs/3/20.html\n", "a ratio of 1.5/20\n", "4/3 steps\n", "http://h/3/20\n",
                     "needs 3/20 GiB free\n", "v1/2-beta\n", "step 5/0\n", "99999999999/99999999999 steps\n"):  # fmt: skip
            self.assertEqual(self.read(line), [], line)

    def test_steps_told_together_share_the_time_and_a_number_may_come_in_two_pieces(self):
        self.assertEqual(
            self.read("0/9 steps\n", "step 4/9\n"), [("step", 12.5), ("step", 15.0), ("step", 17.5), ("step", 20.0)]
        )
        self.assertEqual(self.read("step 1/2", "0\n"), [("step", 20.0)])

    def test_bars_of_loading_are_phases_and_a_new_bar_begins_anew(self):
        got = self.read("Loading: 2/2 |##|\n", "sampling: 1/2 |# |\n", "sampling: 2/2 |##|\n", "decoding: 1/1 |##|\n")
        self.assertEqual([name for kind, name in got if kind == "phase"], ["Loading", "sampling", "decoding"])
        self.assertEqual(sum(kind == "step" for kind, _ in got), 3)

    def test_patterns_of_ones_own_replace_the_common_ones(self):
        got = self.read("tick 3\n", "tick 4\n", "step 1/9\n", steps=r"tick (?P<done>\d+)", phases={"save": "saving"})
        self.assertEqual([kind for kind, _ in got], ["step"] * 4)
        self.assertEqual(self.read("saving\n", phases={"save": "^saving$"}), [("phase", "save")])
        self.assertEqual(self.read("x = 1e999\n", values={"x": "x = (.*)"}), [])

    def test_lines_are_plain_whatever_is_printed(self):
        hostile = (
            "\x1b]0;title\x07a\x1b[31mb\x1b[0m\r\nc\x00\x7f\x85d\x1b"
            + "["
            + "9" * 5000
            + "\n"
            + "e" * 50_000
            + "\nf\x1b[1"
        )
        for size in (1, 7, 1000, 10**6):
            lines, data, got = PrintedLines(), hostile.encode(), []
            for start in range(0, len(data), size):
                got += lines.feed(data[start : start + size])
            got += lines.feed(b"", final=True)
            self.assertEqual(got[:1], ["ab"], size)
            self.assertTrue(got[1].startswith("cd"))
            self.assertEqual((len(got[2]), got[3][:1], len(got)), (16 * 1024, "f", 4))
        self.assertEqual(os.linesep, "\n")


if __name__ == "__main__":
    unittest.main()
