"""Likeness of pictures, held against the formulas written out and against what must be true of them."""

import math
import unittest

import numpy as np

from unvek.core.measures.image import SAME_PSNR_DB, psnr, ssim


def written_out_ssim(a: np.ndarray, b: np.ndarray) -> float:
    """Wang et al. 2004, equations 13 to 16, a window at a time."""
    taps = np.exp(-0.5 * (np.arange(-5, 6) / 1.5) ** 2)
    window = np.outer(taps, taps) / taps.sum() ** 2
    c1, c2 = 0.01**2, 0.03**2
    values = []
    for channel in range(3):
        for y in range(a.shape[0] - 10):
            for x in range(a.shape[1] - 10):
                p, q = a[y : y + 11, x : x + 11, channel], b[y : y + 11, x : x + 11, channel]
                mean_p, mean_q = (window * p).sum(), (window * q).sum()
                var_p, var_q = (window * (p - mean_p) ** 2).sum(), (window * (q - mean_q) ** 2).sum()
                covariance = (window * (p - mean_p) * (q - mean_q)).sum()
                values.append((2 * mean_p * mean_q + c1) * (2 * covariance + c2)
                              / ((mean_p**2 + mean_q**2 + c1) * (var_p + var_q + c2)))  # fmt: skip
    return float(np.mean(values))


class Likeness(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(4)
        self.a = rng.random((20, 17, 3))
        self.b = np.clip(self.a + rng.normal(0, 0.1, self.a.shape), 0, 1)

    def test_structural_similarity_is_as_published(self):
        self.assertAlmostEqual(ssim(self.a, self.b), written_out_ssim(self.a, self.b), places=12)

    def test_it_is_the_same_however_the_picture_is_cut_into_tiles(self):
        rng = np.random.default_rng(5)
        a = rng.random((150, 139, 3))
        b = a[::-1].copy()
        whole = written_out_ssim(a[:40, :40], b[:40, :40])
        self.assertAlmostEqual(ssim(a[:40, :40], b[:40, :40]), whole, places=12)
        parts = [ssim(a[:, x : x + 11], b[:, x : x + 11]) for x in range(139 - 10)]
        self.assertAlmostEqual(ssim(a, b), float(np.mean(parts)), places=10)

    def test_a_picture_is_like_itself_and_order_does_not_matter(self):
        self.assertAlmostEqual(ssim(self.a, self.a), 1.0, places=12)
        self.assertAlmostEqual(ssim(self.a, self.b), ssim(self.b, self.a), places=12)
        self.assertLess(ssim(self.a, 1 - self.a), 0)

    def test_psnr_is_the_mean_squared_difference_in_decibels(self):
        self.assertAlmostEqual(psnr(np.zeros((4, 4, 3)), np.full((4, 4, 3), 0.1)), 20.0)
        self.assertAlmostEqual(psnr(self.a, self.b), -10 * math.log10(((self.a - self.b) ** 2).mean()))
        self.assertEqual(psnr(self.a, self.a), SAME_PSNR_DB)

    def test_pictures_that_do_not_go_together_are_refused(self):
        for a, b in ((self.a, self.b[1:]), (self.a[..., 0], self.b[..., 0]), (self.a[:0], self.b[:0])):
            with self.assertRaisesRegex(ValueError, "one shape"):
                ssim(a, b)
        with self.assertRaisesRegex(ValueError, "at least 11 pixels a side"):
            ssim(self.a[:10], self.b[:10])


if __name__ == "__main__":
    unittest.main()
