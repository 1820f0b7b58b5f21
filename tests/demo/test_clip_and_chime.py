"""The demo's clip, chime and check of its cards: what is wrong with them on purpose is found, and nothing else is."""

import sys
import unittest

import numpy as np

from tests.support import ProjectTest
from unvek.demo import PROJECT, lay_out

sys.path.insert(0, str(PROJECT))
import bract
import check_card
import clip_painter


class Demo(ProjectTest):
    def laid_out(self, plan: str, *changes: tuple[str, str]) -> None:
        lay_out(self.folder / "row", quick=True)
        path = self.folder / "row" / plan
        text = path.read_text()
        for old, new in changes:
            self.assertIn(old, text)
            text = text.replace(old, new)
        path.write_text(text)
        self.folder = self.folder / "row"

    def test_frames_that_are_spoiled_in_every_variant_are_not_the_quantizings_doing(self):
        self.laid_out("clips.toml", ("steps = 12", "steps = 2"), ("rounds = 2", "rounds = 1"))
        self.unvek("run", "clips.toml", "--logbook", "clips")
        rows = self.result("compare", "--logbook", "clips")["rows"]
        for row in rows:
            self.assertEqual(row["measures"]["bad-frames"]["typical"], 2)
            self.assertEqual(row["measures"]["frames"]["typical"], 16)
        self.assertEqual(
            rows[0]["measures"]["likeness"]["typical"] is None, True, "one run: nothing to hold it against"
        )
        said = " ".join(self.unvek("audit", "--logbook", "clips").stdout.split())
        self.assertIn("The first 2 frames are bad in every variant: it is not the quantizing or the distilling.", said)
        plan = self.folder / "clips.toml"
        plan.write_text(plan.read_text().replace("glitch = 2", "glitch = 0"))
        self.unvek("run", "clips.toml", "--logbook", "clips")
        self.assertEqual(
            [row["measures"]["bad-frames"]["typical"] for row in self.result("compare", "--logbook", "clips")["rows"]],
            [0, 0, 0],
        )
        self.assertNotIn("frames are bad", self.unvek("audit", "--logbook", "clips").stdout)

    def test_frames_bad_in_one_variant_alone_are_its_own(self):
        self.laid_out(
            "clips.toml", ("steps = 12", "steps = 2"), ("rounds = 2", "rounds = 1"), ("glitch = 2", "glitch = 0"),
            ("settings = { steps = 4, guidance = 1.0 }", "settings = { steps = 4, guidance = 1.0, glitch = 1 }"),
        )  # fmt: skip
        self.unvek("run", "clips.toml", "--logbook", "clips")
        findings = [f for f in self.result("audit", "--logbook", "clips")["findings"] if f["code"].startswith("frames")]
        self.assertEqual([(f["code"], f["variants"], f["text"]) for f in findings],
                         [("frames-bad", ["swift"], "The first frame is bad in each clip of swift, as far as was looked.")])  # fmt: skip

    def test_a_walk_begins_and_ends_at_its_seeds_and_keeps_the_noise_as_strong(self):
        for share, seed in ((0.0, 11), (1.0, 12)):
            np.testing.assert_allclose(clip_painter.between(11, 12, share), bract.noise_of(seed), atol=1e-6)
        self.assertAlmostEqual(float(np.std(clip_painter.between(11, 12, 0.5))), 1.0, delta=0.05)

    def test_a_chime_made_too_loud_clips_and_no_other_does(self):
        self.laid_out("chimes.toml", ("rounds = 3", "rounds = 1"))
        self.unvek("run", "chimes.toml", "--logbook", "chimes")
        rows = {row["variant"]: row["measures"] for row in self.result("compare", "--logbook", "chimes")["rows"]}
        clipped = {name: measures["clipping"]["typical"] for name, measures in rows.items()}
        self.assertGreater(clipped.pop("loud"), 0.001)
        self.assertEqual(set(clipped.values()), {0})
        self.assertGreater(rows["hurried"]["spectrum"]["typical"], rows["coarse"]["spectrum"]["typical"])
        self.unvek("sheet", "--logbook", "chimes")

    def test_a_card_is_held_against_the_nurserys_table(self):
        plant = next(iter(check_card.PLANTS))
        right = check_card.PLANTS[plant]
        other = next(row["light"] for row in check_card.PLANTS.values() if row["light"] != right["light"])
        card = self.write("card.txt", f"{plant}. Water it {right['water']}. Stand it in {other}.")
        self.assertEqual(
            check_card.measure(card, f"a care card for {plant}: light, water, soil", ["light", "water", "soil"]),
            {"light": "partly", "water": "there", "soil": "missing"},
        )


if __name__ == "__main__":
    unittest.main()
