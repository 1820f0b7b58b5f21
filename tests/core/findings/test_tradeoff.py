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

    def test_what_is_beaten_in_every_round_is_on_no_frontier_however_its_runs_are_spread(self):
        # Of two items one lies apart, so that the median of the runs says otherwise than the mean over items.
        self.plan("ref", "odd", cells=[f"{n}/violet/{s}" for n in ("ref", "odd") for s in (1, 2, 3)], quality=None)
        for number in (1, 2, 3):
            for seed, (ours, theirs) in enumerate(((1.0, 1.01), (1.0, 1.01), (9.0, 1.0)), 1):
                self.run_made(f"odd/violet/{seed}", ours, number, memory=200)
                self.run_made(f"ref/violet/{seed}", theirs, number, memory=100)
        rows = {row.variant: row for row in trade_off(self.evidence()).rows}
        self.assertEqual((rows["odd"].on_frontier, rows["odd"].probability), (False, 0.0))
        self.assertEqual((rows["ref"].on_frontier, rows["ref"].probability), (True, 1.0))

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
