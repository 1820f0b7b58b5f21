"""Lines, power laws, plateaus and splits, against certified values, NumPy's own fit, and identities."""

import unittest

import numpy as np

from tests.core.stats.test_launches import sample
from unvek.core.stats.conclusions.fits import _by_launch, line, power_law
from unvek.core.stats.conclusions.plateau import plateau
from unvek.core.stats.over_launches.launches import location, paired_ratio
from unvek.core.stats.over_launches.speedup import ALL_STEPS, SteppedRuns, Steps, split_speed_up

# y and x of the dataset Norris, with certified values (NIST, Statistical Reference Datasets, linear regression).
NORRIS = np.array([
    0.1, 0.2, 338.8, 337.4, 118.1, 118.2, 888.0, 884.6, 9.2, 10.1, 228.1, 226.5, 668.5, 666.3, 998.5, 996.3, 449.1,
    448.6, 778.9, 777.0, 559.2, 558.2, 0.3, 0.4, 0.1, 0.6, 778.1, 775.5, 668.8, 666.9, 339.3, 338.0, 448.9, 447.5, 10.8,
    11.6, 557.7, 556.0, 228.3, 228.1, 998.0, 995.8, 888.8, 887.6, 119.6, 120.2, 0.3, 0.3, 0.6, 0.3, 557.6, 556.8, 339.3,
    339.1, 888.0, 887.2, 998.5, 999.0, 778.9, 779.0, 10.2, 11.1, 117.6, 118.3, 228.9, 229.2, 668.4, 669.1, 449.2, 448.9,
    0.2, 0.5,
]).reshape(-1, 2)  # fmt: skip


class Lines(unittest.TestCase):
    def test_a_line_is_the_certified_one(self):
        y, x = NORRIS.T
        intercepts, slopes = _by_launch(x, y, np.ones(36), np.ones(36, int))
        np.testing.assert_allclose(intercepts, [-0.262323073774029], rtol=1e-9)
        np.testing.assert_allclose(slopes, [1.00211681802045], rtol=1e-12)

    def test_relative_errors_count_alike(self):
        x = np.array([1.0, 2.0, 4.0, 8.0])
        y = 0.5 + 0.25 * x * np.array([1.1, 0.9, 1.05, 0.97])
        slope, fixed = np.polyfit(x, y, 1, w=1 / y)
        found = line(x, y, np.ones(4, int))
        np.testing.assert_allclose([found.fixed.value, found.per_one.value], [fixed, slope])
        self.assertIsNone(found.fixed.low)

    def test_the_interval_is_over_launches(self):
        x = np.tile([2.0, 4.0, 8.0], 3)
        factors = np.repeat([1.0, 1.1, 0.9], 3)
        found = line(x, (0.5 + 0.25 * x) * factors, np.repeat([1, 2, 3], 3))
        self.assertAlmostEqual(found.per_one.value, 0.25)
        half_width = 4.302653 * 0.025 / np.sqrt(3)
        self.assertAlmostEqual(found.per_one.high - 0.25, half_width, places=6)
        self.assertEqual(found.launches, 3)

    def test_what_a_line_misses_is_in_its_interval_and_two_values_have_none(self):
        rng, held = np.random.default_rng(1), 0
        at = np.array([2.0, 4.0, 8.0, 12.0, 20.0])
        curved = 0.05 + 0.01 * at + 0.05 * (0.05 + 0.2) * (at / 20) ** 2  # 5 % more at the last than a line has
        for _ in range(200):
            y = np.tile(curved, 10) * np.exp(np.repeat(rng.normal(0, 0.01, 10), 5) + rng.normal(0, 0.005, 50))
            fixed = line(np.tile(at, 10), y, np.repeat(np.arange(10), 5)).fixed
            held += fixed.low <= 0.05 <= fixed.high
        self.assertGreaterEqual(held, 186)
        two = line(np.tile([1.0, 2.0], 3), np.tile([1.0, 2.0], 3), np.repeat([1, 2, 3], 2))
        self.assertEqual((two.fixed.low, two.per_one.high), (None, None))

    def test_one_value_or_none_positive_gives_no_fit(self):
        self.assertIsNone(line(np.full(3, 2.0), np.ones(3), np.arange(3)))
        self.assertIsNone(line(np.arange(3.0), np.array([1.0, 0.0, 2.0]), np.ones(3, int)))
        self.assertIsNone(power_law(np.array([0.0, 1.0]), np.ones(2), np.ones(2, int)))

    def test_a_power_law_is_found_again(self):
        x = np.tile([1.0, 2.0, 4.0, 8.0], 4)
        launches = np.repeat([1, 2, 3, 4], 4)
        found = power_law(x, 3.0 * x**1.5 * np.repeat([0.9, 1.0, 1.2, 1.1], 4), launches)
        self.assertAlmostEqual(found.exponent.value, 1.5)
        self.assertAlmostEqual(found.doubling.value, 2**1.5)
        bent = power_law(x, x ** np.repeat([1.4, 1.5, 1.6, 1.5], 4), launches)
        self.assertTrue(1.3 < bent.exponent.low < 1.5 < bent.exponent.high < 1.7)


