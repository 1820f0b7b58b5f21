"""A model that misbehaves ends in the right status, its last lines kept; the other runs go on; nothing is left behind."""

import unittest
from pathlib import Path

from tests.support import QUICK, SLOW, ProjectTest, is_alive, task, variant


class RunsThatGoWrong(ProjectTest):
    """One plan of variants of which each misbehaves in a way of its own, between two that do not."""

    LIMITS = {"hang": 'stall = "4 s"', "loop": 'run = "500 ms"'}
    FINISH = ("flood", "lookalike", "garbage", "fuzz")
    FAIL = ("raise", "leave", "vanish", "crash", "hang", "loop")

    def setUp(self) -> None:
        super().setUp()
        bad = (variant(f"bad-{do}", "quantized", do=do) + f"limits = {{ {self.LIMITS.get(do, '')} }}\n"
               for do in (*self.FAIL, *self.FINISH))  # fmt: skip
        self.write_plan(SLOW, *bad, QUICK, task(seeds=(1, 2)), run_limit="20 s", stall_limit="20 s")
        self.have_runs(expect=1)

    def bad_run(self, do: str) -> dict:
        """Return the first run of the variant that does this, whole; the others have gone on."""
        rows = self.log()
        self.assertEqual([r["status"] for r in rows if not r["variant"].startswith("bad")], ["finished"] * 4)
        bad = [r for r in rows if r["variant"] == f"bad-{do}"]
        self.assertEqual(len(bad), 2)
        return dict(self.result("show", str(bad[0]["run"])))

    def test_an_exception_fails_the_run_with_its_text_and_what_was_printed(self):
        run = self.bad_run("raise")
        self.assertEqual(run["status"], "failed")
        self.assertIn("ValueError: no such flower", run["error"])
        self.assertIn("about to fail", run["log_tail"])
        self.assertNotIn("\x1b", self.unvek("show", str(run["run"])).stdout)

    def test_sys_exit_fails_the_run_and_not_the_process(self):
        run = self.bad_run("leave")
        self.assertEqual(
            (run["status"], run["error"]), ("failed", 'model.py:24: SystemExit: enough  in: sys.exit("enough")')
        )

    def test_a_process_that_vanishes_is_replaced(self):
        run = self.bad_run("vanish")
        self.assertEqual(run["status"], "failed")
        self.assertIn("exit code 7", run["error"])

    def test_a_crash_in_c_is_told_by_its_signal_with_the_last_words_kept(self):
        run = self.bad_run("crash")
        self.assertEqual(run["status"], "failed")
        self.assertIn("signal 11", run["error"])
        self.assertIn("last words", run["log_tail"])
        self.assertIn("Segmentation fault", run["log_tail"])

    def test_a_hang_is_stalled_after_the_limit(self):
        run = self.bad_run("hang")
        self.assertEqual(run["status"], "stalled")
        self.assertEqual(run["steps"], 1)
        self.assertGreaterEqual(run["time_s"], 2)

    def test_a_run_that_never_ends_is_timed_out_with_its_steps(self):
        run = self.bad_run("loop")
        self.assertEqual(run["status"], "timed-out")
        self.assertGreater(run["steps"], 0)
        self.assertIn("limits.run", run["error"])

    def test_megabytes_of_prints_harm_nothing(self):
        run = self.bad_run("flood")
        self.assertEqual(run["status"], "finished")
        self.assertIn("line 29999 of", run["log_tail"])
        self.assertIn("from C as well", run["log_tail"])

    def test_prints_that_look_like_events_are_prints(self):
        run = self.bad_run("lookalike")
        self.assertEqual((run["status"], run["steps"]), ("finished", 3))
        self.assertIn('"not true"', run["log_tail"])

    def test_garbage_on_the_events_pipe_is_passed_over(self):
        run = self.bad_run("garbage")
        self.assertEqual((run["status"], run["steps"]), ("finished", 3))
        self.assertIn(["garbage", "2 lines in the place of events"], run["faults"])

    def test_thousands_of_senseless_events_end_nothing(self):
        run = self.bad_run("fuzz")
        self.assertEqual(run["status"], "finished")
        self.assertIn("garbage", [kind for kind, _ in run["faults"]])
        self.assertGreaterEqual(run["steps"], 3)
        self.unvek("show", str(run["run"]))
        self.unvek("compare")


