"""The tally, by judges whose taste is known: who is preferred, who can be believed, and what is not told."""

import unittest

from tests.judged import JudgedLogbook


class Tallied(JudgedLogbook):
    def test_who_is_preferred_is_said_with_the_sides_pull_left_out(self):
        self.make("abc")
        pages = self.ballots("--judges", "3", "--each-other", "--same", "20 %")

        def say(left: str, right: str, _: str) -> str:
            """c is never taken; of a and b, and of one output twice, always the left one."""
            return {left == right: "left", right == "c": "left", left == "c": "right"}.get(True, "left")

        for page, name in zip(pages, ("Ina", "Odo", "Mara"), strict=True):
            self.unvek("judge", "collect", str(self.answered(page, name, say, name=f"{name}.json")))
        told = self.result("judge", "tally")
        pairs = {tuple(pair["variants"]): pair for pair in told["pairs"]}
        self.assertEqual(pairs["a", "c"]["answer"], "better")
        self.assertEqual(pairs["a", "b"]["answer"], "unclear")
        self.assertGreater(told["position"]["low"], 0.5)
        self.assertAlmostEqual({row["variant"]: row["rating"] for row in told["rows"]}["b"], 0.5, delta=0.1)
        sentences = told["groups"][0]["sentences"]
        self.assertRegex(
            sentences[0], r"^people prefer a to c \d+ to 0, 0 as good; 95 % interval of winning 0\.\d\d to 1\.00"
        )
        self.assertTrue(any(one.startswith("people do not tell b from a") for one in sentences))
        self.assertTrue(any("lean to the left one" in one for one in sentences))
        self.assertGreater(told["agreement"]["alpha"], 0.2)
        judges = {judge["judge"]: judge for judge in told["judges"]}
        self.assertEqual(set(judges), {"Ina", "Odo", "Mara"})
        # Who takes the left one of one output shown twice is not steady.
        self.assertEqual([judge["steadiness"]["count"] for judge in judges.values()], [0, 0, 0])
        table = self.unvek("judge", "tally").stdout
        self.assertIn("People prefer a to c", table)
        self.assertIn("agrees with itself", table)

    def test_who_says_the_same_of_swapped_pairs_agrees_with_themselves(self):
        self.make("ab")
        (page,) = self.ballots("--repeat", "50 %", "--same", "0 %")
        self.unvek(
            "judge", "collect", str(self.answered(page, "Ina", lambda left, *_: "left" if left == "a" else "right"))
        )
        (judge,) = self.result("judge", "tally")["judges"]
        self.assertEqual((judge["self_agreement"]["count"], judge["self_agreement"]["of"]), (4, 4))
        self.assertLess(judge["self_agreement"]["low"], 0.5, "four of four are not sure")

    def test_all_won_is_not_certain_and_no_verdicts_say_so(self):
        self.make("ab", tasks=5)
        self.assertIn("no verdicts here yet", self.unvek("judge", "tally", expect=2).stderr)
        (page,) = self.ballots("--repeat", "0 %", "--same", "0 %")
        self.unvek(
            "judge", "collect", str(self.answered(page, "Ina", lambda left, *_: "left" if left == "a" else "right"))
        )
        (pair,) = self.result("judge", "tally")["pairs"]
        self.assertEqual((pair["wins"], pair["answer"]), ([5, 0], "unclear"))
        self.assertLess(pair["winning"]["low"], 0.5)
        self.assertEqual(pair["winning"]["high"], 1.0)

    def test_one_task_alone_has_intervals_over_its_items_and_says_so(self):
        self.make("ab", tasks=1)
        (page,) = self.ballots("--repeat", "0 %", "--same", "0 %")
        self.unvek("judge", "collect", str(self.answered(page, "Ina", lambda *_: "left")))
        told = self.result("judge", "tally")
        self.assertIsNone(told["pairs"][0]["winning"]["low"])
        self.assertIn("of one task", " ".join(told["notes"]))

    def test_verdicts_on_runs_that_do_not_count_are_left_out_and_said(self):
        self.make("ab")
        (page,) = self.ballots("--repeat", "0 %", "--same", "0 %")
        self.unvek("judge", "collect", str(self.answered(page, "Ina", lambda *_: "left")))
        self.logbook.void_run(1, "the machine was being updated")
        told = self.result("judge", "tally")
        self.assertEqual(told["of_other_runs"], 1)
        self.assertEqual(sum(sum(pair["wins"]) for pair in told["pairs"]), 7)
        self.assertEqual(len(self.result("judge", "tally", "--tasks", "amber")["pairs"]), 1)

    def test_long_texts_that_win_are_noticed(self):
        self.make("ab", texts=True)
        for number, (variant, task) in list(self.runs.items()):
            if variant == "b":
                self.logbook.void_run(number, "short")
                del self.runs[number]
                self.runs[self.run_made(f"b/{task}/0", text=f"{task} card " * 30, round_number=2)] = ("b", task)
        (page,) = self.ballots("--repeat", "0 %", "--same", "0 %")
        self.unvek(
            "judge", "collect", str(self.answered(page, "Ina", lambda left, *_: "left" if left == "b" else "right"))
        )
        longer = self.result("judge", "tally")["groups"][0]["longer_wins"]
        self.assertEqual((longer["count"], longer["of"]), (8, 8))
        self.assertIn("the longer text was taken 8 of 8 times", self.unvek("judge", "tally").stdout)


