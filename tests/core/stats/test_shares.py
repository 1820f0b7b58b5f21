"""Shares of yes and no: the published intervals, and how often they hold and what is made of them."""

import unittest

import numpy as np
from scipy import stats

from unvek.core.stats.shares import at_least, clopper_pearson, paired_shares, sign_test


class Exact(unittest.TestCase):
    def test_the_interval_of_a_share_is_that_of_scipy(self):
        for count, total in ((0, 5), (5, 5), (3, 12), (1, 1000), (999, 1000), (7, 9)):
            theirs = stats.binomtest(count, total).proportion_ci(0.95, method="exact")
            np.testing.assert_allclose(clopper_pearson(count, total), (theirs.low, theirs.high), atol=1e-9)
        self.assertAlmostEqual(at_least(3, 12, 0.2), stats.binom.sf(2, 12, 0.2))
        self.assertAlmostEqual(at_least(9, 12, 0.2), stats.binom.sf(8, 12, 0.2))

    def test_a_count_between_two_has_the_wider_ends_of_both(self):
        low, high = clopper_pearson(2.5, 6)
        self.assertEqual((low, high), (clopper_pearson(2, 6)[0], clopper_pearson(3, 6)[1]))


class Signs(unittest.TestCase):
    def test_it_is_that_of_scipy_and_five_alike_show_nothing(self):
        for more, fewer in ((5, 0), (6, 0), (9, 3), (0, 0), (4, 4)):
            theirs = stats.binomtest(more, more + fewer, 0.5).pvalue if more + fewer else 1.0
            self.assertAlmostEqual(sign_test(more, fewer), theirs)
        self.assertGreater(sign_test(5, 0), 0.05)
        self.assertLess(sign_test(6, 0), 0.05)


class Paired(unittest.TestCase):
    def test_it_has_a_width_where_both_were_right_of_the_same(self):
        z = stats.norm.ppf(0.975)
        for total in (5, 12, 200):
            reach = z**2 / (total + z**2)
            np.testing.assert_allclose(paired_shares(0, 0, total, 0.975), (-reach, reach), atol=1e-9)

    def test_its_ends_are_where_the_score_says_so(self):
        # The score statistic, with the nuisance share found by search instead of by formula.
        more, fewer, total = 9, 3, 40
        for difference in paired_shares(more, fewer, total, 0.975):
            shares = np.linspace(max(0, -difference) + 1e-9, (1 - difference) / 2 - 1e-9, 400_001)
            likelihood = more * np.log(shares + difference) + fewer * np.log(shares)
            likelihood += (total - more - fewer) * np.log(1 - 2 * shares - difference)
            share = shares[np.nanargmax(likelihood)]
            apart = more - fewer - total * difference
            z = apart / np.sqrt(total * (2 * share + difference * (1 - difference)))
            self.assertAlmostEqual(abs(z), stats.norm.ppf(0.975), places=3)

    def test_they_hold_and_seldom_say_the_same_of_what_is_right_9_times_in_10(self):
        rng = np.random.default_rng(1)
        for total in (5, 12, 30, 100):
            held = same = 0
            for _ in range(800):
                ours, theirs = rng.random(total) < 0.9, np.ones(total, bool)
                more, fewer = int((ours & ~theirs).sum()), int((~ours & theirs).sum())
                low, high = paired_shares(more, fewer, total, 0.975)
                held += low <= -0.1 <= high
                same += low >= -0.02 and high <= 0.02
            self.assertGreaterEqual(held / 800, 0.92, total)
            self.assertEqual(same, 0)


if __name__ == "__main__":
    unittest.main()
