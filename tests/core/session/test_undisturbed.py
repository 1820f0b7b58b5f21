"""Rounds in which something else took the machine are made again, by the machine's counters alone."""

import sqlite3
import unittest
from collections import Counter
from contextlib import closing

from tests.support import ProjectTest, task, variant
from unvek.core.session.undisturbed import MOST_AGAIN, REASON


class Undisturbed(ProjectTest):
    def make(self) -> None:
        self.write_plan(variant("slow"), variant("quick"), task(seeds=(1, 2)), rounds=3, repeats=1)
        self.unvek("run", "plan.toml", "--plain")

    def taken(self, cores: float, where: str) -> None:
        """Have the machine's counters say that something else took so many cores from these runs."""
        with closing(sqlite3.connect(self.folder / "logbook" / "runs.sqlite")) as database, database:
            database.execute(f"update runs set others_share = ? where {where}", (cores,))

    def standing(self) -> Counter:
        return Counter(
            (row["variant"], row["round"]) for row in self.log() if row["voided"] is None and not row["warm_up"]
        )

    def test_a_round_that_was_disturbed_is_made_again_of_all_variants_alike(self):
        self.make()
        self.taken(0.0, "1")
        self.taken(0.7, "round = 2 and variant = 'quick' and warm_up = 0")
        done = self.unvek("run", "plan.toml", "--plain", "--undisturbed")
        self.assertIn("made again, since something else took the machine: round 2", done.stderr)
        self.assertIn("4 runs made", done.stderr)
        voided = [(row["variant"], row["round"]) for row in self.log() if row["voided"] == REASON]
        self.assertEqual(Counter(voided), {("slow", 2): 2, ("quick", 2): 2})
        self.assertEqual(self.standing(), {(name, n): 2 for name in ("slow", "quick") for n in (1, 2, 3)})
        self.assertIn("0 runs made, 12 were there before", self.unvek("run", "plan.toml").stderr)

    def test_times_decide_nothing_a_few_runs_neither_and_there_is_an_end_to_it(self):
        self.make()
        self.taken(0.1, "1")
        with closing(sqlite3.connect(self.folder / "logbook" / "runs.sqlite")) as database, database:
            database.execute("update runs set time_s = 60 where round = 2")
        self.assertIn("0 runs made", self.unvek("run", "plan.toml", "--undisturbed").stderr)
        for _ in range(MOST_AGAIN + 1):
            self.taken(0.9, "round = 1 and voided is null")
            last = self.unvek("run", "plan.toml", "--undisturbed").stderr
        self.assertIn("0 runs made", last)
        voided = Counter((row["variant"], row["seed"]) for row in self.log() if row["voided"] == REASON)
        self.assertEqual(set(voided.values()), {MOST_AGAIN})


if __name__ == "__main__":
    unittest.main()
