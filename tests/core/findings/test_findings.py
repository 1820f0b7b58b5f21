"""What is said of the runs: the comparison, the trade-off and the sheet, from real runs of a scripted model."""

import json
import unittest

from PIL import Image

from tests.support import QUICK, SLOW, ProjectTest, task, variant
from unvek.core.stats.student import wilson


class Findings(ProjectTest):
    """Three rounds of a slow reference, a quick variant, one that is no different, and one that always fails."""

    @classmethod
    def setUpClass(cls) -> None:
        # The runs are made once: the tests only read them.
        made = cls("runTest")
        ProjectTest.setUp(made)
        cls.addClassCleanup(made.doCleanups)
        made.write_plan(
            variant("slow", steps=6, step_s=0.012),
            variant("quick", "distilled", steps=3, step_s=0.006, shade=1),
            variant("twin", "quantized", steps=6, step_s=0.012),
            variant("bad", "mixed", do="raise"),
            task("violet", (1, 2)),
            task("rose", (7,), prompt="a rose flower"),
            rounds=3,
            warmups=1,
            quality=True,
        )
        made.unvek("run", expect=1)
        took_s = {"slow": 0.08, "quick": 0.02, "twin": 0.08}
        made.have_taken(lambda row: took_s[row["variant"]] * (1 + 0.01 * (row["run"] % 5)))
        cls.made = made

    def setUp(self) -> None:
        self.folder = self.made.folder

    def runTest(self) -> None:
        """Nothing: only so that setUpClass can make an instance."""

    def rows(self, *arguments: str) -> dict:
        return {row["variant"]: row for row in self.result("compare", *arguments)["rows"]}

    def test_the_comparison_has_its_promised_shape(self):
        found = self.result("compare")
        self.assertEqual((found["kind"], found["reference"]), ("comparison", "slow"))
        self.assertIn("fingerprint", found["rig"])
        quick = found["rows"][1]
        self.assertEqual({key: quick[key] for key in ("variant", "form", "rounds", "runs", "finished", "steps")},
                         {"variant": "quick", "form": "distilled", "rounds": 3, "runs": 9, "finished": 9, "steps": 3})  # fmt: skip
        time = quick["measures"]["time.total"]
        self.assertEqual((time["unit"], time["better"]), ("s", "less"))
        self.assertLessEqual(time["low"], time["typical"])
        self.assertLessEqual(time["typical"], time["high"])
        self.assertEqual(set(time["ratio"]), {"value", "low", "high", "low_together", "high_together", "comparisons"})
        self.assertEqual(set(quick["failures"]) - {"kinds", "over"}, {"count", "share", "low", "high"})
        self.assertNotIn("NaN", json.dumps(found))

    def test_a_variant_of_a_quarter_of_the_time_is_faster(self):
        time = self.rows()["quick"]["measures"]["time.total"]
        self.assertEqual(time["answer"], "faster")
        self.assertTrue(0.1 < time["ratio"]["low"] <= time["ratio"]["value"] <= time["ratio"]["high"] < 0.9, time)

    def test_the_reference_is_held_against_nothing(self):
        time = self.rows()["slow"]["measures"]["time.total"]
        self.assertEqual((time["ratio"], time["answer"]), (None, None))
        other = self.rows("--reference", "quick")
        self.assertIsNone(other["quick"]["measures"]["time.total"]["ratio"])
        self.assertEqual(other["slow"]["measures"]["time.total"]["answer"], "slower")

    def test_likeness_is_one_for_the_same_output_and_drift_tells_what_less_means(self):
        rows = self.rows()
        for name in ("slow", "twin"):
            measure = rows[name]["measures"]["likeness"]
            self.assertAlmostEqual(measure["typical"], 1.0)
            self.assertAlmostEqual(measure["drift"], 0.0)
        quick = rows["quick"]["measures"]["likeness"]
        self.assertLess(quick["typical"], 1.0)
        self.assertGreater(quick["drift"], 0.0)

    def test_failures_stand_beside_the_times_with_their_interval(self):
        bad = self.rows()["bad"]
        self.assertEqual((bad["failures"]["count"], bad["failures"]["share"], bad["finished"]), (6, 1.0, 0))
        # Every launch failed whole: two of two, and not six of six. The third was left out, as it would fail alike.
        self.assertEqual((bad["failures"]["over"], bad["failures"]["low"]), ("launches", wilson(2, 2)[0]))
        self.assertIsNone(bad["measures"]["time.total"]["typical"])
        self.assertIn("No finished run: bad", self.unvek("compare").stdout)

    def test_variants_and_tasks_can_be_chosen(self):
        self.assertEqual(list(self.rows("--only", "qu*")), ["slow", "quick"])
        self.assertEqual(self.rows("--tasks", "rose")["quick"]["runs"], 3)
        self.assertIn("there are slow, quick, twin, bad", self.unvek("compare", "--only", "x*", expect=2).stderr)
        self.assertIn("no variant 'x' to be the reference", self.unvek("compare", "--reference", "x", expect=2).stderr)

    def test_the_tradeoff_names_who_is_beaten_and_by_whom(self):
        found = self.result("tradeoff")
        rows = {row["variant"]: row for row in found["rows"]}
        self.assertEqual([count["measure"] for count in found["counts"]], ["time.total", "likeness", "memory.model"])
        self.assertTrue(rows["quick"]["on_frontier"])
        self.assertNotIn("bad", rows)
        self.assertIn("bad", found["notes"][0])
        for row in rows.values():
            self.assertEqual(row["on_frontier"], not row["beaten_by"])
            self.assertTrue(row["probability"] is None or 0 < row["probability"] < 1, row)

    def test_the_pick_keeps_the_needs(self):
        picked = self.result("tradeoff", "--need", "likeness >= 0.0")
        self.assertEqual(picked["pick"], "quick")
        self.assertIn("x as fast", picked["because"])
        strict = self.result("tradeoff", "--need", "likeness >= 0.9999")
        self.assertIn(strict["pick"], ("slow", "twin"))
        none = self.result("tradeoff", "--need", "time.total <= 1 ms")
        self.assertIsNone(none["pick"])
        self.assertIn("time.total <= 1 ms is not met by slow, quick and twin", none["because"])

    def test_a_need_that_can_not_be_read_says_what_would_be_right(self):
        for need, words in (("fast", "is no need; wanted"), ("speed <= 3", "there is no measure 'speed'"),
                            ("time.total <= 3", "a duration with its unit"), ("likeness >= high", "a number")):  # fmt: skip
            with self.subTest(need):
                self.assertIn(words, self.unvek("tradeoff", "--need", need, expect=2).stderr)

    def test_the_sheet_has_a_row_a_variant_and_a_column_an_item(self):
        self.unvek("sheet", "--out", "all.png")
        self.unvek("sheet", "--out", "few.png", "--only", "quick", "--tasks", "rose")
        with Image.open(self.folder / "all.png") as whole, Image.open(self.folder / "few.png") as few:
            self.assertGreater(whole.height, 1.7 * few.height)
            self.assertGreater(whole.width, 1.7 * few.width)
            self.assertGreater(len(few.convert("RGB").getcolors(100_000)), 50)

    def test_every_form_of_a_result_says_the_same(self):
        for command in ("compare", "tradeoff", "log"):
            names = [row["variant"] for row in self.result(command)["rows"]]
            as_csv = self.unvek(command, "--as", "csv").stdout
            self.assertEqual(len(as_csv.splitlines()), len(names) + 1)
            markdown = self.unvek(command, "--as", "markdown").stdout.splitlines()
            self.assertEqual(len(markdown), len(names) + 2)
            self.assertTrue(all(name in line for name, line in zip(names, markdown[2:], strict=True)))

    def test_the_log_has_its_promised_shape(self):
        row = self.log()[0]
        for field in ("run", "variant", "task", "seed", "round", "repeat", "warm_up", "varied", "status", "voided", "started",
                      "time_s", "steps", "step_time_s", "source"):  # fmt: skip
            self.assertIn(field, row)