class Children(ProjectTest):
    def test_children_that_left_the_group_are_ended_too(self):
        for then in ("", "vanish"):
            with self.subTest(then=then):
                self.write_plan(variant("slow", do="brood", then=then), task(seeds=(1,)), stall_limit="2 s")
                self.unvek("run", "--afresh", expect=1)
                self.assertFalse(is_alive(int((self.folder / "brood.txt").read_text())))


class VariantsThatCannotLoad(ProjectTest):
    def test_two_tries_then_one_run_failed_and_the_others_skipped(self):
        cases = {
            "raise": ("the weights are not what they were", "failed"), "exit": ("exit code 3", "failed"), "hang": ("nothing came", "stalled"),
        }  # fmt: skip
        bad = (
            variant(load, load=load) + ('limits = { stall = "500 ms" }\n' if load == "hang" else "") for load in cases
        )
        self.write_plan(SLOW, *bad, task(), rounds=2)
        self.unvek("run", expect=1)
        log = self.log()
        self.assertEqual([row["status"] for row in log if row["variant"] == "slow"], ["finished"] * 4)
        for load, (words, status) in cases.items():
            with self.subTest(load=load):
                rows = [row for row in log if row["variant"] == load]
                self.assertEqual([r["status"] for r in rows], [status, "skipped", "skipped", "skipped"])
                self.assertIn(words, self.result("show", str(rows[0]["run"]))["error"])

    def test_once_it_loads_its_runs_are_made(self):
        self.write_plan(SLOW, variant("bad", load="raise"), task())
        self.unvek("run", expect=1)
        script = self.folder / "model.py"
        script.write_text(
            script.read_text().replace(
                'if do == "raise":\n        raise OSError', 'if do == "no":\n        raise OSError'
            )
        )
        self.unvek("run")
        finished = [r for r in self.log() if r["variant"] == "bad" and r["status"] == "finished"]
        self.assertEqual(len(finished), 2)

    def test_an_interpreter_that_is_not_there_is_named(self):
        plan = self.write_plan(SLOW, task())
        plan.write_text(
            plan.read_text().replace('script = "model.py"', 'script = "model.py"\npython = "no-such-python"')
        )
        done = self.unvek("run", expect=1)
        self.assertIn("no-such-python can't be started", done.stderr)

    def test_a_script_without_run_says_so(self):
        self.write("model.py", "def load(variant):\n    return 1\n")
        self.write_plan(SLOW, task())
        self.assertIn("model.py has no run(model, job, probe)", self.unvek("run", expect=2).stderr)

    def test_one_whose_run_is_no_function_after_all_says_so_when_it_is_loaded(self):
        self.write("model.py", "def load(variant):\n    return 1\nrun = None\n")
        self.write_plan(SLOW, task())
        self.assertIn("model.py has no function run()", self.unvek("run", expect=1).stderr)


class NothingOutside(ProjectTest):
    def test_text_that_is_no_utf_8_is_kept_as_far_as_it_can_be_and_a_file_of_such_a_name_is_refused(self):
        self.write("model.py", """
import os
def load(variant): return None
def run(model, job, probe):
    probe.token("half \\ud800 a character")
    probe.value("\\udfff", 1)
    with open(os.path.join(os.fsencode(str(job.out)), b"\\xff.bin"), "wb") as file:
        file.write(b"1")
    raise ValueError("\\ud83d")
""")  # fmt: skip
        self.write_plan(SLOW, task(seeds=(1,)))
        self.unvek("run", expect=1)
        run = self.result("show", "1")
        self.assertEqual((run["text"], run["error"]), ("half ? a character", "model.py:9: ValueError: ?"))
        self.assertEqual(run["outputs"], [])
        self.assertIn(["refused", "\\xff.bin: a name that is no UTF-8"], run["faults"])
        self.unvek("show", "1")

    def test_an_output_name_cannot_lead_out_of_the_logbook(self):
        self.write("model.py", """
import os
def load(variant): return None
def run(model, job, probe):
    probe.output(b"gotcha", "../../../escaped.txt")
    os.symlink("/etc/hostname", str(job.out / "link.txt"))
""")  # fmt: skip
        self.write_plan(SLOW, task(seeds=(1,)))
        self.unvek("run")
        outputs = self.result("show", "1")["outputs"]
        self.assertEqual([Path(o["path"]).name for o in outputs], ["escaped.txt"])
        self.assertTrue((self.folder / "logbook" / outputs[0]["path"]).is_file())
        self.assertFalse(any(self.folder.parent.glob("escaped.txt")))


if __name__ == "__main__":
    unittest.main()
