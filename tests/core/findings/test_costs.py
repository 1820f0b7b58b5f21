"""What runs cost, where it is worked out by hand: by the hour, the token, the watt; and what is paid for what is good."""

import unittest

import numpy as np

from tests.written import WrittenLogbook, planned_task
from unvek.core.errors import InputError
from unvek.core.findings.audit.audit import audit
from unvek.core.findings.comparison.comparison import compare
from unvek.core.findings.curve.curve import curve
from unvek.core.findings.tradeoff.needs import parse_need
from unvek.core.findings.tradeoff.tradeoff import Asked, trade_off
from unvek.core.plan.model import RigWanted
from unvek.core.plan.price import Price
from unvek.core.run.events.record import Progress, Value
from unvek.core.stats.over_launches.launches import Sample
from unvek.core.stats.over_tasks.paid_for_good import paid_for_good


class Costing(WrittenLogbook):
    def made(self, of: dict[str, dict], prices: dict[str, Price], tasks: int = 4, **plan) -> None:
        """Three launches of each variant, warm, with a run of each task; `of` has what each takes, writes and tells."""
        cells = [f"{name}/t{n}/1" for name in of for n in range(tasks)]
        kept = {"tasks": tuple(planned_task(f"t{n}") for n in range(tasks)), "quality": None} | plan
        self.plan(*of, cells=cells, of={name: {"price": prices[name]} for name in prices if name != "rig"}, **kept)
        for number in (1, 2, 3):
            for name, given in of.items():
                launch = self.logbook.open_launch(name, number)
                for place, cell in enumerate((cell for cell in cells if cell.startswith(f"{name}/")), 2):
                    told = tuple(
                        Value(name=key, number=value, unit="", ours="." in key)
                        for key, value in given.get("told", {}).items()
                    )
                    progress = Progress(time_s=given.get("time", 1.0) * (1 + 0.001 * number), tokens=given.get("tokens", 0),
                                        memory_peak_bytes=100, values=told)  # fmt: skip
                    bad = place - 2 < given.get("failing", 0)
                    self.run_made(cell, round_number=number, place=place, launch=launch, progress=progress,
                                  status="failed" if bad else "finished", machine={"energy_j": given.get("energy")})  # fmt: skip

    def costs(self, name: str = "cost", **kept) -> dict[str, float | None]:
        found = compare(self.evidence(), {}, [name])
        return {row.variant: row.measures[name].typical for row in found.rows}

    def test_an_hour_a_token_a_machine_and_its_current_each_have_their_price(self):
        machine = Price(once=8766.0, years=2.0, per_kwh=3.6, watts=100.0)
        self.made(
            {"hired": {"time": 36.0}, "asked": {"tokens": 2000, "told": {"input.tokens": 500}}, "bought": {"time": 36.0},
             "counted": {"time": 36.0, "energy": 1000.0}},
            {"hired": Price(per_hour=0.5), "asked": Price(per_million_in=2.0, per_million_out=10.0), "bought": machine,
             "counted": machine}, rig=RigWanted(currency="EUR", hours_per_day=12.0),
        )  # fmt: skip
        found = self.costs()
        self.assertAlmostEqual(found["hired"], 0.005 * 1.002, places=9)
        self.assertAlmostEqual(found["asked"], 500 * 2e-6 + 2000 * 1e-5, places=9)
        hours_s = 2 * 365.25 * 12 * 3600
        self.assertAlmostEqual(found["bought"], 36.072 * (8766 / hours_s + 100 * 1e-6), places=9)
        self.assertAlmostEqual(
            found["counted"], 36.072 * 8766 / hours_s + 1000 * 1e-6, places=9, msg="a counter goes first"
        )
        self.assertAlmostEqual(self.costs("cost.per.thousand")["hired"], 5.01, places=6)
        self.assertAlmostEqual(self.costs("cost.per.token")["asked"], 0.021 / 2000, places=12)

    def test_what_fails_is_paid_for_what_is_good_and_none_good_is_no_price(self):
        hour = Price(per_hour=3600.0)
        self.made(
            {"ref": {"told": {"facts": 1.0}}, "half": {"told": {"facts": 1.0}, "failing": 2},
             "wrong": {"told": {"facts": 0.2}}, "mute": {}},
            dict.fromkeys(("ref", "half", "wrong", "mute"), hour), needs=("facts >= 0.9",),
        )  # fmt: skip
        found = {row.variant: row.measures["cost.per.good"] for row in compare(self.evidence(), {}).rows}
        self.assertAlmostEqual(found["ref"].typical, 1.002)
        self.assertAlmostEqual(found["half"].typical, 2.004)
        self.assertAlmostEqual(found["half"].ratio.value, 2.0)
        self.assertLess(found["half"].ratio.low, 1.0, "of four tasks it may be luck that two failed")
        self.assertIsNone(found["wrong"].typical)
        self.assertIsNone(found["mute"].typical, "whether its outputs are good is not known")
        notes = " ".join(compare(self.evidence(), {}).notes)
        self.assertIn("ref 12 of 12, half 6 of 12, wrong 0 of 12", notes)
        self.assertIn("Not known to be good or not: mute of 12 runs.", notes)

    def test_all_good_is_not_certainly_good_and_all_paid_alike_is_no_certain_price(self):
        rounds, items = np.repeat([1, 2, 3], 5), np.tile(np.arange(5), 3)
        good, paid = (Sample(values, rounds, rounds, items, items) for values in (np.ones(15), np.full(15, 2.0)))
        found = paid_for_good(paid, good)
        self.assertEqual((found.value, found.low), (2.0, 2.0))
        self.assertGreater(found.high, 3.0, "five of five tasks may be no more than half of them")

    def test_a_stall_is_paid_for_as_long_as_it_lasts(self):
        self.made(
            {"ref": {}, "steady": {"time": 1.2}}, {"ref": Price(per_hour=3600.0), "steady": Price(per_hour=3600.0)}
        )
        for number in (1, 2, 3):
            self.run_made("ref/t0/1", 9.0, number, place=9, repeat=2, launch=2 * number - 1)
        found = {row.variant: row.measures["cost"] for row in compare(self.evidence(), {}, ["cost"]).rows}
        self.assertAlmostEqual(found["ref"].typical, (3 * 1.002 + (1.002 + 9.0) / 2) / 4, places=3)
        self.assertLess(found["steady"].ratio.value, 1.0, "it takes longer mostly, and costs less")

    def test_without_a_price_it_is_said_where_one_stands(self):
        self.made({"ref": {}}, {})
        self.assertNotIn("cost", compare(self.evidence(), {}).rows[0].measures)
        with self.assertRaisesRegex(InputError, "price = { per_hour = 0.4 }"):
            self.costs()

    def test_more_said_and_more_calls_are_named_and_their_prices_stand_beside(self):
        talk = Price(per_million_out=1.0)
        self.made({"ref": {"tokens": 100, "told": {"count.calls": 1}}, "wordy": {"tokens": 150, "told": {"count.calls": 3}}},
                  {"ref": Price(per_million_out=2.0), "wordy": talk})  # fmt: skip
        evidence = self.evidence()
        measures = compare(evidence, {}).rows[1].measures
        self.assertEqual(measures["cost"].answer, "better")
        self.assertAlmostEqual(measures["cost.per.token"].ratio.value, 0.5)
        self.assertAlmostEqual(measures["cost.per.call"].typical, 5e-5)
        codes = {finding.code: finding.text for finding in audit(evidence).findings}
        self.assertIn("wordy makes 3 calls a run, ref 1.", codes["calls-differ"])
        self.assertIn("1.50 times as many tokens", codes["lengths-differ"])

    def test_costs_are_needed_wished_for_traded_off_and_drawn(self):
        self.made({"ref": {"time": 2.0}, "dear": {"time": 1.0}, "cheap": {"time": 3.0}},
                  {"ref": Price(per_hour=1.0), "dear": Price(per_hour=9.0), "cheap": Price(per_hour=0.1)})  # fmt: skip
        evidence = self.evidence()
        found = trade_off(evidence)
        self.assertEqual([count.measure for count in found.counts], ["time.total", "memory.peak", "cost"])
        self.assertEqual(found.pick, "dear")
        need = parse_need("cost <= 0.001", evidence)
        self.assertEqual(trade_off(evidence, Asked(needs=(need,))).pick, "ref")
        self.assertRegex(
            " ".join(one.text for one in found.changes), "If cost had to be under .* ref would be the pick"
        )
        with self.assertRaisesRegex(InputError, "has not two values"):
            curve(evidence, "steps", "cost")
        with self.assertRaisesRegex(InputError, r"write under \[needs\]"):
            curve(evidence, "steps", "cost.per.good")


if __name__ == "__main__":
    unittest.main()