class AsMeasures(JudgedLogbook):
    """What judges said, as measures of the runs."""

    def setUp(self) -> None:
        super().setUp()
        self.make("abc", tasks=8)
        pages = self.ballots("--judges", "2", "--each-other", "--repeat", "0 %", "--same", "0 %")
        # b always wins against a and c; a and c are even.
        for page, judge in zip(pages, ("Ina", "Odo"), strict=True):
            self.unvek("judge", "collect", str(self.answered(page, judge, self.says, f"{judge}.json")))

    def says(self, left: str, right: str, _: str) -> str:
        return {left == "b": "left", right == "b": "right"}.get(True, "even")

    def wins(self, *options: str) -> dict[str, float]:
        rows = self.result("compare", "--measure", "wins", *options)["rows"]
        return {row["variant"]: row["measures"]["wins"]["typical"] for row in rows}

    def test_wins_are_against_the_reference_whichever_that_is(self):
        self.assertEqual(self.wins(), {"a": 0.5, "b": 1.0, "c": 0.5})
        self.assertEqual(self.wins("--reference", "b"), {"a": 0.0, "b": 0.5, "c": 0.0})
        rows = {row["variant"]: row["measures"]["wins"] for row in self.result("compare", "--measure", "wins")["rows"]}
        self.assertEqual(
            (rows["b"]["answer"], rows["b"]["unit"], rows["b"]["better"]), (None, "", "more"), "all won is not sure"
        )
        self.assertNotEqual(rows["c"]["answer"], "better")
        self.assertIn("wins is by people (Ina, Odo)", self.unvek("compare", "--measure", "wins").stdout)
        self.assertIn(
            "there is no measure 'wins.till'", self.unvek("compare", "--measure", "wins.till", expect=2).stderr
        )

    def test_a_verdict_that_is_taken_out_counts_nowhere(self):
        taken_out = 0
        for row in self.result("judge", "log")["rows"]:
            if row["task"] == "violet" and {row["left"], row["right"]} == {"a", "b"}:
                self.unvek("judge", "void", str(row["verdict"]), "--why", "x")
                taken_out += 1
        self.assertEqual(taken_out, 2)
        self.assertEqual(self.wins("--tasks", "violet")["c"], 0.5)
        self.assertIsNone(self.wins("--tasks", "violet")["b"])

    def test_a_plan_asks_for_them_and_a_need_is_met_or_not_shown(self):
        done = self.unvek("tradeoff", "--need", "wins >= 0.6")
        self.assertIn("wins", done.stdout)
        needs = {
            row["variant"]: (row["unmet"], row["not_shown"])
            for row in self.result("tradeoff", "--need", "wins >= 0.8")["rows"]
        }
        self.assertEqual(needs["a"][0], ["wins >= 0.8"])

    def test_a_run_and_a_sheet_carry_what_was_said(self):
        number = next(run for run, (variant, task) in self.runs.items() if (variant, task) == ("b", "amber"))
        shown = self.unvek("show", str(number)).stdout
        self.assertRegex(shown, r"judged +better than a, by Ina")
        self.assertEqual(len(self.result("show", str(number))["verdicts"]), 4)
        evidence = self.evidence()
        from unvek.core.findings.output_sheet.laying_out import lay_out_outputs

        rows = {row.variant: row.cells for row in lay_out_outputs(self.logbook, evidence).rows}
        self.assertEqual([cell.wins for cell in rows["b"]], [1.0] * 8)
        self.assertEqual([cell.wins for cell in rows["a"]], [None] * 8)


if __name__ == "__main__":
    unittest.main()
