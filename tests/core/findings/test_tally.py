"""The tally, by judges whose taste is known: who is preferred, who can be believed, and what is not told."""

import random
import unittest

from tests.judged import JudgedLogbook, taste


class Tallied(JudgedLogbook):
    def judge(self, ballots, names, strengths, seed: int = 1, **how) -> None:
        rng = random.Random(seed)
        for ballot, name in zip(ballots, names, strict=True):
            path = self.answered(ballot, name, taste(strengths, rng, **how), name=f"{name}.json")
            self.unvek("judge", "collect", str(path))

    def test_who_is_preferred_is_said_with_the_sides_pull_left_out(self):
        self.make("abc")
        pages = self.ballots("--judges", "3", "--each-other", "--same", "20 %")
        self.judge(pages, ("Ina", "Odo", "Mara"), {"a": 2.0, "b": 2.0, "c": -1.5}, bias=0.9)
        told = self.result("judge", "tally")
        pairs = {tuple(pair["variants"]): pair for pair in told["pairs"]}
        self.assertEqual(pairs["a", "c"]["answer"], "better")
        self.assertEqual(pairs["a", "b"]["answer"], "unclear")
        self.assertGreater(told["position"]["low"], 0.5)
        self.assertLess(abs({row["variant"]: row["rating"] for row in told["rows"]}["b"] - 0.5), 0.25)
        sentences = told["groups"][0]["sentences"]
        self.assertRegex(
            sentences[0], r"^people prefer a to c \d+ to \d+, \d+ as good; 95 % interval of winning 0\.\d\d to "
        )
        self.assertTrue(any(one.startswith("people do not tell b from a") for one in sentences))
        self.assertTrue(any("lean to the left one" in one for one in sentences))
        self.assertGreater(told["agreement"]["alpha"], 0.2)
        judges = {judge["judge"]: judge for judge in told["judges"]}
        self.assertEqual(set(judges), {"Ina", "Odo", "Mara"})
        # One output twice: who leans to a side calls it better there, and that shows.
        self.assertLess(sum(judge["steadiness"]["count"] for judge in judges.values()),
                        sum(judge["steadiness"]["of"] for judge in judges.values()))  # fmt: skip
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


if __name__ == "__main__":
    unittest.main()
