"""What is worth considering, and which to pick: by hand, on a written logbook."""

import unittest
from dataclasses import replace

import numpy as np

from tests.written import WrittenLogbook, planned_task
from unvek.core.errors import InputError
from unvek.core.findings.audit.audit import audit
from unvek.core.findings.tradeoff.needs import parse_need
from unvek.core.findings.tradeoff.tradeoff import Asked, trade_off
from unvek.core.findings.tradeoff.wishes import parse_wish
from unvek.core.plan.model import WantedMeasure
from unvek.core.run.events.record import Progress, Value


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
        self.assertTrue(rows["far"].on_frontier)
        self.assertIsNone(rows["far"].probability, "of one task no probability is given")
        self.assertGreater(rows["far"].drift, 0.9)

    def made(self, takes: dict[str, dict], rounds: int = 3, tasks: int = 3, spread: float = 0.004, **plan) -> None:
        """Runs of variants by their time, memory, shade (of the pictures), on so many tasks."""
        rng = np.random.default_rng(4)
        cells = [f"{name}/t{n}/{seed}" for name in takes for n in range(tasks) for seed in (1, 2)]
        kept = {"tasks": tuple(planned_task(f"t{n}") for n in range(tasks))} | plan
        self.plan(*takes, cells=cells, **kept)
        for number in range(1, rounds + 1):
            for name, given in takes.items():
                launch = self.logbook.open_launch(name, number)
                level = given.get("time", 1.0) * np.exp(rng.normal(0, spread))
                for place, cell in enumerate((cell for cell in cells if cell.startswith(f"{name}/")), 2):
                    shade = given.get("shade", 0) + place
                    if "facts" in given:
                        told = (Value(name="facts", number=given["facts"] + rng.normal(0, 0.02), unit=""),)
                        self.run_made(cell, round_number=number, place=place, launch=launch,
                                      progress=Progress(time_s=level, memory_peak_bytes=100, values=told))  # fmt: skip
                        continue
                    self.run_made(cell, level * np.exp(rng.normal(0, spread)), number, place=place, launch=launch,
                                  memory=given.get("memory", 100), shade=None if given.get("blind") else shade)  # fmt: skip

    def test_three_equals_are_even_and_the_reference_stays(self):
        self.made({"ref": {}, "twin": {"time": 0.999}, "third": {"time": 1.001}})
        found = trade_off(self.evidence())
        self.assertEqual((found.pick, found.runner_up), ("ref", "twin"))
        self.assertRegex(
            found.because, "^Nothing that qualifies is clearly faster than ref, so it stays: twin comes nearest "
        )
        self.assertEqual([row.even_with for row in found.rows], [("twin", "third"), ("ref", "third"), ("ref", "twin")])
        self.assertIn("Even on all counts: ref, twin, third.", found.notes)
        for row in found.rows:
            self.assertTrue(row.on_frontier and row.probability < 1.0, row)

    def test_one_round_gives_no_probability_to_anybody(self):
        self.made({"ref": {}, "swift": {"time": 0.5}}, rounds=1)
        found = trade_off(self.evidence())
        self.assertEqual([row.probability for row in found.rows], [None, None])
        self.assertEqual(found.pick, "ref", "what was seen once may be luck")
        self.assertIn("swift comes nearest (there is one launch)", found.because)

    def test_two_that_may_be_as_fast_are_a_toss_up_and_one_that_is_slower_comes_next(self):
        self.made({"ref": {}, "swift": {"time": 0.5}, "brisk": {"time": 0.505}, "slow": {"time": 0.7}}, spread=0.03)
        found = trade_off(self.evidence())
        self.assertIn(found.pick, ("swift", "brisk"))
        self.assertEqual(set(found.ties), {"swift", "brisk"} - {found.pick})
        self.assertIn(f"A toss-up with {found.ties[0]}: not shown to be slower.", found.because)
        self.made({"ref": {}, "swift": {"time": 0.3}, "slow": {"time": 0.7}})
        found = trade_off(self.evidence())
        self.assertEqual((found.pick, found.ties, found.runner_up), ("swift", (), "slow"))
        self.assertIn("Next comes slow, 0.43x as fast as swift", found.because)

    def test_a_little_memory_does_not_make_a_frontier(self):
        self.made({"ref": {}, "lean": {"time": 1.3, "memory": 99}})
        rows = {row.variant: row for row in trade_off(self.evidence()).rows}
        self.assertEqual((rows["lean"].on_frontier, rows["lean"].beaten_by), (False, ("ref",)))
        self.assertLess(rows["lean"].probability, 0.05)

    def test_a_reference_that_is_as_fast_but_takes_twice_the_memory_does_not_stay(self):
        self.made({"ref": {"memory": 200}, "lean": {"memory": 100}})
        found = trade_off(self.evidence())
        self.assertEqual((found.pick, found.rows[0].beaten_by), ("lean", ("lean",)))
        self.assertTrue(
            found.because.endswith("It is not shown to be faster than ref, but beats it on the other counts.")
        )

    def test_what_is_shown_to_be_worse_in_a_quality_is_not_picked_without_a_need(self):
        self.made({"ref": {"facts": 0.9}, "swift": {"time": 0.3, "facts": 0.6}, "brisk": {"time": 0.5, "facts": 0.9}},
                  tasks=8, quality="facts", kinds={"facts": "told"})  # fmt: skip
        evidence = self.evidence()
        plan = replace(evidence.plan, measures=(WantedMeasure(name="facts", kind="told", options={"better": "more"}),))
        evidence = replace(evidence, values=replace(evidence.values, plan=plan))
        found = trade_off(evidence)
        self.assertEqual(found.pick, "brisk")
        self.assertTrue(
            found.because.startswith("brisk is the fastest on the frontier that is not shown to be worse in facts")
        )
        self.assertEqual(trade_off(evidence, Asked(needs=(parse_need("facts >= 0.5", evidence),))).pick, "swift")
        no_way = replace(
            evidence,
            values=replace(evidence.values, plan=replace(plan, measures=(WantedMeasure(name="facts", kind="told"),))),
        )
        self.assertIn("Not counted, since the plan does not say which way is better: facts.", trade_off(no_way).notes)

    def test_what_could_not_be_judged_is_never_picked(self):
        self.made({"ref": {}, "blind": {"time": 0.3, "blind": True}})
        found = trade_off(self.evidence())
        self.assertEqual(found.pick, "ref")
        blind = found.rows[1]
        self.assertEqual(
            (blind.on_frontier, blind.probability, blind.not_judged),
            (False, None, ("no likeness: it made no picture",)),
        )
        self.assertIn(
            "blind could not be judged, so it is on no frontier and not picked: no likeness: it made no picture.",
            found.notes,
        )

    def test_needs_are_met_by_intervals_memory_by_its_largest_and_waits_by_a_share_of_runs(self):
        self.made({"ref": {"time": 2.0, "memory": 300}, "swift": {"memory": 100}}, tasks=20, spread=0.02)
        self.run_made("swift/t0/1", 1.0, 4, memory=900, shade=2, place=2)
        evidence = self.evidence()

        def state(text: str) -> str:
            return parse_need(text, evidence).state(evidence, evidence.runs.of_variant("swift"))[0]

        found = evidence.location("time.total", evidence.runs.of_variant("swift"))
        ends = [f"time.total <= {1000 * end} ms" for end in (found.high + 0.001, found.value, found.low - 0.001)]
        self.assertEqual([state(text) for text in ends], ["met", "not shown", "unmet"])
        self.assertEqual([state(f"memory.peak <= {size} B") for size in (900, 200)], ["met", "unmet"])
        self.assertEqual(
            [state(f"time.total p95 <= {bound} ms") for bound in (1200, 1050, 500)], ["met", "not shown", "unmet"]
        )
        none = trade_off(evidence, Asked(needs=(parse_need("memory.peak <= 200 B", evidence),)))
        self.assertIsNone(none.pick)
        self.assertEqual(
            none.because, "No variant is known to meet every need: memory.peak <= 200 B is not met by ref and swift."
        )
        unsure = trade_off(evidence, Asked(needs=(parse_need(ends[1], evidence),)))
        self.assertIsNone(unsure.pick)
        self.assertTrue(unsure.because.endswith("not shown of swift (its interval reaches over it)."), unsure.because)
        with self.assertRaises(InputError):
            parse_need("time.total p0 <= 3 s", evidence)

    def test_a_need_on_the_quality_takes_the_place_of_closeness(self):
        evidence = self.evidence()
        low = trade_off(evidence, Asked(needs=(parse_need("likeness >= -1", evidence),)))
        self.assertEqual(low.pick, "far")
        needs = tuple(parse_need(need, evidence) for need in ("likeness >= 0.9", "time.total <= 700 ms"))
        both = trade_off(evidence, Asked(needs=needs))
        self.assertEqual(both.pick, "near")
        self.assertEqual({row.variant: row.unmet for row in both.rows}["ref"], ("time.total <= 700 ms",))

    def wished(self, evidence, *wishes: str, **asked):
        return trade_off(evidence, Asked(wishes=tuple(parse_wish(wish, evidence) for wish in wishes), **asked))

    def test_a_wish_says_what_it_is_to_be_best_in_and_weights_are_margins_against_margins(self):
        self.made({"ref": {"memory": 300}, "swift": {"time": 0.5, "memory": 290}, "lean": {"time": 0.8, "memory": 100}})
        evidence = self.evidence()
        self.assertEqual(trade_off(evidence).pick, "swift")
        self.assertEqual(self.wished(evidence, "memory.peak").pick, "lean")
        both = self.wished(evidence, "time.total=3", "memory.peak")
        merits = {row.variant: row.merit for row in both.rows}
        by_hand = (3 * np.log(1 / 0.5) + np.log(300 / 290)) / 4 / np.log1p(0.02)
        self.assertAlmostEqual(merits["swift"], by_hand, delta=0.3)
        self.assertEqual(merits["ref"], 0.0)
        self.assertIn("the best in time.total (weight 3) and memory.peak (weight 1)", both.because)
        for wrong in ("likeness=0", "likeness=x", "output.steps", "nothing"):
            with self.subTest(wrong), self.assertRaises(InputError):
                parse_wish(wrong, evidence)

    def test_what_would_change_the_pick_is_a_need_that_it_does_not_keep_or_one_that_keeps_another_out(self):
        self.made({"ref": {"memory": 300}, "swift": {"time": 0.5, "memory": 290}, "lean": {"time": 0.8, "memory": 100}})
        evidence = self.evidence()
        need = next(one for one in trade_off(evidence).changes if one.measure == "memory.peak")
        self.assertEqual((need.variant, need.bound), ("lean", 290.0))
        taken = trade_off(evidence, Asked(needs=(parse_need(f"memory.peak <= {need.bound - 1} B", evidence),)))
        self.assertEqual(taken.pick, "lean", "what it says of another need is so")
        self.assertIn(
            "Without the need memory.peak <= 289.0 B, swift would be the pick, 1.60x as fast as lean",
            str(taken.changes),
        )
        kept = trade_off(evidence, Asked(needs=(parse_need(f"memory.peak <= {need.bound} B", evidence),)))
        self.assertEqual(kept.pick, "swift")

    def test_one_that_is_not_shown_to_meet_a_need_but_may_be_better_leaves_the_pick_open(self):
        self.made({"ref": {}, "swift": {"time": 0.5}}, spread=0.02)
        evidence = self.evidence()
        found = evidence.location("time.total", evidence.runs.of_variant("swift"))
        open_ = trade_off(evidence, Asked(needs=(parse_need(f"time.total <= {1000 * found.value} ms", evidence),)))
        self.assertEqual((open_.pick, open_.undecided), (None, ("swift",)))
        rows = {row.variant: row for row in open_.rows}
        self.assertEqual((len(rows["swift"].not_shown), len(rows["ref"].unmet)), (1, 1))

    def test_failures_that_are_shown_count_against_and_a_need_says_how_many_may_fail(self):
        self.made({"ref": {}, "swift": {"time": 0.3}, "brisk": {"time": 0.6}})
        for place in range(20, 26):
            self.run_made(f"swift/t{place % 3}/1", 1.0, 3, place=place, repeat=place, status="failed")
        evidence = self.evidence()
        found = trade_off(evidence)
        self.assertEqual(found.pick, "brisk")
        self.assertIn("swift seems faster, but: 25 % of its runs failed", found.because)
        self.assertIn("failures", [count.measure for count in found.counts])
        allowed = trade_off(evidence, Asked(needs=(parse_need("failures <= 95 %", evidence),)))
        self.assertEqual(allowed.pick, "swift")

    def test_what_is_unfair_counts_against_unless_it_is_accepted(self):
        self.made(
            {"ref": {}, "swift": {"time": 0.3}, "brisk": {"time": 0.6}}, of={"swift": {"parts": {"decoder": "other"}}}
        )
        evidence = self.evidence()
        unfair = [one.code for one in audit(evidence).findings if one.severity == "unfair"]
        self.assertEqual(unfair, ["parts-differ"])
        found = trade_off(evidence)
        self.assertEqual(found.pick, "brisk")
        self.assertIn(f"'--accept {unfair[0]}'", found.because)
        self.assertEqual(trade_off(evidence, Asked(accepted=tuple(unfair))).pick, "swift")

    def test_without_a_quality_speed_and_memory_decide(self):
        evidence = self.evidence()
        values = replace(evidence.values, plan=replace(evidence.plan, quality=None))
        found = trade_off(replace(evidence, values=values))
        self.assertEqual([count.measure for count in found.counts], ["time.total", "memory.peak"])
        self.assertEqual(found.pick, "far")
        self.assertIn("names no quality", found.notes[0])


if __name__ == "__main__":
    unittest.main()
