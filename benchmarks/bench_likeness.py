"""SSIM of a pair of megapixel pictures, as a ratio to scikit-image's on the same arrays in the same run."""

import time

import numpy as np
from common import paired_ratio_words, spread_words

from unvek.core.measures.image import ssim

PAIRS = 7


def seconds(function) -> tuple[float, float]:
    began = time.perf_counter()
    value = function()
    return time.perf_counter() - began, value


def main() -> None:
    from skimage.metrics import structural_similarity

    rng = np.random.default_rng(1)
    a = rng.random((1000, 1000, 3))
    b = np.clip(a + rng.normal(0, 0.1, a.shape), 0, 1)

    def theirs() -> float:
        return float(
            structural_similarity(
                a, b, data_range=1.0, channel_axis=2, gaussian_weights=True, sigma=1.5, use_sample_covariance=False
            )
        )

    def ours() -> float:
        return ssim(a, b)

    values = ours(), theirs()
    pairs = [(seconds(ours)[0], seconds(theirs)[0]) for _ in range(PAIRS)]
    our_times, their_times = zip(*pairs, strict=True)
    print("Unvek           ", spread_words(our_times, "ms", 1000))
    print("scikit-image    ", spread_words(their_times, "ms", 1000))
    print("theirs over ours", paired_ratio_words(their_times, our_times), "; promised: at least 3")
    print(f"difference of the values {abs(values[0] - values[1]):.1e}; promised: 1e-6")


if __name__ == "__main__":
    main()
