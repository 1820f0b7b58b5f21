"""Every sort of output, from a run to a table: and what can't be measured has a reason, and stops nothing."""

import unittest

from tests.support import ProjectTest, task, variant

SCRIPT = """
import io, json, os, struct, wave
import numpy as np
from PIL import Image

def load(variant): return variant.settings

def sound(path, samples):
    with wave.open(str(path), "wb") as file:
        file.setparams((1, 2, 8000, 0, "NONE", ""))
        file.writeframes((np.clip(samples, -1, 1) * 32767).astype("<i2").tobytes())

def run(settings, job, probe):
    rng, noise, bad = np.random.default_rng(job.seed), settings["noise"], settings.get("bad", "")
    frames = np.clip(np.linspace(0, 0.3, 12)[:, None, None, None] + rng.random((1, 16, 20, 3)) / 2, 0, 1)
    frames[3] += noise * (1 - 2 * frames[3])
    os.mkdir(job.out / "clip")
    for n, frame in enumerate(frames):
        if not (bad == "odd size" and n == 5):
            Image.fromarray((frame * 255).astype("uint8")).save(job.out / "clip" / ("%d.png" % n))
        else:
            Image.new("RGB", (3, 3)).save(job.out / "clip" / ("%d.png" % n))
    times = np.arange(4000) / 8000
    sound(job.out / "chime.wav", (1 + 2 * noise) * 0.9 * np.sin(2 * np.pi * 440 * times + 0.01 * noise * job.seed))
    if bad == "no wav":
        (job.out / "chime.wav").write_bytes(b"RIFF" + bytes(50))
    np.save(job.out / "first.npy", np.arange(6.0) + 1)
    np.save(job.out / "latent.npy", np.arange(1, 13.0) * (1 + noise) if bad != "nan" else np.full(12, np.nan))
    probe.text(json.dumps({"light": "half shade", "pots": 12}) if noise < 0.5 else "water it weekly and " * 6)
"""
MEASURES = """
[[measures]]
name = "snr"
kind = "snr"
[[measures]]
name = "clipped"
kind = "clipping"
[[measures]]
name = "spectrum"
kind = "spectral-distance"
[[measures]]
name = "glitches"
kind = "bad-frames"
[[measures]]
name = "flicker"
kind = "flicker"
[[measures]]
name = "count"
kind = "frame-count"
[[measures]]
name = "latent"
kind = "relative-l2"
output = "latent.npy"
[[measures]]
name = "card"
kind = "parses"
[[measures]]
name = "loop"
kind = "loop"
better = "more"
[[measures]]
name = "alike"
kind = "colour"
output = "clip/0.png"
"""


class EverySort(ProjectTest):
    def test_each_is_measured_and_compared(self):
        self.write("model.py", SCRIPT)
        self.write_plan(variant("slow", noise=0.0), variant("noisy", "quantized", noise=0.5),
                        variant("bad", "quantized", noise=0.1, bad="no wav"), variant("odd", "quantized", noise=0.1, bad="odd size"),
                        variant("nan", "quantized", noise=0.1, bad="nan"), task(seeds=(1, 2)), MEASURES)  # fmt: skip
        self.unvek("run")
        rows = {row["variant"]: row["measures"] for row in self.result("compare")["rows"]}

        def values(name: str) -> list:
            return [
                None if name not in rows[v] else rows[v][name]["typical"]
                for v in ("slow", "noisy", "bad", "odd", "nan")
            ]

        self.assertEqual(values("count"), [12, 12, 12, None, 12])
        self.assertEqual(values("glitches"), [0, 1, 0, None, 0])
        slow, noisy, bad, *_ = values("clipped")
        self.assertEqual((slow, bad), (0, None))
        self.assertGreater(noisy, 0.3)
        self.assertEqual(values("card")[:2], [1, 0])
        for name, wanted in (("latent", 0.5), ("alike", 0.0)):
            self.assertAlmostEqual(values(name)[1], wanted, places=6)
        self.assertGreater(values("snr")[3], values("snr")[1])
        self.assertEqual(rows["noisy"]["loop"]["better"], "more")
        reasons = {(row["name"], one["why"]) for row in self.result("measure")["rows"] for one in row["without"]}
        self.assertEqual(
            {why for name, why in reasons if name in ("clipped", "count", "latent") and "the reference made" not in why},
            {"its sound is damaged, or no WAV", "its pictures have different sizes",
             "not all of its numbers, or of those that it is held against, are finite"},
        )  # fmt: skip
        for command in ("compare", "tradeoff", "audit", "show 1", "measure"):
            self.unvek(*command.split())

    def test_a_plan_says_options_that_can_be(self):
        plan = self.write_plan(
            variant("slow"), task(), '[[measures]]\nname = "n"\nkind = "answer"\ntolerance = "wide"\n'
        )
        self.assertIn(
            "measures[n].tolerance", self.unvek("check", expect=2).stdout + self.unvek("check", expect=2).stderr
        )
        plan.write_text(plan.read_text().replace('"wide"', "0.5"))
        self.unvek("check")


if __name__ == "__main__":
    unittest.main()
