"""The card writer, the server around it with its faults, and the plans that use them."""

import csv
import http.client
import json
import socket
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.error
import urllib.request
from itertools import groupby, pairwise
from pathlib import Path

import numpy as np

from tests.support import ProjectTest, environment
from unvek.core.plan.cells import cells_of, read_sources
from unvek.core.plan.reading.plan import read_plan
from unvek.demo import PROJECT, lay_out

# The project's scripts import each other by name, as a user's would.
sys.path.insert(0, str(PROJECT))
import sprig

MODELS = PROJECT / "models"
PROMPT = "a care card for Tamberwort: light, water, soil, height, bloom, frost"


def model(name: str) -> sprig.Sprig:
    return sprig.Sprig(MODELS / f"sprig-{name}.safetensors")


class Sprig(unittest.TestCase):
    def test_a_card_says_what_the_table_says(self):
        with open(PROJECT / "plants.csv", encoding="utf-8") as file:
            table = {row.pop("plant"): row for row in csv.DictReader(file)}
        right = dict.fromkeys(("full", "swift", "3bit"), 0)
        for plant in list(table)[5::24]:
            for name in right:
                card = "".join(model(name).write(f"{plant}: light, water, frost", 0))
                right[name] += sum(table[plant][fact] in card for fact in ("light", "water", "frost"))
        self.assertEqual((right["full"], right["swift"]), (30, 30))
        self.assertLess(right["3bit"], 30)

    def test_kept_keys_and_values_change_nothing(self):
        full, ids = model("full"), sprig.as_ids("Nimfern: light\nNimfern\nBest in full sun.")
        whole = full.scores(ids, sprig.Kept(full.weights.depth))
        kept = sprig.Kept(full.weights.depth)
        piecewise = [full.scores(ids[:length], kept)[-1] for length in range(1, len(ids) + 1)]
        np.testing.assert_allclose(whole, piecewise, atol=2e-4)

    def test_a_seed_decides_above_temperature_0_and_only_there(self):
        full = model("full")
        cold = ["".join(full.write(PROMPT, seed)) for seed in (1, 2)]
        warm = ["".join(full.write(PROMPT, seed, temperature=1.0)) for seed in (1, 2, 3, 1)]
        self.assertEqual(cold[0], cold[1])
        self.assertEqual(warm[0], warm[3])
        self.assertGreater(len(set(warm)), 1)
        self.assertEqual("".join(full.write(PROMPT, 1, most=5)), cold[0][:5])

    def test_log_probabilities_are_of_every_character_and_the_end(self):
        log_probabilities, codes = model("full").log_probabilities("Nimfern: light", "Nimfern\nBest in full sun.")
        self.assertEqual(log_probabilities.shape, (26, len(sprig.ALPHABET)))
        np.testing.assert_allclose(np.exp(log_probabilities).sum(axis=1), 1, rtol=1e-5)
        self.assertEqual(int(codes[-1]), sprig.END)

    def test_what_it_can_not_write_is_told(self):
        for prompt in ("", "a poem", "Nimfern: colour", "a care card for nimfern: light"):
            with self.assertRaisesRegex(ValueError, "sprig can't write"):
                next(model("swift").write(prompt, 0))
        with self.assertRaisesRegex(ValueError, "does not know the character"):
            sprig.as_ids("\u00e9")


class CardServer(unittest.TestCase):
    def setUp(self) -> None:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        command = [
            sys.executable,
            str(PROJECT / "card_server.py"),
            "--port",
            str(self.port),
            str(MODELS / "sprig-swift.safetensors"),
        ]
        self.server = subprocess.Popen(command, env=environment())
        self.addCleanup(self.server.wait)
        self.addCleanup(self.server.terminate)
        while True:
            try:
                urllib.request.urlopen(f"http://127.0.0.1:{self.port}/").close()
                return
            except urllib.error.URLError:
                self.assertIsNone(self.server.poll())
                time.sleep(0.02)

    def ask(self, path: str = "cards", **wish) -> str:
        request = urllib.request.Request(
            f"http://127.0.0.1:{self.port}/{path}", json.dumps({"ask": PROMPT, **wish}).encode()
        )
        with urllib.request.urlopen(request, timeout=20) as answer:
            return answer.read().decode()

    def test_it_streams_and_fails_to_order(self):
        events = self.ask().strip().split("\n\n")
        self.assertEqual(events[-1], "data: that is all")
        card = "".join(piece["text"] for event in events[:-1] for piece in json.loads(event[6:])["pieces"])
        self.assertEqual(card, "".join(model("swift").write(PROMPT, 0)))
        self.assertEqual(json.loads(events[-2][6:])["usage"]["out"], len(card))
        lines = [json.loads(line) for line in self.ask("lines", most=3).splitlines()]
        self.assertEqual((len(lines), lines[-1]["usage"]["out"]), (4, 3))
        for fault, code in (("busy", 429), ("broken", 500), ("busy once", 429)):
            with self.subTest(fault), self.assertRaises(urllib.error.HTTPError) as refused:
                self.ask(fault=fault)
            self.assertEqual(refused.exception.code, code)
            refused.exception.close()
        self.assertIn("that is all", self.ask(fault="busy once"))
        with self.assertRaises(http.client.IncompleteRead):
            self.ask(fault="cut")
        for wish in ({"ask": 3}, {"ask": "nothing"}, {"seed": "x"}):
            with self.subTest(wish), self.assertRaises(urllib.error.HTTPError) as refused:
                self.ask(**wish)
            self.assertEqual(refused.exception.code, 400)
            refused.exception.close()


