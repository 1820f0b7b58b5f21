"""Each limit ends its run with a status of its own, soon, and with all that the run had started; the plan goes on."""

import os
import subprocess
import unittest
from pathlib import Path

import psutil

from tests.support import QUICK, SLOW, ProjectTest, task, variant
from unvek.core.rig.process_tree import MARK
from unvek.core.run.engine.looping import STRETCH, LoopWatch
from unvek.core.run.engine.memory_fence import MemoryFence, remove_stale_fences


class EveryLimit(ProjectTest):
    def run_to_the_limit(self, limits: str, do: str, expect: int = 1) -> dict:
        """Run a plan whose middle variant knows no end; return its run, whole."""
        self.write_plan(SLOW, variant("bad", do=do) + f"limits = {{ {limits} }}\n", QUICK, task(seeds=(1,)))
        self.unvek("run", "--afresh", expect=expect)
        rows = self.log()[-3:]
        self.assertEqual([row["status"] for row in rows if row["variant"] != "bad"], ["finished"] * 2)
        (bad,) = (row for row in rows if row["variant"] == "bad")
        self.assertFalse([p for p in psutil.Process().children(recursive=True) if MARK in environ_of(p)])
        return dict(self.result("show", str(bad["run"])))

    def test_each_has_its_status_and_says_which_it_was(self):
        cases = {
            "eats": ('memory = "90 MiB"', "eat", "out-of-memory", "more than 90.0 MiB (limits.memory)"),
            "feeds": ('memory = "90 MiB"', "eat in a child", "out-of-memory", "(limits.memory)"),
            "chatters": ("tokens = 40", "chatter", "over-limit", "more than 40 tokens (limits.tokens)"),
            "babbles": ("loop = 4", "babble", "looping", "4 times in a row (limits.loop)"),
            "answers": ("tokens = 7", "answer", "over-limit", "more than 7 tokens (limits.tokens)"),
            "writes": ('output = "600 B"', "", "over-limit", "more than 600 B (limits.output)"),
            "scrawls": ('output = "2 MiB"', "scrawl", "over-limit", "more than 2.0 MiB (limits.output)"),
            "loops": ('run = "300 ms"', "loop", "timed-out", "longer than 0.3 s (limits.run)"),
            "hangs": ('stall = "4 s"', "hang", "stalled", "nothing came for 4 s (limits.stall)"),
        }
        # A limit on what comes holds for the loading as well, which may take its time on a busy machine.
        bad = (variant(name, do=do) + f"limits = {{ {limits} }}\n" for name, (limits, do, _, _) in cases.items())
        self.write_plan(SLOW, *bad, QUICK, task(seeds=(1,)))
        self.unvek("run", expect=1)
        rows = {row["variant"]: row for row in self.log()}
        self.assertEqual([rows[name]["status"] for name in ("slow", "quick")], ["finished"] * 2)
        self.assertFalse([p for p in psutil.Process().children(recursive=True) if MARK in environ_of(p)])
        for name, (_, _, status, words) in cases.items():
            with self.subTest(name):
                run = self.result("show", str(rows[name]["run"]))
                self.assertEqual(run["status"], status)
                self.assertIn(words, run["error"])
                self.assertGreater(run["time_s"], 0)
                if status == "out-of-memory":
                    self.assertGreater(run["machine"]["tree_memory_peak_bytes"], 70 * 2**20)
                    self.assertLess(run["machine"]["tree_memory_peak_bytes"], 400 * 2**20)

    def test_what_has_gone_over_a_limit_when_it_ends_by_itself_is_over_it_however_quick_it_was(self):
        self.write_plan(SLOW, variant("bad", do="answer", steps=0) + "limits = { tokens = 7 }\n", task(seeds=range(12)))
        self.unvek("run", expect=1)
        bad = [row for row in self.log() if row["variant"] == "bad"]
        self.assertEqual({row["status"] for row in bad}, {"over-limit"})
        self.assertEqual({row["tokens"] for row in bad}, {8})

    def test_runs_that_a_limit_ended_do_not_keep_a_variant_from_its_other_prompts(self):
        self.write_plan(SLOW, variant("bad", do="chatter", steps=0) + "limits = { tokens = 7 }\n", task(seeds=range(5)))
        self.unvek("run", expect=1)
        bad = [row["status"] for row in self.log() if row["variant"] == "bad"]
        self.assertEqual(set(bad), {"over-limit"}, "each has a process of its own, and all have failed alike")
        self.assertGreaterEqual(len(bad), 5)

    def test_a_limit_that_is_not_reached_ends_nothing(self):
        run = self.run_to_the_limit('memory = "4 GiB", tokens = 9, loop = 4, output = "9 MiB"', "", expect=0)
        self.assertEqual(run["status"], "finished")

    def test_memory_that_a_script_itself_ran_out_of_is_told_from_other_failures(self):
        run = self.run_to_the_limit("tokens = 9", "out of memory")
        self.assertEqual(
            (run["status"], run["error"]), ("out-of-memory", "model.py:59: MemoryError: no room for the petals")
        )

    def test_memory_that_loading_takes_is_limited_too(self):
        self.write(
            "model.py",
            "held = []\ndef load(variant):\n    while True: held.append(bytearray(b'x') * 2**23)\ndef run(m, j, p): 0\n",
        )
        self.write_plan(SLOW, task(seeds=(1,)), limits='memory = "90 MiB"')
        self.unvek("run", expect=1)
        run = self.result("show", "1")
        self.assertEqual(run["status"], "out-of-memory")
        self.assertIn("while loading", run["error"])

    def test_a_run_that_failed_is_made_again_under_another_limit_only(self):
        self.run_to_the_limit("tokens = 40", "chatter")
        self.unvek("run")
        self.assertIn("0 runs made", self.unvek("run").stderr)
        plan = self.folder / "plan.toml"
        plan.write_text(plan.read_text().replace("tokens = 40", "tokens = 50"))
        self.assertIn("1 run made", self.unvek("run", expect=1).stderr)


