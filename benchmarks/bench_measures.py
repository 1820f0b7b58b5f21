"""Measures of pictures and moving pictures: equal to the well-known image library's, and beside the time of decoding.

Colours: CIEDE2000 of a megapixel pair, as values and as a ratio of times. Frames: psnr and flicker of 120 frames of
720p, as a ratio to decoding them, which is promised to be under 2; ssim beside the library's, frame by frame. And all
that the demo asks of its outputs.
"""

import io
import json
import subprocess
import sys
import tempfile
from pathlib import Path
from time import perf_counter

import numpy as np
from common import spread_words
from PIL import Image

from unvek.core.measures.colours import ciede2000, lab
from unvek.core.measures.frames import flicker
from unvek.core.measures.image import colour, psnr, ssim
from unvek.core.pictures import open_frames
from unvek.demo import lay_out

TIMES = 5
FEW_FRAMES = 8


def smooth(rng: np.random.Generator, height: int, width: int) -> np.ndarray:
    """Return something like a photograph: soft forms with a little noise, (height, width, 3) in 0..1."""
    coarse = Image.fromarray(rng.integers(0, 256, (9, 12, 3), np.uint8)).resize(
        (width, height), Image.Resampling.BICUBIC
    )
    return np.clip(np.asarray(coarse) / 255 + rng.normal(0, 0.02, (height, width, 3)), 0, 1)


def timed(work, *arguments) -> tuple[float, object]:
    began_s = perf_counter()
    found = work(*arguments)
    return perf_counter() - began_s, found


def colours(rng: np.random.Generator) -> None:
    from skimage.color import deltaE_ciede2000, rgb2lab

    a, b = (smooth(rng, 1000, 1000) for _ in range(2))
    theirs = deltaE_ciede2000(rgb2lab(a), rgb2lab(b))
    apart = float(np.max(np.abs(ciede2000(lab(a), lab(b)) - theirs)))
    ours_s = [timed(colour, a, b)[0] for _ in range(TIMES)]
    theirs_s = [timed(lambda: deltaE_ciede2000(rgb2lab(a), rgb2lab(b)).mean())[0] for _ in range(TIMES)]
    print("CIEDE2000 of a megapixel pair")
    print("  ours            ", spread_words(ours_s, "ms", 1000))
    print("  scikit-image    ", spread_words(theirs_s, "ms", 1000))
    print(f"  {np.median(theirs_s) / np.median(ours_s):.2f}x as fast; apart by {apart:.1e} at most")


def frames(rng: np.random.Generator) -> None:
    one = np.round(smooth(rng, 720, 1280) * 255).astype(np.uint8)
    walk = [Image.fromarray(np.roll(one, 3 * n, axis=1)) for n in range(120)]
    files = [io.BytesIO() for _ in range(2)]
    for file, shift in zip(files, (0, 1), strict=True):
        pictures = [walk[(n + shift) % 120] for n in range(120)]
        pictures[0].save(file, "PNG", save_all=True, append_images=pictures[1:], compress_level=1)
    decoding_s, a = timed(open_frames, files[0])
    _, b = timed(open_frames, files[1])
    print(f"120 frames of 720p: decoding takes {decoding_s:.2f} s")
    for name, work, arguments in (("psnr", psnr, (a, b)), ("flicker", flicker, (a,))):
        seconds, _ = timed(work, *arguments)
        print(f"  {name:<8} {seconds:.2f} s, {seconds / decoding_s:.2f} times that; promised: under 2")
    few = (a[:FEW_FRAMES], b[:FEW_FRAMES])
    ours_s, ours = timed(ssim, *few)
    theirs_s, theirs = timed(ssim_of_library, *few)
    print(
        f"  ssim     {theirs_s / ours_s:.1f}x as fast as scikit-image frame by frame; apart by {abs(ours - theirs):.1e}"
    )


def ssim_of_library(a: np.ndarray, b: np.ndarray) -> float:
    from skimage.metrics import structural_similarity

    return float(
        np.mean(
            [
                structural_similarity(x, y, channel_axis=2, gaussian_weights=True, sigma=1.5,
                                      use_sample_covariance=False, data_range=255)
                for x, y in zip(a, b, strict=True)
            ]
        )
    )  # fmt: skip


def demo() -> None:
    """Measure the demo's outputs anew, as its plan asks: by the program, from start to end."""
    with tempfile.TemporaryDirectory() as folder:
        plan = lay_out(Path(folder) / "row", quick=False)
        plan.write_text(plan.read_text().replace("[limits]", 'measure = "later"\n\n[limits]', 1))
        run_unvek("run", "--plain", folder=plan.parent)
        seconds, said = timed(lambda: run_unvek("measure", "--as", "json", folder=plan.parent))
        found = json.loads(said)
        runs = max(row["value_count"] for row in found["rows"])
        print(f"The demo's {runs} outputs, {found['worked_out']} values: {seconds:.2f} s; promised: under 10")


def run_unvek(*arguments: str, folder: Path) -> str:
    done = subprocess.run([sys.executable, "-m", "unvek", *arguments], cwd=folder, capture_output=True, text=True)
    if done.returncode:
        raise SystemExit(done.stderr)
    return done.stdout


if __name__ == "__main__":
    generator = np.random.default_rng(15)
    colours(generator)
    frames(generator)
    demo()