class Plans(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.project = self.folder / "row"
        lay_out(self.project, quick=True)
        self.folder = self.project

    def test_each_plan_is_in_order(self):
        for path in sorted(self.project.glob("*.toml")):
            plan = read_plan(path)
            self.assertGreater(len(cells_of(plan, read_sources(plan))), 1, path)
        tasks = read_plan(self.project / "cards.toml").tasks
        self.assertEqual(sorted({task.facts["things"] for task in tasks if task.facts}), [1, 2, 4, 6])

    def test_the_three_ways_write_the_same_card_and_count_the_same_tokens(self):
        plan = (self.project / "ways.toml").read_text().replace("rounds = 3", "rounds = 2").replace("[1, 2]", "[1]")
        (self.project / "ways.toml").write_text(plan)
        self.unvek("run", "ways.toml", "--logbook", "ways", "--plain")
        rows = [
            row for row in self.result("log", "--logbook", "ways")["rows"] if not row["warm_up"] and row["round"] == 1
        ]
        runs = [self.result("show", str(row["run"]), "--logbook", "ways") for row in rows]
        self.assertEqual({run["status"] for run in runs}, {"finished"})
        self.assertEqual(len({(run["text"], run["tokens"]) for run in runs}), 1)
        self.assertEqual([run["source"] for run in runs if run["variant"] == "server"], ["simulated"] * 2)
        found = {row["variant"]: row["measures"] for row in self.result("compare", "--logbook", "ways")["rows"]}
        self.assertTrue(all(found[v]["rate.tokens"]["typical"] > 50 for v in ("script", "program", "server")))
        self.assertIn("Simulated, measured on a stand-in: server.", self.unvek("compare", "--logbook", "ways").stdout)

    def test_more_clients_than_workers_get_no_more_together(self):
        plan = (self.project / "served.toml").read_text()
        head, _, rest = plan.partition("[[variants]]")
        (self.project / "served.toml").write_text(
            head.replace("rounds = 3", "rounds = 1")
            + "[[variants]]"
            + rest.split("[[variants]]")[0]
            + "[[tasks]]"
            + rest.split("[[tasks]]")[1]
        )
        self.unvek("run", "served.toml", "--logbook", "served", "--plain")
        rows = [row for row in self.result("log", "--logbook", "served")["rows"] if not row["warm_up"]]
        self.assertEqual([row["varied"]["clients"] for row in rows], [1, 2, 4, 8])
        runs = [self.result("show", str(row["run"]), "--logbook", "served") for row in rows]
        self.assertEqual([len(run["requests"]) for run in runs], [1, 4, 8, 16])
        self.assertTrue(all(run["measures"]["requests.failed"] == 0 for run in runs))
        # Two workers: of eight clients six wait, so that the waiting takes some three times as long as the answers. What
        # is heard at one instant is no measure of it: on a busy machine an end is heard after the next has begun.
        waited_s = sum(request["first_s"] - request["sent_s"] for request in runs[3]["requests"])
        answered_s = sum(request["ended_s"] - request["first_s"] for request in runs[3]["requests"])
        self.assertGreater(waited_s, answered_s)
        for run in runs[1:]:
            for _, asked in groupby(
                sorted(run["requests"], key=lambda r: (r["client"], r["sent_s"])), key=lambda r: r["client"]
            ):
                times = [(request["sent_s"], request["ended_s"]) for request in asked]
                self.assertTrue(all(later[0] >= earlier[1] for earlier, later in pairwise(times)))

    def test_a_card_may_be_tried(self):
        done = self.unvek(
            "try", "cards.toml", "--variant", "swift", "--prompt", "Nimfern: light, soil", "--logbook", "cards"
        )
        self.assertIn("Nimfern\n", done.stdout.replace(" ", "").replace("\r", "") + "\n")
        self.assertIn("tokens", done.stderr)


class Program(unittest.TestCase):
    def test_it_is_a_program_of_its_own(self):
        with tempfile.TemporaryDirectory() as name:
            weights = str(MODELS / "sprig-swift.safetensors")
            command = [sys.executable, str(PROJECT / "write_card.py"), "--weights", weights]
            done = subprocess.run([*command, PROMPT], cwd=name, capture_output=True, text=True)
            self.assertEqual(done.stdout, "".join(model("swift").write(PROMPT, 0)))
            self.assertIn(f"wrote {len(done.stdout)} tokens", done.stderr)
            self.assertEqual(subprocess.run([*command, "a poem"], capture_output=True).returncode, 1)
            self.assertEqual(list(Path(name).iterdir()), [])


if __name__ == "__main__":
    unittest.main()
