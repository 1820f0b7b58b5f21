"""Sounds, frames and arrays, held against independent code and against what must be true of them."""

import math
import unittest

import numpy as np
from scipy import signal
from scipy.spatial import distance

from unvek.core.measures.array import cosine, largest_difference, relative_l2
from unvek.core.measures.frames import bad_frame_count, bad_frames, flicker, frame_count
from unvek.core.measures.sound import SAME_SNR_DB, clipping, loudness, silence, snr, spectral_distance

RATE_HZ = 8000


def sine(hz: float = 440.0, level: float = 0.5, seconds: float = 1.0) -> np.ndarray:
    return level * np.sin(2 * np.pi * hz * np.arange(round(RATE_HZ * seconds)) / RATE_HZ)


class Sounds(unittest.TestCase):
    def test_noise_of_a_known_power_has_its_ratio(self):
        noisy = sine() + 0.05 * np.sign(sine(1111))
        self.assertAlmostEqual(snr(noisy, sine()), 10 * math.log10(np.mean(sine() ** 2) / 0.05**2), places=1)
        self.assertEqual(snr(sine(), sine()), SAME_SNR_DB)
        self.assertAlmostEqual(snr(0.5 * sine(), sine()), 20 * math.log10(2), places=10)
        self.assertRaisesRegex(ValueError, "silent throughout", snr, sine(), np.zeros(RATE_HZ))
        self.assertRaisesRegex(ValueError, "one length", snr, sine(), sine()[1:])

    def test_spectra_are_those_of_independent_code(self):
        rng = np.random.default_rng(1)
        a, b = sine() + 0.1 * rng.normal(size=RATE_HZ), sine(500) + 0.2 * rng.normal(size=RATE_HZ)
        length = round(0.032 * RATE_HZ)

        def decibels(sound: np.ndarray) -> np.ndarray:
            _, _, found = signal.stft(sound, nperseg=length, noverlap=length - length // 2, window="hann", boundary=None,
                                      padded=False, scaling="spectrum")  # fmt: skip
            return 20 * np.log10(2 * np.abs(found))

        wanted = np.mean(np.sqrt(np.mean((decibels(a) - decibels(b)) ** 2, axis=0)))
        self.assertAlmostEqual(spectral_distance(a, b, RATE_HZ), wanted, places=6)
        self.assertEqual(spectral_distance(a, a, RATE_HZ), 0)
        self.assertAlmostEqual(spectral_distance(10 * a, a, RATE_HZ), 20, places=6)
        self.assertGreater(spectral_distance(sine()[:10], np.zeros(10), RATE_HZ), 10)

    def test_clipping_is_at_full_scale_three_in_a_row(self):
        loud = np.clip(sine(level=2.0), -1, 1)
        self.assertAlmostEqual(clipping(loud), 2 / 3, places=1)  # a sine is over half of its height for two thirds
        self.assertEqual((clipping(sine(level=0.99)), clipping(np.array([0, 1, 1, 0, -1, 0.5]))), (0, 0))
        self.assertEqual(clipping(np.array([1.0, 1, 1, 0, -1, -1, -1, -1])), 7 / 8)

    def test_levels_and_silence(self):
        self.assertAlmostEqual(loudness(sine(level=1.0)), -3.0103, places=3)
        self.assertEqual(loudness(np.zeros(100)), -120)
        half = np.concatenate([sine(), np.zeros(RATE_HZ)])
        self.assertAlmostEqual(silence(half, RATE_HZ), 0.5, places=2)
        self.assertEqual((silence(sine(), RATE_HZ), silence(np.zeros(3), RATE_HZ)), (0, 1))
        for measure in (clipping, loudness):
            self.assertRaises(ValueError, measure, np.zeros(0))


class Frames(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(6)
        still = rng.random((1, 8, 9, 3))
        self.walk = np.clip(
            still + np.linspace(0, 0.2, 24)[:, None, None, None] + rng.normal(0, 0.004, (24, 8, 9, 3)), 0, 1
        )

    def test_flicker_is_the_mean_change_in_floats_and_in_bytes(self):
        wanted = float(np.mean(np.abs(np.diff(self.walk, axis=0))))
        self.assertAlmostEqual(flicker(self.walk), wanted, places=12)
        as_bytes = np.round(self.walk * 255).astype(np.uint8)
        self.assertAlmostEqual(flicker(as_bytes), float(np.mean(np.abs(np.diff(as_bytes / 255, axis=0)))), places=12)
        self.assertEqual(flicker(np.repeat(self.walk[:1], 4, axis=0)), 0)
        self.assertRaises(ValueError, flicker, self.walk[:1])

    def test_bad_frames_are_those_unlike_both_their_neighbours(self):
        self.assertEqual(bad_frames(self.walk), [])
        for places in ([0], [5], [23], [3, 11, 17]):
            bad = self.walk.copy()
            bad[places] = 1 - bad[places]
            self.assertEqual((bad_frames(bad), bad_frame_count(bad)), (places, len(places)))
        cut = self.walk.copy()
        cut[12:] = 1 - cut[12:]
        self.assertEqual(bad_frames(cut), [])  # another scene
        self.assertEqual(bad_frames(np.repeat(self.walk[:1], 9, axis=0)), [])
        self.assertRaises(ValueError, bad_frames, self.walk[:2])
        self.assertEqual(frame_count(self.walk), 24)


class Arrays(unittest.TestCase):
    def test_they_are_those_of_independent_code(self):
        rng = np.random.default_rng(8)
        a, b = rng.normal(size=(4, 5, 6)), rng.normal(size=(4, 5, 6))
        self.assertAlmostEqual(cosine(a, b), 1 - distance.cosine(a.ravel(), b.ravel()), places=12)
        self.assertAlmostEqual(
            relative_l2(a, b), distance.euclidean(a.ravel(), b.ravel()) / np.sqrt(np.sum(b**2)), places=12
        )
        self.assertAlmostEqual(largest_difference(a, b), distance.chebyshev(a.ravel(), b.ravel()), places=12)
        self.assertEqual((cosine(a, a), relative_l2(a, a), cosine(a, -a)), (1, 0, -1))
        large = np.array([200, 100], np.uint8)
        self.assertEqual(largest_difference(large, large[::-1]), 100)  # whole numbers do not run over

    def test_what_has_no_value_says_why(self):
        a = np.ones(3)
        for measure in (cosine, relative_l2):
            self.assertRaisesRegex(ValueError, "0 throughout", measure, a, 0 * a)
        self.assertRaisesRegex(ValueError, "one shape", cosine, a, np.ones(4))
        self.assertRaisesRegex(ValueError, "finite", largest_difference, a, np.array([1, np.nan, 1]))


class FrameCounts(unittest.TestCase):
    def test_frames_are_counted_alone_or_against_how_many_there_should_be(self):
        from unvek.core.measures.kinds import KINDS

        count = KINDS["frame-count"]
        clip, still = np.zeros((25, 4, 4, 3)), np.zeros((4, 4, 3))
        self.assertEqual([count.work_out(a) for a in (clip, still)], [25, 1])
        asked = {"rate": "12", "seconds": "2"}
        self.assertEqual(count.work_out(clip, options=asked), 1)
        self.assertEqual(count.work_out(clip, options={**asked, "first": "yes"}), 0)
        self.assertEqual(count.work_out(still, options=asked), 23)


if __name__ == "__main__":
    unittest.main()
