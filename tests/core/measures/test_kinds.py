"""Kinds of measure are values: each names a function that is there, and what tells its values from all others."""

import unittest

import numpy as np

from unvek.core.measures.catalogue import BUILT_IN, is_ours, measured_definition
from unvek.core.measures.definition import MORE
from unvek.core.measures.kind import FILES, NOTHING, NUMBERS, OTHER_SEEDS, SCORES, VERDICTS, WANTED
from unvek.core.measures.kinds import KINDS, RENAMED
from unvek.core.plan.model import WantedMeasure


class Kinds(unittest.TestCase):
    def test_each_names_a_function_that_refuses_what_is_no_output(self):
        for kind in KINDS.values():
            with self.subTest(kind.name):
                if kind.of in (NUMBERS, VERDICTS, FILES) or kind.against == OTHER_SEEDS:
                    self.assertEqual(kind.function, "")
                else:
                    with self.assertRaises((ValueError, TypeError, AttributeError)):
                        kind.work_out(*([None] * (1 if kind.against == NOTHING else 2)))
        self.assertEqual(KINDS["holds"].work_out("in Loam", ("loam", "clay")), 0.5)
        self.assertFalse(set(RENAMED) & set(KINDS))

    def test_each_says_rightly_which_way_is_better(self):
        rng = np.random.default_rng(1)
        picture, sure, unsure = rng.random((16, 16, 3)), np.log([[0.9, 0.1]] * 4), np.log([[0.4, 0.6]] * 4)
        own, near, far = (picture, picture, 1 - picture), ("a rose", "a rose", "soil"), (sure, sure, unsure)
        right = np.zeros(4, int)
        few = "leaf " * 2
        still, moved = np.zeros((9, 4, 4, 3)), np.zeros((9, 4, 4, 3))
        moved[4] = 1.0
        sine, loud = np.sin(np.arange(900.0)) / 2, np.clip(3 * np.sin(np.arange(900.0)), -1, 1)
        compared = {
            "colour": own, "sharpness": (None, picture, picture), "flicker": (None, still, moved),
            "bad-frames": (None, still, moved), "frame-count": (None, still, moved), "snr": (sine, sine, loud),
            "spectral-distance": (sine, sine, loud), "clipping": (None, sine, loud), "silence": (None, sine, sine),
            "loudness": (None, sine, sine), "relative-l2": (sine, sine, loud), "cosine": (sine, sine, -loud),
            "largest-difference": (sine, sine, loud), "rouge-l": near, "loop": (None, few, few * 9),
            "length": (None, few, few), "parses": (("light",), '{"light": 1}', "{}"), "answer": (("4",), "is 4", "is 5"),
            "ssim": own, "psnr": own, "edit": near, "exact": near, "kl": far, "top1": far,
            "holds": (("rose",), "a rose", "soil"), "perplexity": (right, sure, unsure), "scored": (right, sure, unsure),
        }  # fmt: skip
        self.assertEqual(set(compared), {kind.name for kind in KINDS.values() if kind.function})
        for name, (held_against, good, bad) in compared.items():
            kind = KINDS[name]
            rate = (8000,) if kind.takes_rate else ()
            pairs = [
                (each, *rate) if held_against is None else (held_against, each) if kind.of == SCORES and kind.is_likeness
                else (each, held_against, *rate) for each in (good, bad)
            ]  # fmt: skip
            better, worse = (kind.work_out(*pair) for pair in pairs)
            if kind.better is None:
                self.assertEqual(better, worse, name)
            else:
                self.assertTrue(better > worse if kind.better == MORE else better < worse, (name, better, worse))

    def test_which_way_is_better_is_the_kinds_unless_the_plan_turns_it_round(self):
        for kind in KINDS.values():
            self.assertEqual(kind.definition().better, kind.better, kind.name)
            self.assertEqual(kind.definition({"better": "less"}).better, "less")
            self.assertEqual(kind.definition({"better": "less"}).digest, kind.definition().digest)

    def test_a_definition_is_told_apart_by_what_decides_its_values_alone(self):
        holds, told = KINDS["holds"], KINDS["told"]
        self.assertNotEqual(holds.definition({}, ("loam",)).digest, holds.definition({}, ("clay",)).digest)
        self.assertEqual(holds.definition({}, ("loam",)).family, holds.definition({}, ("clay",)).family)
        self.assertEqual(KINDS["ssim"].definition({}, ("loam",)), KINDS["ssim"].definition())
        digests = {kind.definition().digest for kind in KINDS.values()}
        self.assertEqual(len(digests), len(KINDS))
        self.assertEqual(told.definition({"better": "more", "summed_up": "mean"}).digest, told.definition().digest)
        self.assertNotEqual(told.definition({"unit": "ms"}).digest, told.definition({"unit": "s"}).digest)
        self.assertEqual(
            [kind.name for kind in KINDS.values() if kind.against == WANTED], ["parses", "answer", "holds"]
        )

    def test_a_measure_is_read_as_the_plan_says(self):
        measure = WantedMeasure(
            name="passed", kind="told", options={"better": "less", "summed_up": "share", "unit": "K"}
        ).measure
        self.assertEqual((measure.unit, measure.better, measure.averaged), ("K", "less", True))
        self.assertEqual(WantedMeasure(name="p", kind="psnr").measure.unit, "dB")

    def test_names_that_unvek_gives_are_known(self):
        for name in (*BUILT_IN, "count.calls", "told.x", "imported.x", "faults.retry", "requests"):
            self.assertTrue(is_ours(name), name)
        for name in ("warmth", "likeness", "timer.total", "rate"):
            self.assertFalse(is_ours(name), name)
        self.assertEqual(measured_definition("rate.tokens", "/s").better, "more")


if __name__ == "__main__":
    unittest.main()
