"""Machines side by side: each variant is held against the reference on the same machine, and the kind by its machines."""

import math
import unittest

from tests.written import RIG, WrittenLogbook
from unvek.core.errors import InputError
from unvek.core.evidence.gathering import Selection, gather
from unvek.core.findings.audit.by_machine import audit_each, doubts_of_each
from unvek.core.findings.comparison.comparison import compare
from unvek.core.session.measuring.working_out import work_out
from unvek.core.stats.quantiles import student_quantile

ALIKE = {name: {**RIG, "name": name} for name in ("bench-1", "bench-2", "bench-3")}
SLOWNESS = {"bench-1": 1.0, "bench-2": 1.5, "bench-3": 4.0}  # of the machine, whatever runs on it
RATIOS = {"bench-1": 0.5, "bench-2": 0.55, "bench-3": 0.45}  # of quick over full, another on each


class ByRig(WrittenLogbook):
    def make(self, facts=ALIKE, rounds: int = 3, lacks: str | None = None) -> None:
        """Make the same plan on each machine, round by round in turns, as if they ran at once."""
        self.plan("full", "quick", cells=["full/violet/1", "quick/violet/1"], quality=None)
        for round_number in range(1, rounds + 1):
            for place, (name, of) in enumerate(facts.items()):
                self.logbook.record_rig(f"rig-of-{name}", of)
                off = math.exp(0.01 * (round_number - (rounds + 1) / 2))
                key = list(SLOWNESS)[place % 3]
                self.run_made("full/violet/1", SLOWNESS[key], round_number, place=2)
                if name != lacks:
                    self.run_made("quick/violet/1", SLOWNESS[key] * RATIOS[key] * off, round_number, place=2)

    def found(self, **chosen):
        selection = Selection(by_rig=True, **chosen)
        evidence = work_out(self.logbook, gather(self.logbook, selection)).evidence
        doubts = doubts_of_each(self.logbook, selection, evidence)
        return compare(evidence, self.logbook.rig_of_run(1), doubts=doubts)

    def test_each_is_held_against_the_reference_on_the_same_machine(self):
        self.make()
        found = self.found()
        rows = {(row.variant, row.varied["rig"]): row.measures["time.total"] for row in found.rows}
        for name, ratio in RATIOS.items():
            self.assertAlmostEqual(rows["full", name].typical, SLOWNESS[name])
            self.assertAlmostEqual(rows["quick", name].ratio.value, ratio, 4)
            self.assertEqual(rows["quick", name].answer, "faster")
        self.assertEqual(found.doubts, ())
        self.assertEqual([row.runs for row in found.rows], [3, 3] * 3 + [9, 9])

    def test_what_holds_of_the_kind_is_over_machines(self):
        self.make(rounds=9)
        found = self.found()
        (quick,) = (row for row in found.rows if row.over_machines and row.variant == "quick")
        logs = [math.log(ratio) for ratio in RATIOS.values()]
        mean = sum(logs) / 3
        spread = math.sqrt(sum((log - mean) ** 2 for log in logs) / 2)
        ratio = quick.measures["time.total"].ratio
        self.assertAlmostEqual(math.log(ratio.value), mean, 3)
        half_width = student_quantile(0.975, 2) * spread / math.sqrt(3)
        self.assertAlmostEqual(math.log(ratio.high) - mean, half_width, 2)
        (one,) = found.machines.variants
        self.assertAlmostEqual(math.log(one.another.high) - mean, 2 * half_width, 2)  # sqrt(1 + 1/3) is 2 / sqrt(3)
        self.assertEqual((found.machines.most_machine, found.machines.least_machine), ("bench-3", "bench-1"))
        self.assertAlmostEqual(found.machines.machines_apart, 4.0 * math.sqrt(0.45 / 0.5), 2)
        self.assertTrue(any("bench-3 takes 3.79 times what bench-1 does" in note for note in found.notes), found.notes)

    def test_machines_of_two_kinds_have_no_mean(self):
        facts = {**ALIKE, "bench-3": {**RIG, "name": "bench-3", "cores": 64, "kernel": "k2"}}
        self.make(facts)
        found = self.found()
        self.assertFalse(any(row.over_machines for row in found.rows))
        self.assertFalse(found.machines.of_one_kind)
        self.assertIn("cores (2 on bench-1, 2 on bench-2, 64 on bench-3)", found.machines.differ)
        self.assertIn("kernel (k on bench-1, k on bench-2, k2 on bench-3)", found.machines.differ)

    def test_another_kernel_is_another_machine_of_the_kind_and_of_the_name_a_machine_that_has_changed(self):
        self.make({**ALIKE, "bench-3": {**RIG, "name": "bench-3", "kernel": "k2"}})
        self.assertTrue(self.found().machines.of_one_kind)
        self.logbook.record_rig("rig-of-bench-1-later", {**ALIKE["bench-1"], "kernel": "k2"})
        for name, time_s in (("full/violet/1", 1.0), ("quick/violet/1", 0.5)):
            self.run_made(name, time_s, 3, place=2)
        found = self.found()
        self.assertFalse(found.machines.of_one_kind)
        self.assertIn("bench-1 is not what it was: it has had 2 fingerprints", found.machines.differ)
        self.assertEqual(sum(row.runs for row in found.rows), 18)

    def test_a_variant_that_one_machine_does_not_have_counts_on_the_others(self):
        self.make(lacks="bench-2")
        found = self.found()
        (one,) = found.machines.variants
        self.assertEqual(one.machines, 2)
        self.assertAlmostEqual(one.ratio.value, math.sqrt(0.5 * 0.45), 3)
        self.assertAlmostEqual(found.machines.machines_apart, 4.0, 6)  # over the variants that all have: the reference

    def test_machines_without_names_stand_side_by_side_by_their_fingerprints(self):
        self.make(dict.fromkeys(ALIKE, RIG))
        names = [row.varied["rig"] for row in self.found().rows if row.variant == "full"]
        self.assertEqual(names, ["rig-of-bench-1", "rig-of-bench-2", "rig-of-bench-3", "all 3"])

    def test_what_is_varied_is_taken_together_and_said_to_be(self):
        self.plan("full", "quick", cells=["full/violet/1", "quick/violet/1"], quality=None, vary={"steps": (4, 8)})
        for name, of in ALIKE.items():
            self.logbook.record_rig(f"rig-of-{name}", of)
            for round_number in (1, 2):
                for steps in (4, 8):
                    for variant, time_s in (("full", 2.0), ("quick", 1.0)):
                        self.run_made(f"{variant}/violet/1", time_s * steps, round_number, place=2, varied={"steps": steps},
                                      repeat=steps)  # fmt: skip
        found = self.found()
        self.assertTrue(any("Taken together over steps 4, 8" in note for note in found.notes), found.notes)
        for row in found.rows:
            if row.variant == "quick":
                self.assertAlmostEqual(row.measures["time.total"].ratio.value, 0.5)

    def test_one_machine_alone_is_told(self):
        self.make({"bench-1": ALIKE["bench-1"]})
        with self.assertRaisesRegex(InputError, "all these runs were made on bench-1"):
            self.found()

    def test_an_audit_looks_at_each_machine_and_names_what_differs(self):
        self.make({**ALIKE, "bench-3": {**RIG, "name": "bench-3", "cores": 64}})
        selection = Selection(across_rigs=True)
        found = audit_each(self.logbook, selection, gather(self.logbook, selection))
        (between,) = (finding for finding in found.findings if finding.code == "rigs-differ")
        self.assertEqual(between.severity, "note")
        self.assertIn("which differ in cores (2 on bench-1, 2 on bench-2, 64 on bench-3)", between.text)
        self.assertNotIn("session-drift", {finding.code for finding in found.findings})
        self.make({**ALIKE}, lacks="bench-2")
        found = audit_each(self.logbook, selection, gather(self.logbook, selection))
        self.assertEqual(found.runs, 18)

    def test_a_machine_with_other_variants_than_the_rest_is_unfair(self):
        self.make(lacks="bench-2")
        selection = Selection(across_rigs=True)
        found = audit_each(self.logbook, selection, gather(self.logbook, selection))
        (between,) = (finding for finding in found.findings if finding.code == "rigs-differ")
        self.assertEqual(between.severity, "unfair")


if __name__ == "__main__":
    unittest.main()
