"""What is worth considering, and which to pick: by hand, on a written logbook."""

import unittest
from dataclasses import replace

from tests.written import WrittenLogbook
from unvek.core.findings.tradeoff.needs import parse_need
from unvek.core.findings.tradeoff.tradeoff import trade_off


class Picking(WrittenLogbook):
    def setUp(self) -> None:
        super().setUp()
        names = ("ref", "near", "far", "worse")
        self.plan(*names, cells=[f"{n}/violet/{s}" for n in names for s in (1, 2)])
        times = {"ref": 1.0, "near": 0.5, "far": 0.25, "worse": 1.2}
        for number in (1, 2, 3):
            for name in names:
                for seed in (1, 2):
                    shade = {"far": 50 + seed}.get(name, seed)
                    self.run_made(f"{name}/violet/{seed}", times[name] * (1 + 0.001 * number), number, shade=shade)

    def test_the_pick_is_the_fastest_that_stays_close(self):
        found = trade_off(self.evidence())
        rows = {row.variant: row for row in found.rows}
        self.assertEqual(found.pick, "near")
        self.assertIn("2.00x as fast (50 % less time) against ref", found.because)
        self.assertEqual(rows["worse"].beaten_by, ("ref", "near"))
        self.assertEqual(
            (rows["far"].on_frontier, rows["far"].probability, rows["worse"].probability), (True, 1.0, 0.0)
        )
        self.assertGreater(rows["far"].drift, 0.9)

    def test_a_need_on_the_quality_takes_the_place_of_closeness(self):
        evidence = self.evidence()
        low = trade_off(evidence, [parse_need("likeness >= -1", evidence)])
        self.assertEqual(low.pick, "far")
        both = trade_off(
            evidence, [parse_need("likeness >= 0.9", evidence), parse_need("time.total <= 700 ms", evidence)]
        )
        self.assertEqual(both.pick, "near")
        self.assertEqual({row.variant: row.unmet for row in both.rows}["ref"], ("time.total <= 700 ms",))

    def test_without_a_quality_speed_and_memory_decide(self):
        evidence = self.evidence()
        values = replace(evidence.values, plan=replace(evidence.plan, quality=None))
        found = trade_off(replace(evidence, values=values))
        self.assertEqual([count.measure for count in found.counts], ["time.total", "memory.peak"])
        self.assertEqual(found.pick, "far")
        self.assertIn("names no quality", found.notes[0])


if __name__ == "__main__":
    unittest.main()
