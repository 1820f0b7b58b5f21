"""Forecasts are ranges that hold about as often as they should, made from the nearest thing that was seen."""

import math
import random
import statistics
import unittest
from collections import Counter
from pathlib import Path

from unvek.core.plan.cells import Cell
from unvek.core.plan.model import Limits, Task, Variant
from unvek.core.run.forecast import OTHER_VARIANTS, SAME_CELL, SAME_VARIANT, Forecaster, Tally, Work
from unvek.core.run.remaining import Remaining


def cell(key: str = "c", variant: str = "full", steps: int | None = 20) -> Cell:
    settings = {"steps": steps} if steps else {}
    made = Variant(
        name=variant,
        form="full",
        runner="r",
        of=None,
        weights=(Path("w"),),
        parts={},
        settings=settings,
        limits=Limits(),
    )
    task = Task(name="t", prompt="p", seeds=(1,), inputs=(), expect=(), wanted=(), facts={}, settings={})
    return Cell(key=key, variant=made, task=task, seed=1, settings=settings)


class Tallies(unittest.TestCase):
    def test_mean_and_spread_are_those_of_the_logarithms(self):
        tally, values = Tally(), [1.0, 1.5, 0.7, 1.1, 0.9, 1.3] * 50
        for value in values:
            tally.add(value)
        logs = [math.log(value) for value in values]
        self.assertAlmostEqual(tally.mean, statistics.fmean(logs))
        self.assertAlmostEqual(tally.spread(), statistics.stdev(logs), delta=0.01)

    def test_a_range_holds_the_next_one_nine_times_in_ten(self):
        rng = random.Random(5)
        for seen, spread in ((3, 0.08), (10, 0.08), (10, 0.3), (40, 0.02)):
            held = 0
            for _ in range(1500):
                tally = Tally()
                for _ in range(seen):
                    tally.add(math.exp(rng.gauss(0, spread)))
                low, high = tally.range_of_next()
                held += low <= math.exp(rng.gauss(0, spread)) <= high
            self.assertTrue(0.82 <= held / 1500 <= 0.995, (seen, spread, held / 1500))


class Forecasts(unittest.TestCase):
    def test_the_nearest_thing_that_was_seen_is_gone_by(self):
        forecaster = Forecaster()
        self.assertIsNone(forecaster.of_run(cell(), cold=False))
        forecaster.learn("other", "half", 10, 1.0, cold=False)
        self.assertEqual(forecaster.of_run(cell(), cold=False).basis, OTHER_VARIANTS)
        forecaster.learn("other full", "full", 10, 3.0, cold=False)
        by_variant = forecaster.of_run(cell(), cold=False)
        self.assertEqual(by_variant.basis, SAME_VARIANT)
        self.assertTrue(by_variant.low_s < 6.0 < by_variant.high_s, "20 steps take twice as long as 10")
        forecaster.learn("c", "full", 20, 7.0, cold=False)
        by_cell = forecaster.of_run(cell(), cold=False)
        self.assertEqual(by_cell.basis, SAME_CELL)
        self.assertTrue(by_cell.low_s < 7.0 < by_cell.high_s < 11)

    def test_a_cell_that_says_no_steps_goes_by_whole_runs(self):
        forecaster = Forecaster()
        forecaster.learn("other", "full", 50, 5.0, cold=False)
        found = forecaster.of_run(cell("new", steps=None), cold=False)
        self.assertTrue(found.low_s < 5.0 < found.high_s, found)

    def test_cold_runs_and_warm_ones_are_kept_apart(self):
        forecaster = Forecaster()
        forecaster.learn("c", "full", 20, 9.0, cold=True)
        forecaster.learn("c", "full", 20, 2.0, cold=False)
        self.assertGreater(forecaster.of_run(cell(), cold=True).low_s, forecaster.of_run(cell(), cold=False).high_s)

    def test_on_a_machine_that_turned_noisy_even_new_cells_get_wider_ranges(self):
        def width_after(spread: float) -> float:
            rng, forecaster = random.Random(1), Forecaster()
            for place in range(120):
                forecaster.learn(f"c{place % 6}", "full", 20, math.exp(rng.gauss(0, spread)), cold=False)
            forecaster.learn("new", "full", 20, 1.0, cold=False)
            found = forecaster.of_run(cell("new"), cold=False)
            return found.high_s / found.low_s

        self.assertGreater(width_after(0.3), 1.5 * width_after(0.03))

    def test_what_is_foretold_of_runs_holds_nine_times_in_ten_whatever_the_noise(self):
        for spread in (0.02, 0.1, 0.3):
            rng, forecaster, held, asked = random.Random(7), Forecaster(), 0, 0
            for place in range(600):
                key, name = f"c{place % 6}", ("full", "swift")[place % 2]
                taken_s = (2.0, 0.5)[place % 2] * math.exp(rng.gauss(0, spread))
                if place >= 18:  # each cell was seen three times
                    found, asked = forecaster.of_run(cell(key, name), cold=False), asked + 1
                    held += found.low_s <= taken_s <= found.high_s
                forecaster.learn(key, name, 20, taken_s, cold=False)
            self.assertTrue(0.84 <= held / asked <= 0.995, (spread, held / asked))


class AllThatIsLeft(unittest.TestCase):
    def test_what_is_foretold_of_a_whole_plan_holds_nine_times_in_ten(self):
        held = 0
        for plan in range(300):
            rng, forecaster = random.Random(plan), Forecaster()
            cells = {f"c{place}": cell(f"c{place}") for place in range(4)}
            typical_s = {key: rng.uniform(0.5, 3) for key in cells}

            def taken_s(key: str, typical_s=typical_s, rng=rng) -> float:
                return typical_s[key] * math.exp(rng.gauss(0, 0.15))

            for key in cells:
                for _ in range(3):
                    forecaster.learn(key, "full", 20, taken_s(key), cold=False)
            work = [Work(cell=one, cold_runs=0, warm_runs=8, launches=0) for one in cells.values()]
            low_s, high_s = forecaster.of_all(work, pause_s=0.0)
            held += low_s <= sum(taken_s(key) for key in cells for _ in range(8)) <= high_s
        self.assertGreaterEqual(held / 300, 0.85)

    def test_it_is_a_range_that_shrinks_as_runs_are_made(self):
        forecaster = Forecaster()
        for seconds in (1.0, 1.05, 0.97):
            forecaster.learn("c", "full", 20, seconds, cold=False)
        left = Remaining({"full": cell()}, Counter(full=10), Counter(full=2), warmups=1, pause_s=0.0)
        low, high = left.time_left_s(forecaster)
        self.assertTrue(low < 12.6 < high < 20, (low, high))
        left.launch_begins("full")
        for _ in range(5):
            left.run_is_made("full", warm_up=False)
        self.assertEqual(left.runs, 5)
        self.assertLess(left.time_left_s(forecaster)[1], high * 0.7)
        self.assertIsNone(left.time_left_s(Forecaster()), "nothing is foretold from nothing")


if __name__ == "__main__":
    unittest.main()
