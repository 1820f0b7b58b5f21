"""The demo: weights that are what they say, labels that a prompt decides, a project that runs as it is laid out."""

import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np

from tests.support import ProjectTest
from unvek.core.errors import InputError
from unvek.core.measures.image import ssim
from unvek.core.plan.reading.plan import read_plan
from unvek.demo import PROJECT, lay_out

# The project's scripts import each other by name, as a user's would.
sys.path.insert(0, str(PROJECT))
import bract
import weights

MODELS = PROJECT / "models"
VIOLET = "a violet flower with six petals on night ground, one leaf"


class Bract(unittest.TestCase):
    def paint(
        self, name: str, steps: int = 6, guidance: float = 2.0, prompt: str = VIOLET, seed: int = 11
    ) -> np.ndarray:
        return bract.Bract(MODELS / f"bract-{name}.safetensors").paint(prompt, seed, steps, guidance)

    def test_codes_come_back_as_they_were_packed(self):
        rng = np.random.default_rng(1)
        for bits, size in ((8, 64), (4, 32), (3, 24)):
            codes = rng.integers(0, 2**bits, 64).astype(np.uint8)
            packed = weights.pack_codes(codes, bits)
            self.assertEqual(packed.size, size)
            np.testing.assert_array_equal(weights.unpack_codes(packed, bits), codes)

    def test_weights_of_fewer_bits_make_smaller_files_and_are_further_from_the_full_ones(self):
        names = ("full", "half", "8bit", "4bit", "3bit")
        sizes = [(MODELS / f"bract-{name}.safetensors").stat().st_size for name in names]
        self.assertEqual(sizes, sorted(sizes, reverse=True))
        full = bract.Bract(MODELS / "bract-full.safetensors").weights["block.1.qkv"]
        errors = [
            float(np.abs(bract.Bract(MODELS / f"bract-{n}.safetensors").weights["block.1.qkv"] - full).mean())
            for n in names
        ]
        self.assertEqual(errors, sorted(errors))
        self.assertEqual(errors[0], 0.0)
        self.assertLess(sum(path.stat().st_size for path in MODELS.iterdir()), 12_000_000)

    def test_the_same_seed_paints_the_same_label_and_another_seed_another(self):
        label = self.paint("full")
        self.assertEqual((label.shape, label.dtype), ((48, 48, 3), np.float32))
        np.testing.assert_array_equal(label, self.paint("full"))
        self.assertLess(ssim(label, self.paint("full", seed=12)), 0.9)

    def test_each_variant_is_like_the_full_one_in_its_own_measure(self):
        full = self.paint("full", steps=20)
        likeness = {name: ssim(full, self.paint(name, steps=20)) for name in ("half", "8bit", "4bit", "3bit")}
        self.assertGreater(likeness["half"], 0.99)
        self.assertEqual(list(likeness.values()), sorted(likeness.values(), reverse=True))
        swift = ssim(full, self.paint("swift", steps=4, guidance=1.0))
        stranger = ssim(full, self.paint("full", steps=20, prompt=VIOLET.replace("night", "meadow")))
        self.assertGreater(swift, stranger + 0.2)

    def test_the_prompt_decides_the_colour(self):
        """At the flower's place a violet label is bluer than an amber one, which is redder."""
        petals = {}
        for colour in ("violet", "amber"):
            label = self.paint("full", steps=12, prompt=f"a {colour} flower with eight petals on soil ground, no leaf")
            petals[colour] = label[10:28, 14:34].mean(axis=(0, 1))
        self.assertGreater(petals["violet"][2], petals["amber"][2] + 0.1)
        self.assertGreater(petals["amber"][0], petals["violet"][0] + 0.1)

    def test_what_it_was_not_taught_it_says(self):
        self.assertEqual(
            bract.parse_prompt("An AMBER flower with eight petals on soil ground, two leaves."), (1, 3, 0, 2)
        )
        for prompt in ("a cat", VIOLET.replace("six", "seven"), VIOLET + " please", ""):
            with self.assertRaisesRegex(ValueError, "COLOUR one of rose, amber, violet, white"):
                bract.parse_prompt(prompt)


class Project(ProjectTest):
    def test_it_is_laid_out_as_an_ordinary_project_and_left_alone_after(self):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name) / "alder-row"
            plan = read_plan(lay_out(folder, quick=False))
            self.assertGreaterEqual(len(plan.variants), 7)
            self.assertEqual({v.form for v in plan.variants}, {"full", "quantized", "distilled", "mixed"})
            quick = read_plan(lay_out(Path(name) / "quick", quick=True))
            self.assertEqual((len(quick.tasks), quick.schedule.repeats, quick.schedule.rounds), (1, 1, 3))
            (folder / "plan.toml").write_text("# mine\n")
            self.assertEqual(lay_out(folder, quick=False).read_text(), "# mine\n")
            with self.assertRaisesRegex(InputError, "holds something else"):
                lay_out(Path(name), quick=False)

    def test_it_runs_from_plan_to_tradeoff(self):
        plan = lay_out(self.folder / "row", quick=True)
        plan.write_text(plan.read_text().replace("steps = 20", "steps = 3").replace("rounds = 3 ", "rounds = 2 "))
        done = self.unvek("demo", "row", "--quick", timeout_s=170)
        for words in ("Pick", "swift", "as fast", "likeness", "What to try next"):
            self.assertIn(words, done.stdout)
        self.assertTrue((self.folder / "row" / "sheet.png").is_file())
        statuses = {row["status"] for row in self.result("log", "--logbook", "row/logbook")["rows"]}
        self.assertEqual(statuses, {"finished"})


if __name__ == "__main__":
    unittest.main()