class Plateaus(unittest.TestCase):
    def scores(self, level: float, rng: np.random.Generator):
        rounds, items = np.repeat([1, 2, 3], 8), np.tile(np.arange(8), 3)
        return sample(level + np.tile(rng.normal(0, 0.02, 8), 3), rounds, items=items)

    def test_the_cheapest_value_that_is_not_worse_than_the_best_by_more_than_the_margin(self):
        rng = np.random.default_rng(1)
        levels = [0.5, 0.8, 0.9, 0.91, 0.905]
        samples = [self.scores(level, rng) for level in levels]
        found = plateau(samples, levels, [1, 2, 3, 4, 5], more=True, margin=0.05, is_score=True)
        self.assertEqual((found.best, found.as_good, found.worse, found.cheapest), (3, (2, 3, 4), (0, 1), 2))
        strict = plateau(samples, levels, [1, 2, 3, 4, 5], more=True, margin=0.005, is_score=True)
        self.assertEqual((strict.as_good, strict.untold, strict.cheapest), ((3,), (2, 4), 3), "neither is shown")
        less = plateau(samples, levels, [1, 2, 3, 4, 5], more=False, margin=0.05, is_score=True)
        self.assertEqual((less.best, less.as_good), (0, (0,)))
        self.assertIsNone(plateau([sample([], [])], [np.nan], [1.0], more=True, margin=0.02))

    def test_a_value_that_is_worse_is_picked_in_5_of_100_at_most_however_few_the_tasks(self):
        rng = np.random.default_rng(2)
        for tasks in (2, 4, 16):
            picked = 0
            for _ in range(150):
                levels = np.array([0.7, 0.87, 0.9])  # the first two are worse than the last by more than 2 %
                of_tasks = 0.05 * rng.standard_normal((tasks, 1)) + levels + 0.03 * rng.standard_normal((tasks, 3))
                rounds, items = np.repeat([1, 2, 3], tasks), np.tile(np.arange(tasks), 3)
                samples = [sample(np.tile(of_tasks[:, n], 3), rounds, items=items) for n in range(3)]
                found = plateau(
                    samples, of_tasks.mean(axis=0).tolist(), [1, 2, 3], more=True, margin=0.02, is_score=True
                )
                picked += found.cheapest != found.best and found.cheapest < 2
            self.assertLessEqual(picked / 150, 0.05, tasks)

    def test_what_every_launch_repeats_on_one_task_tells_nothing(self):
        ours, best = sample([0.9] * 3, [1, 2, 3]), sample([0.91] * 3, [1, 2, 3])
        found = plateau([ours, best], [0.9, 0.91], [1, 2], more=True, margin=0.02, is_score=True)
        self.assertEqual((found.untold, found.cheapest), ((0,), 1))