class OneRound(ProjectTest):
    def test_one_round_gives_no_interval_and_says_why(self):
        self.write_plan(SLOW, QUICK, task())
        self.have_runs()
        measure = self.result("compare")["rows"][1]["measures"]["time.total"]
        self.assertEqual((measure["low"], measure["ratio"]["low"], measure["answer"]), (None, None, None))
        self.assertGreater(measure["ratio"]["value"], 0)
        self.assertIn("One round only", self.unvek("compare").stdout)

    def test_nothing_to_compare_is_told(self):
        self.assertIn("there is no logbook/", self.unvek("compare", expect=2).stderr)
        self.write_plan(SLOW.replace("step_s = 0.006", 'do = "raise"'), task())
        self.unvek("run", expect=1)
        self.assertIn("no run has finished yet", self.unvek("tradeoff", expect=2).stderr)
        self.assertIn("nothing to lay side by side", self.unvek("sheet", expect=2).stderr)
        self.assertIn("no finished run", self.unvek("compare").stdout.lower())


class DamagedOutputs(ProjectTest):
    def test_a_picture_that_can_not_be_read_has_no_likeness(self):
        self.write_plan(SLOW, QUICK, task(seeds=(1,)), rounds=2, quality=True)
        self.unvek("run")
        for run in (row["run"] for row in self.log() if row["variant"] == "quick"):
            path = self.folder / "logbook" / self.result("show", str(run))["outputs"][0]["path"]
            path.write_bytes(b"P6 999999 999999 255\n")
        rows = {row["variant"]: row for row in self.result("compare")["rows"]}
        self.assertIsNone(rows["quick"]["measures"]["likeness"]["typical"])
        self.unvek("sheet")


if __name__ == "__main__":
    unittest.main()