class Loops(unittest.TestCase):
    def times(self, tokens: list[str]) -> int:
        watch = LoopWatch()
        for token in tokens:
            watch.take(token)
        return watch.times_in_a_row

    def test_stretches_are_counted_whatever_their_length(self):
        for period in (1, 7, 20, 35, 150):
            stretch = [f"w{n}" for n in range(period)]
            before = [f"b{n}" for n in range(33)]
            for times in (3, 8):
                with self.subTest(period=period, times=times):
                    repeats = times * max(period, STRETCH) // period + (period < STRETCH)
                    self.assertEqual(self.times(before + stretch * repeats), times)

    def test_what_only_comes_back_now_and_then_is_no_loop(self):
        sentence = [f"s{n}" for n in range(25)]
        other = [[f"{place}-{n}" for n in range(40 + place)] for place in range(6)]
        self.assertLessEqual(self.times([t for between in other for t in (*sentence, *between)]), 1)
        self.assertEqual(self.times([str(n) for n in range(9000)]), 1)


class Fence(unittest.TestCase):
    def test_where_the_system_has_a_bound_it_holds_the_process_and_goes_away(self):
        child = subprocess.Popen(["sleep", "60"])
        self.addCleanup(child.wait)
        self.addCleanup(child.kill)
        fence = MemoryFence.around(child.pid, f"test-{os.getpid()}", 100 * 2**20)
        if fence is None:
            self.skipTest("this system hands no control group to this user")
        self.assertIn(f"unvek-test-{os.getpid()}", Path(f"/proc/{child.pid}/cgroup").read_text())
        self.assertFalse(fence.has_killed())
        remove_stale_fences()
        self.assertFalse(fence.has_killed() or not self.groups(), "a group in use stays")
        child.kill()
        child.wait()
        remove_stale_fences()
        self.assertFalse(self.groups())
        fence.remove()

    def groups(self) -> list[Path]:
        return list(Path("/sys/fs/cgroup").rglob(f"unvek-test-{os.getpid()}"))


def environ_of(process: psutil.Process) -> dict[str, str]:
    try:
        return process.environ()
    except psutil.Error:
        return {}


if __name__ == "__main__":
    unittest.main()