class Splits(unittest.TestCase):
    def runs(self, steps: float, step_s: float, fixed_s: np.ndarray) -> SteppedRuns:
        n = len(fixed_s)
        of_one_kind = {ALL_STEPS: Steps(count=np.full(n, steps), each_s=np.full(n, step_s))}
        return SteppedRuns(time_s=fixed_s + steps * step_s, steps=of_one_kind,
                           rounds=np.arange(n), launches=np.arange(n), items=np.zeros(n, int))  # fmt: skip

    def test_the_parts_add_up_to_what_is_saved(self):
        ours, theirs = self.runs(4, 0.02, np.array([0.1, 0.11, 0.12])), self.runs(20, 0.03, np.array([0.2, 0.21, 0.25]))
        found = split_speed_up(ours, theirs)
        parts = found.fewer_steps_s.value, found.faster_steps_s.value, found.fixed_s.value
        middle = (0.6 - 0.08) / np.log(0.6 / 0.08)
        typical = [np.exp(np.log(runs.time_s).mean()) for runs in (ours, theirs)]
        fixed = (typical[1] - 0.6) - (typical[0] - 0.08)
        np.testing.assert_allclose(parts, (middle * np.log(5), middle * np.log(1.5), fixed), rtol=1e-12)
        ratio = paired_ratio(ours.sample(ours.time_s), theirs.sample(theirs.time_s))
        self.assertAlmostEqual(sum(parts), typical[1] * (1 - ratio.value), msg="the saving of the headline")
        self.assertTrue(found.fixed_s.low < 0.11 < found.fixed_s.high)

    def test_no_seconds_are_made_up_where_medians_and_means_differ(self):
        # Two items of very different length, one run in four slow: the parts still come to what the ratio says.
        rng = np.random.default_rng(2)
        sides = []
        for steps, step_s in ((6, 0.02), (20, 0.011)):
            items = np.tile([0, 1], 12)
            slow = np.where(rng.random(24) < 0.25, 3.0, 1.0)
            step_s = step_s * np.where(items == 1, 9, 1) * slow
            of_one_kind = {ALL_STEPS: Steps(count=np.full(24, steps), each_s=step_s)}
            sides.append(SteppedRuns(time_s=0.05 + steps * step_s * 1.1, steps=of_one_kind,
                                     rounds=np.repeat(np.arange(12), 2), launches=np.repeat(np.arange(12), 2), items=items))  # fmt: skip
        found = split_speed_up(*sides)
        ratio, usual = (
            paired_ratio(*(runs.sample(runs.time_s) for runs in sides)),
            location(sides[1].sample(sides[1].time_s)),
        )
        parts = found.fewer_steps_s.value + found.faster_steps_s.value + found.fixed_s.value
        self.assertAlmostEqual(parts, usual.value * (1 - ratio.value))

    def test_steps_of_several_kinds_are_split_each_for_itself(self):
        n, fixed_s = 3, np.array([0.5, 0.51, 0.52])

        def staged(coarse: float, fine: float, coarse_s: float, fine_s: float) -> SteppedRuns:
            kinds = {"coarse": (coarse, coarse_s), "fine": (fine, fine_s)}
            return SteppedRuns(
                time_s=fixed_s + coarse * coarse_s + fine * fine_s,
                steps={name: Steps(count=np.full(n, count), each_s=np.full(n, each)) for name, (count, each) in kinds.items()},
                rounds=np.arange(n), launches=np.arange(n), items=np.zeros(n, int),
            )  # fmt: skip

        # Ten quick steps and three slow ones: the step in the middle is a quick one, and would hide three quarters of it.
        reference = staged(10, 3, 0.1, 1.0)
        found = split_speed_up(staged(10, 1, 0.1, 1.0), reference)
        coarse, fine = found.stages
        self.assertEqual((coarse.name, coarse.fewer_steps_s.value, coarse.faster_steps_s.value), ("coarse", 0, 0))
        self.assertAlmostEqual(fine.fewer_steps_s.value, 2.0)
        self.assertAlmostEqual(fine.steps, 1), self.assertAlmostEqual(fine.reference_steps, 3)
        self.assertAlmostEqual(found.fewer_steps_s.value, 2.0)
        self.assertAlmostEqual(found.fixed_s.value, 0.0, places=4)
        found = split_speed_up(staged(10, 3, 0.05, 0.5), reference)
        self.assertAlmostEqual(found.stages[0].faster_steps_s.value, 0.5)
        self.assertAlmostEqual(found.stages[1].faster_steps_s.value, 1.5)
        self.assertAlmostEqual((found.step_s, found.reference_step_s)[1], 4 / 13)
        # Against one without stages all steps are of one kind, whose time is that of a step on average.
        found = split_speed_up(self.runs(13, 0.1, fixed_s), reference)
        self.assertEqual(found.stages, ())
        parts = found.fewer_steps_s.value, found.faster_steps_s.value, found.fixed_s.value
        np.testing.assert_allclose(parts, (0, 4 - 1.3, 0), atol=1e-3)

    def test_without_steps_there_is_nothing_to_split(self):
        fixed_s = np.array([0.1, 0.2])
        self.assertIsNone(split_speed_up(self.runs(0, np.nan, fixed_s), self.runs(4, 0.1, fixed_s)))


if __name__ == "__main__":
    unittest.main()
