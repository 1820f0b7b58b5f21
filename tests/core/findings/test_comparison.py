"""What a comparison answers: within which margin, and of how many comparisons."""

import io
import unittest

import numpy as np
from rich.console import Console
from scipy import stats

from tests.written import RIG, WrittenLogbook, planned_task
from unvek.core.evidence.gathering import gather
from unvek.core.findings.comparison.comparison import compare
from unvek.core.findings.comparison.found import Comparison
from unvek.core.plan.model import Margin
from unvek.core.run.events.record import Progress, Value
from unvek.show.results.comparison import print_comparison


def printed(found: Comparison) -> str:
    file = io.StringIO()
    print_comparison(Console(file=file, width=120), found)
    return file.getvalue()


class Answers(WrittenLogbook):
    def compared(self, *names: str, **plan) -> Comparison:
        """Variants of which the second takes 3 % longer, on eight items, in three launches each."""
        rng = np.random.default_rng(1)
        self.plan(*names, cells=[f"{name}/violet/{n}" for name in names for n in range(8)], quality=None, **plan)
        for number in range(1, 4):
            for place, name in enumerate(names):
                launch = self.logbook.open_launch(name, number)
                for n in range(8):
                    time_s = (1.03 if place == 1 else 1.0) * np.exp(rng.normal(0, 0.004))
                    self.run_made(f"{name}/violet/{n}", time_s, number, place=n + 2, launch=launch)
        return compare(gather(self.logbook), RIG)

    def test_within_a_margin_of_the_plans_own_it_is_the_same(self):
        usual = self.compared("full", "swift").rows[1]
        self.assertEqual(usual.measures["time.total"].answer, "slower")
        wide = self.compared("full", "swift", margins={"time.total": Margin(value=0.05)}).rows[1]
        self.assertEqual(wide.measures["time.total"].answer, "same")
        self.assertEqual(wide.sentence, "swift takes as long as full, within 5 %.")
        self.assertEqual(wide.measures["time.total"].margin, Margin(value=0.05))
        self.assertEqual(wide.measures["memory.peak"].margin, Margin(value=0.02))

    def test_a_table_says_of_how_many_comparisons_and_one_alone_says_nothing(self):
        many = self.compared("full", "swift", "half", "small")
        self.assertTrue(any("of 3 comparisons together" in note for note in many.notes), many.notes)
        ratio = many.rows[1].measures["time.total"].ratio
        self.assertEqual(ratio.comparisons, 3)
        self.assertTrue(ratio.low_together < ratio.low < ratio.high < ratio.high_together)
        alone = self.compared("full", "swift")
        self.assertFalse(any("comparisons together" in note for note in alone.notes), alone.notes)
        ratio = alone.rows[1].measures["time.total"].ratio
        self.assertEqual((ratio.low, ratio.high), (ratio.low_together, ratio.high_together))

    def test_what_is_told_as_0_or_1_is_a_share_with_an_exact_interval(self):
        self.plan(
            "full", "swift", cells=[f"{name}/t{n}/1" for name in ("full", "swift") for n in range(8)], quality=None
        )
        for name in ("full", "swift"):
            launch = self.logbook.open_launch(name, 1)
            for n in range(8):
                passed = Value(name="passed", number=float(name == "full" or n > 1), unit="")
                self.run_made(
                    f"{name}/t{n}/1", place=n + 2, launch=launch, progress=Progress(time_s=1.0, values=(passed,))
                )
        rows = compare(gather(self.logbook), RIG, ["passed"]).rows
        full, swift = (row.measures["passed"] for row in rows)
        self.assertEqual((full.typical, swift.typical, swift.over), (1.0, 0.75, "tasks"))
        np.testing.assert_allclose((swift.low, swift.high), stats.binomtest(6, 8).proportion_ci(0.95))
        self.assertTrue(swift.ratio.low < 0.75 < 1 < swift.ratio.high)

    def test_what_is_varied_has_rows_of_its_own_and_a_missing_cell_turns_nothing_round(self):
        self.varied_runs(ratios={1: 0.5, 16: 2.0}, missing=None)
        found = compare(gather(self.logbook), RIG)
        self.assertEqual([(row.variant, row.varied) for row in found.rows],
                         [(name, {"size": size}) for size in (1, 16) for name in ("full", "swift")])  # fmt: skip
        answers = [row.measures["time.total"].answer for row in found.rows]
        self.assertEqual(answers, [None, "faster", None, "slower"])
        self.assertEqual([row.steps for row in found.rows], [2, 2, 32, 32], "no run has a count between these")
        self.assertEqual(
            found.sentences["swift"], "swift against full: 2.01x (faster) with size 1; 0.50x (slower) with size 16."
        )
        self.assertRegex(
            found.sentences["full"], r"^full, the reference, takes 1.00\d* s with size 1, 1[56].\d+ s with size 16.$"
        )
        self.assertEqual(found.rows[1].measures["time.total"].ratio.comparisons, 2)

    def test_a_value_that_one_variant_lacks_is_said_and_the_others_stand(self):
        self.varied_runs(ratios={1: 0.5, 16: 2.0}, missing=16)
        found = compare(gather(self.logbook), RIG)
        self.assertEqual([row.measures["time.total"].answer for row in found.rows], [None, "faster", None, None])
        self.assertTrue(found.sentences["swift"].endswith("; not known with size 16."), found.sentences)
        self.assertIn("No finished run: swift with size 16. 'unvek log' lists what happened.", found.notes)

    def test_what_only_one_runner_varies_gives_the_others_no_empty_rows(self):
        self.plan("full", "swift", cells=["full/violet/1", "swift/violet/1"], quality=None)
        for number in (1, 2):
            self.run_made("full/violet/1", 1.0, number, place=2)
            launch = self.logbook.open_launch("swift", number)
            for clients in (1, 4):
                self.run_made(
                    "swift/violet/1",
                    1.0,
                    number,
                    place=clients,
                    repeat=clients,
                    launch=launch,
                    varied={"clients": clients},
                )
        found = compare(gather(self.logbook), RIG)
        self.assertEqual([(row.variant, row.varied_words) for row in found.rows],
                         [("swift", "clients 1"), ("swift", "clients 4"), ("full", "")])  # fmt: skip
        self.assertFalse(any("No finished run" in note for note in found.notes), found.notes)
        self.assertIn("not known with clients 4", found.sentences["swift"])
        self.assertEqual(printed(found).count("● swift   "), 2)

    def test_too_many_values_are_held_each_against_its_own(self):
        self.varied_runs(ratios=dict.fromkeys(range(1, 11), 0.5), missing=None)
        found = compare(gather(self.logbook), RIG)
        self.assertEqual([row.variant for row in found.rows], ["full", "swift"])
        self.assertTrue(
            any("each held against the reference with the same" in note for note in found.notes), found.notes
        )

    def varied_runs(self, ratios: dict[int, float], missing: int | None) -> None:
        """A variant that takes these times as long at each size, which one of the two may lack."""
        rng = np.random.default_rng(2)
        self.plan("full", "swift", cells=["full/violet/1", "swift/violet/1"], quality=None)
        for number in (1, 2, 3):
            for name in ("full", "swift"):
                launch = self.logbook.open_launch(name, number)
                for place, (size, ratio) in enumerate(ratios.items(), 2):
                    if name == "full" or size != missing:
                        time_s = size * (ratio if name == "swift" else 1.0) * np.exp(rng.normal(0, 0.004))
                        steps = tuple([time_s / (2 * size)] * 2 * size)
                        self.run_made(f"{name}/violet/1", round_number=number, place=place, launch=launch, repeat=place,
                                      varied={"size": size}, progress=Progress(time_s=time_s, step_times_s=steps))  # fmt: skip

    def test_stalls_that_a_typical_run_says_nothing_of_stand_beside_it(self):
        self.plan(
            "full", "swift", cells=[f"{name}/violet/{n}" for name in ("full", "swift") for n in (1, 2)], quality=None
        )
        rng = np.random.default_rng(3)
        for number in range(1, 6):
            for name in ("full", "swift"):
                launch = self.logbook.open_launch(name, number)
                for place in range(12):
                    time_s = np.exp(rng.normal(0, 0.002)) * (3.0 if name == "swift" and place % 5 == 3 else 1.0)
                    self.run_made(
                        f"{name}/violet/{1 + place % 2}", time_s, number, place=place + 2, repeat=place, launch=launch
                    )
        found = compare(gather(self.logbook), RIG)
        swift = found.rows[1].measures["time.total"]
        self.assertEqual((swift.answer, swift.mean.answer, swift.total.answer), ("same", "slower", "same"))
        self.assertAlmostEqual(swift.mean.ratio.value, 1 + 2 * 2 / 12, delta=0.01)
        self.assertGreater(swift.slowest, 2.9)
        self.assertTrue(any(note.startswith("In the mean, with stalls for as long as they last: swift is 0.751x as fast as")
                            for note in found.notes), found.notes)  # fmt: skip
        self.assertTrue(any("slowest 5 of 100 runs of swift take 3.0" in note for note in found.notes), found.notes)
        self.assertEqual([doubt.code for doubt in found.doubts], ["long-tail"])

    def test_how_many_tasks_would_tell_a_loss_is_said(self):
        names = ("full", "swift")
        self.plan(*names, cells=[f"{name}/t{n}/1" for name in names for n in range(4)], quality="facts",
                  kinds={"facts": "told"}, tasks=tuple(planned_task(f"t{n}") for n in range(4)))  # fmt: skip
        for name in names:
            launch = self.logbook.open_launch(name, 1)
            for n in range(4):
                told = (Value(name="facts", number=0.9 - 0.02 * n * (name == "swift"), unit=""),)
                self.run_made(f"{name}/t{n}/1", place=n + 2, launch=launch, progress=Progress(time_s=1.0, values=told))
        found = compare(gather(self.logbook), RIG)
        wanted = found.rows[1].measures["facts"].tasks_to_tell
        spread, margin = np.std([0, 0.02, 0.04, 0.06], ddof=1), 0.02 * 0.9
        power = [
            (stats.t.ppf(0.975, n - 1) + stats.t.ppf(0.8, n - 1)) * spread / np.sqrt(n) for n in (wanted - 1, wanted)
        ]
        self.assertTrue(power[0] > margin >= power[1], (wanted, power))
        self.assertTrue(any(f"takes about {wanted} tasks" in note for note in found.notes), found.notes)

    def test_an_amount_is_a_share_of_what_the_reference_has(self):
        self.assertAlmostEqual(Margin(value=0.01, is_absolute=True).share_of(0.5), 0.02)
        self.assertEqual(Margin(value=0.01, is_absolute=True).share_of(None), 0.0)
        self.assertEqual((Margin(value=0.01, is_absolute=True).words, Margin(value=0.015).words), ("0.01", "1.5 %"))


if __name__ == "__main__":
    unittest.main()
