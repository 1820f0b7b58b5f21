"""What a plan says of prices and of needs: what is read, and what is wrong with what can't be."""

import unittest

from tests.support import LIKENESS, SLOW, ProjectTest, task
from unvek.core.errors import PlanError
from unvek.core.plan.reading.plan import read_plan


class PricesAndNeeds(ProjectTest):
    def read(self, *tables: str):
        return read_plan(self.write_plan(*tables, SLOW, task(), LIKENESS))

    def test_a_variant_goes_before_its_runner_and_that_before_the_machine(self):
        plan = self.read('[rig]\nprice = { per_hour = 0.4 }\ncurrency = "EUR"\n')
        self.assertEqual(plan.price_of("slow").per_hour, 0.4)
        path = self.folder / "plan.toml"
        path.write_text(
            path.read_text().replace('script = "model.py"', 'script = "model.py"\nprice = { per_hour = 2 }')
        )
        self.assertEqual(read_plan(path).price_of("slow").per_hour, 2.0)
        path.write_text(path.read_text().replace('name = "slow"', 'name = "slow"\nprice = { per_million_in = 1 }'))
        self.assertEqual(read_plan(path).price_of("slow").per_million_in, 1.0)

    def test_needs_stand_in_a_table_or_a_list(self):
        table = self.read(
            '[needs]\nlikeness = ">= 90 %"\ntime.total = ["<= 2 s", "p95 <= 3 s"]\n"memory.peak" = "<= 1 GiB"\n'
        )
        self.assertEqual(
            table.needs,
            ("likeness >= 90 %", "time.total <= 2 s", "time.total p95 <= 3 s", "memory.peak <= 1 GiB"),
        )

    def test_what_is_wrong_is_named_with_what_would_be_right(self):
        for table, words in (
            ('[rig]\nprice = { per_our = 1 }\n', "nearest per_hour"),
            ("[rig]\nprice = {}\n", "nothing that is paid"),
            ("[rig]\nprice = { once = 100 }\n", "spread over the years"),
            ("[rig]\nprice = { watts = 100, per_hour = 1 }\n", "what a kilowatt hour costs"),
            ("[rig]\nprice = { per_hour = -1 }\n", "a number from 0"),
            ('[rig]\ncurrency = "Euro"\n', "ISO 4217"),
            ("[rig]\nhours_per_day = 25\n", "a number from 0.01 to 24"),
            ('[needs]\nlikenes = ">= 1"\n', "nearest likeness"),
            ('[needs]\nlikeness = "good"\n', "a need such as"),
            ('[needs]\n"time.total" = "<= 3"\n', 'a duration with its unit'),
            ('[needs]\n"cost.per.good" = "<= 3"\n', "by --need"),
        ):  # fmt: skip
            with self.subTest(table), self.assertRaises(PlanError) as raised:
                self.read(table)
            said = " ".join(f"{p.where} {p.found} {p.wanted}" for p in raised.exception.problems)
            self.assertIn(words, said.replace("did you mean", "nearest"))

    def test_a_price_that_changes_makes_no_run_anew_and_is_taken_from_the_file(self):
        self.write_plan(SLOW, task(seeds=[1]), quality=True)
        self.have_runs()
        path = self.folder / "plan.toml"
        path.write_text(
            path.read_text() + '[needs]\nlikeness = ">= 0.5"\n[rig]\ncurrency = "CHF"\nprice = { per_hour = 3600 }\n'
        )
        self.assertEqual(self.result("check")["cells"], 1)
        self.unvek("measure")
        row = self.result("compare")["rows"][0]["measures"]
        self.assertEqual(row["cost"]["unit"], "CHF")
        self.assertAlmostEqual(row["cost"]["typical"], row["time.total"]["typical"], places=6)
        self.assertEqual(len(self.log()), 1)


if __name__ == "__main__":
    unittest.main()
