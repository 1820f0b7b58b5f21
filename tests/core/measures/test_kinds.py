"""Kinds of measure are values: each names a function that is there, and what tells its values from all others."""

import unittest

from unvek.core.measures.catalogue import BUILT_IN, is_ours, measured_definition
from unvek.core.measures.kinds import KINDS, NUMBERS, RENAMED, WANTED
from unvek.core.plan.model import WantedMeasure


class Kinds(unittest.TestCase):
    def test_each_names_a_function_that_refuses_what_is_no_output(self):
        for kind in KINDS.values():
            with self.subTest(kind.name):
                if kind.of == NUMBERS:
                    self.assertEqual(kind.function, "")
                else:
                    with self.assertRaises((ValueError, TypeError, AttributeError)):
                        kind.work_out(None, None)
        self.assertEqual(KINDS["holds"].work_out("in Loam", ("loam", "clay")), 0.5)
        self.assertFalse(set(RENAMED) & set(KINDS))

    def test_a_definition_is_told_apart_by_what_decides_its_values_alone(self):
        holds, told = KINDS["holds"], KINDS["told"]
        self.assertNotEqual(holds.definition({}, ("loam",)).digest, holds.definition({}, ("clay",)).digest)
        self.assertEqual(holds.definition({}, ("loam",)).family, holds.definition({}, ("clay",)).family)
        self.assertEqual(KINDS["ssim"].definition({}, ("loam",)), KINDS["ssim"].definition())
        digests = {kind.definition().digest for kind in KINDS.values()}
        self.assertEqual(len(digests), len(KINDS))
        self.assertEqual(told.definition({"better": "more", "summed_up": "mean"}).digest, told.definition().digest)
        self.assertNotEqual(told.definition({"unit": "ms"}).digest, told.definition({"unit": "s"}).digest)
        self.assertEqual([kind.name for kind in KINDS.values() if kind.against == WANTED], ["holds"])

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
