"""Who is beaten, where less than a margin is nothing, and how probable that is: by hand, and against known truth."""

import unittest

import numpy as np

from unvek.core.stats.conclusions.draws import ratio_draws, score_draws
from unvek.core.stats.conclusions.frontier import Costs, beaten, beats, circles, even, frontier_probabilities
from unvek.core.stats.over_launches.launches import ratios_together
from unvek.core.stats.over_launches.levels import Levels

NONE, MARGINS = np.zeros(2), np.array([0.5, 0.5])


class Beating(unittest.TestCase):
    COSTS = np.array([[1.0, 5.0], [2.0, 2.0], [3.0, 3.0], [5.0, 1.0], [2.0, 2.0]])

    def test_who_beats_whom(self):
        self.assertEqual(np.argwhere(beats(self.COSTS, NONE)).tolist(), [[1, 2], [4, 2]])
        self.assertEqual(beaten(beats(self.COSTS, NONE)).tolist(), [False, False, True, False, False])

    def test_less_than_a_margin_beats_nothing_and_keeps_from_nothing(self):
        costs = np.array([[1.0, 1.0], [1.4, 1.4], [0.7, 1.6], [1.3, 2.0]])
        won = beats(costs, MARGINS)
        self.assertEqual(np.argwhere(won).tolist(), [[0, 2], [0, 3], [1, 3], [2, 1], [2, 3]])
        self.assertEqual(np.argwhere(np.triu(even(costs, MARGINS), 1)).tolist(), [[0, 1]])

    def test_in_a_circle_all_stay(self):
        costs = np.array([[0.0, 0.4, 0.8], [0.4, 0.8, 0.0], [0.8, 0.0, 0.4], [9.0, 9.0, 9.0]])
        won = beats(costs, np.full(3, 0.5))
        self.assertEqual(np.argwhere(won[:3, :3]).tolist(), [[0, 2], [1, 0], [2, 1]])
        self.assertEqual(beaten(won).tolist(), [False, False, False, True])
        self.assertEqual(circles(won).tolist(), [True, True, True, False])
        straight = beats(
            np.array([[0.0, 0.0, 0.0], [1.0, 1.0, 1.0], [2.0, 2.0, 2.0], [9.0, 9.0, 9.0]]), np.full(3, 0.5)
        )
        many = beaten(np.stack([won, straight, won]))
        self.assertEqual(many.tolist(), [beaten(one).tolist() for one in (won, straight, won)])
        self.assertEqual(many[1].tolist(), [False, True, True, True])

    def test_the_unknown_neither_beats_nor_is_beaten(self):
        costs = np.array([[1.0, np.nan], [2.0, 2.0]])
        self.assertFalse(beats(costs, NONE).any())
        self.assertFalse(even(costs, MARGINS)[0].any())
        drawn = np.broadcast_to(costs, (100, 2, 2))
        self.assertTrue(np.isnan(frontier_probabilities(Costs(found=costs, drawn=drawn, margins=NONE))).all())
        three = np.array([[1.0, 1.0], [2.0, 2.0], [0.5, 3.0]])
        drawn = np.broadcast_to(np.where([[False], [True], [False]], np.nan, three), (100, 3, 2))
        found = frontier_probabilities(Costs(found=three[[0, 1, 2]], drawn=drawn, margins=NONE))
        self.assertEqual(np.isnan(found).tolist(), [False, True, False], "what was seen once beats neither")
        found = frontier_probabilities(
            Costs(found=np.array([[1.0, 1.0], [0.5, 0.5], [0.5, 3.0]]), drawn=drawn, margins=NONE)
        )
        self.assertEqual(np.isnan(found).tolist(), [True, True, True], "what was seen once seems to beat both")


class Probable(unittest.TestCase):
    def test_probabilities_are_right_as_often_as_they_say_and_never_certain(self):
        rng = np.random.default_rng(1)
        said, true = [], []
        margins = np.array([0.02, 0.02])
        for rounds in (3, 5, 10):
            for _ in range(250):
                truth = np.stack([rng.normal(0, 0.04, 4), rng.normal(0, 0.04, 4)], axis=-1)
                truth[0] = 0.0
                levels = truth[:, 0] + rng.normal(0, 0.03, (rounds, 4))
                ratios = ratios_together({n: Levels(levels[:, n] - levels[:, 0], rounds - 1) for n in (1, 2, 3)})
                logs = np.array([0.0, *(np.log(ratios[n].value) for n in (1, 2, 3))])
                errors = np.array([0.0, *(ratios[n].spread / np.sqrt(rounds) for n in (1, 2, 3))])
                degrees = np.array([np.nan, *(ratios[n].degrees for n in (1, 2, 3))])
                scores = truth[:, 1] + rng.normal(0, 0.05, (8, 1)) + rng.normal(0, 0.03, (8, 4))
                drawn = [ratio_draws(logs, errors, degrees, rng, 400), score_draws(scores, scores.mean(0), rng, 400)]
                costs = Costs(found=np.stack([logs, scores.mean(0)], -1), drawn=np.stack(drawn, -1), margins=margins)
                said.append(frontier_probabilities(costs))
                true.append(~beaten(beats(truth, margins)))
        said, true = np.concatenate(said), np.concatenate(true)
        self.assertTrue(said.min() > 0 and said.max() < 1)
        for low, high in ((0, 0.15), (0.15, 0.5), (0.5, 0.85), (0.85, 1)):
            these = (said >= low) & (said < high)
            error = 3 * np.sqrt(np.mean(said[these]) * (1 - np.mean(said[these])) / np.count_nonzero(these))
            self.assertAlmostEqual(np.mean(said[these]), np.mean(true[these]), delta=0.05 + error)

    def test_tasks_are_drawn_for_all_alike_and_five_of_five_are_not_sure(self):
        rng = np.random.default_rng(2)
        hard = rng.normal(0.8, 0.1, (6, 1))
        drawn = score_draws(np.hstack([hard, hard - 0.05]), np.array([hard.mean(), hard.mean() - 0.05]), rng)
        np.testing.assert_allclose(drawn[:, 0] - drawn[:, 1], 0.05, err_msg="what is hard is hard for both")
        self.assertGreater(np.std(drawn[:, 0]), 0.02)
        right = score_draws(np.ones((5, 1)), np.ones(1), rng, are_shares=True)
        self.assertTrue(0.02 < np.mean(right < 0.8) < 0.3)
        self.assertTrue(np.all(np.isnan(score_draws(np.ones((1, 2)), np.ones(2), rng))), "of one task nothing is known")

    def test_ratios_share_the_references_launches(self):
        rng = np.random.default_rng(3)
        drawn = ratio_draws(np.array([0.0, 0.1, 0.2]), np.array([0.0, 0.05, 0.05]), np.array([np.nan, 60.0, 60.0]), rng)
        self.assertTrue(np.all(drawn[:, 0] == 0))
        self.assertAlmostEqual(np.corrcoef(drawn[:, 1], drawn[:, 2])[0, 1], 0.5, delta=0.06)
        self.assertAlmostEqual(np.std(drawn[:, 1]), 0.05, delta=0.004)


if __name__ == "__main__":
    unittest.main()
