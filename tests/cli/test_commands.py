"""The commands as a user meets them: help that teaches, errors that say what to do, exit codes that scripts can rely on."""

import os
import subprocess
import unittest
from pathlib import Path

from tests.support import QUICK, SLOW, ProjectTest, environment, program, task, variant
from unvek.cli import COMMANDS
from unvek.cli.run import _summary


class Help(ProjectTest):
    def test_every_command_teaches_itself(self):
        for name, line in COMMANDS.items():
            with self.subTest(name):
                text = self.unvek(name, "--help").stdout
                self.assertIn("Examples", text)
                self.assertGreaterEqual(text.count(f"\n    unvek {name}"), 2)
                self.assertTrue(line.endswith("."))

    def test_the_list_of_commands_is_the_one_in_the_manual(self):
        manual = (Path(__file__).parents[2] / "docs" / "commands.md").read_text(encoding="utf-8")
        listed = self.unvek("--help").stdout
        for name in COMMANDS:
            self.assertIn(f"## `unvek {name}", manual)
            self.assertIn(f"\n  {name} ", listed)

    def test_what_is_no_command_or_option_is_told_with_exit_2(self):
        self.assertIn("No such command", self.unvek("comapre", expect=2).stderr)
        self.assertIn("No such option", self.unvek("compare", "--quickly", expect=2).stderr)
        self.assertIn("0.1.0", self.unvek("--version").stdout)


class Check(ProjectTest):
    def test_a_good_plan_shows_what_it_would_run(self):
        self.write_plan(SLOW, QUICK, task(seeds=(1, 2, 3)), rounds=3, repeats=2, warmups=1)
        text = self.unvek("check").stdout
        self.assertIn("2 variants x 3 items x 3 rounds x 2 repeats = 36 runs, and 6 warm-ups", text)
        self.assertIn("(reference)", text)
        found = self.result("check", "plan.toml")
        self.assertEqual({key: found[key] for key in ("kind", "ok", "errors", "cells", "runs", "already", "forecast_s")},
                         {"kind": "check", "ok": True, "errors": [], "cells": 6, "runs": 36, "already": 0, "forecast_s": None})  # fmt: skip
        self.assertFalse((self.folder / "logbook").exists())

    def test_a_wrong_plan_ends_with_2_and_all_its_errors(self):
        plan = self.write_plan(SLOW, variant("slow"), rounds=0)
        plan.write_text(plan.read_text().replace("[limits]", "colour = 'blue'\n[limits]"))
        found = self.result("check", expect=2)
        self.assertFalse(found["ok"])
        self.assertEqual(
            {error["where"] for error in found["errors"]}, {"schedule.rounds", "schedule.colour", "variants", "tasks"}
        )
        self.assertTrue(all(error["found"] and error["wanted"] for error in found["errors"]))
        for command in ("check", "run"):
            done = self.unvek(command, expect=2)
            self.assertIn("4 errors", done.stdout + done.stderr)
            self.assertIn("schedule.colour", done.stdout + done.stderr)

    def test_a_plan_that_is_not_there_is_told(self):
        for command in ("check", "run"):
            self.assertIn("there is no plan none.toml", self.unvek(command, "none.toml", expect=2).stderr)

    def test_after_runs_it_knows_what_is_left_and_how_long_that_takes(self):
        self.write_plan(SLOW, task())
        self.have_runs()
        self.have_taken(lambda run: 50.0)
        self.write_plan(SLOW, task(), rounds=3)
        found = self.result("check")
        self.assertEqual((found["runs"], found["already"]), (6, 2))
        self.assertTrue(130 < found["forecast_s"]["low"] < 200 < found["forecast_s"]["high"] < 300, found["forecast_s"])
        self.assertIn("4 are left", self.unvek("check").stdout)

    def test_doubts_are_told_and_do_no_harm(self):
        self.write_plan(SLOW, task(seeds=(1,)))
        doubts = " ".join(self.result("check")["doubts"])
        for words in ("One round gives no interval", "Without warm-ups", "measures no quality", "one variant only"):
            self.assertIn(words, doubts)


class Output(ProjectTest):
    def test_results_go_to_standard_output_and_the_rest_to_standard_error(self):
        self.write_plan(SLOW, QUICK, task())
        done = self.unvek("run")
        self.assertEqual(done.stdout, "")
        self.assertIn("4/4  quick", done.stderr)
        self.assertEqual(self.unvek("log").stderr, "")

    def test_a_pipe_gets_no_colours_and_no_control_codes(self):
        self.write_plan(SLOW, variant("bad", do="raise"), task())
        self.have_runs(expect=1)
        for arguments in (("log",), ("compare",), ("show", "3"), ("check",)):
            self.assertNotIn("\x1b", self.unvek(*arguments).stdout)

    def test_a_terminal_that_knows_few_signs_gets_others_and_no_error(self):
        self.write_plan(SLOW, QUICK, task())
        self.have_runs()
        for command in ("compare", "log"):
            done = subprocess.run(
                program(command), cwd=self.folder, capture_output=True, env=environment(PYTHONIOENCODING="ascii")
            )
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertIn(b"quick", done.stdout)

    def test_a_reader_that_has_gone_is_no_error_worth_words(self):
        self.write_plan(SLOW, task(seeds=range(40)))
        self.have_runs()
        shell = " ".join(program("log", "--as", "json")) + " | head -1"
        done = subprocess.run(["sh", "-c", shell], cwd=self.folder, capture_output=True, text=True, env=environment())
        self.assertEqual((done.stdout, done.stderr), ("{\n", ""))

    def test_a_logbook_can_be_named(self):
        self.write_plan(SLOW, task())
        self.unvek("run", "--logbook", "elsewhere")
        self.assertFalse((self.folder / "logbook").exists())
        self.assertEqual(len(self.result("log", "--logbook", "elsewhere")["rows"]), 2)
        os.chdir(self.folder)
        self.addCleanup(os.chdir, Path(__file__).parents[2])
        self.assertIn("there is no logbook", self.unvek("log", "--logbook", "nowhere", expect=2).stderr)

    def test_what_was_made_is_worded(self):
        self.assertEqual(
            _summary(12, 0, 0, False), "12 runs made. 'unvek compare' holds the variants against each other."
        )
        self.assertIn("1 run made, 3 were there before; 1 of them failed", _summary(1, 1, 3, False))


if __name__ == "__main__":
    unittest.main()
