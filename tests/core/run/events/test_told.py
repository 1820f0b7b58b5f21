"""What a model tells in numbers: kept as told, under no name that is not its own, and not where it can't be."""

import math
import unittest

from tests.support import QUICK, SLOW, ProjectTest, task
from unvek.core.plan.model import WantedMeasure
from unvek.core.run.events.record import Progress, Value
from unvek.core.run.events.sieve import Sieve

TELLER = """
def load(variant):
    return variant.name

def run(model, job, probe):
    probe.value("likeness", 42)
    probe.value("time.total", 9, "s")
    probe.value("passed", job.seed % 2)
    probe.value("warmth", 20 + job.seed, "K")
    probe.value("wait", -1, "s")
    probe.value("cache", 1e30, "B")
    probe.value("none", float("nan"))
    probe.device_memory(2**61)
    rows = bytes((x * 7 + y * 3 + job.seed) % 256 for y in range(12) for x in range(36))
    probe.output(b"P6 12 12 255\\n" + rows, "label.ppm")
"""
TOLD = '[[measures]]\nname = "passed"\nkind = "told"\nbetter = "more"\nsummed_up = "share"\n'
LIKENESS = '[[measures]]\nname = "likeness"\nkind = "ssim"\n'


class Sifting(unittest.TestCase):
    def sift(self, *values: Value, most_bytes: int | None = 2**40, **progress):
        measures = (
            WantedMeasure(name="passed", kind="told", options={"summed_up": "share"}),
            WantedMeasure(name="warmth", kind="told", options={"unit": "K"}),
            WantedMeasure(name="likeness", kind="ssim"),
        )
        return Sieve(measures, most_bytes).sift(Progress(values=values, **progress))

    def test_what_can_not_be_is_refused_with_a_word(self):
        for value, wrong in (
            (Value(name="x", number=math.inf, unit=""), "no finite number"), (Value(name="x", number=math.nan, unit="K"), "no finite number"),
            (Value(name="x", number=-0.001, unit="ms"), "a time can't be negative"), (Value(name="x", number=-1, unit="MiB"), "a size can't be negative"),
            (Value(name="x", number=2**31, unit="KiB"), "more bytes than this machine has"),
            (Value(name="passed", number=1.5, unit=""), "a share lies between 0 and 1"),
        ):  # fmt: skip
            with self.subTest(value=value):
                found = self.sift(value)
                self.assertEqual(found.progress.values, ())
                ((kind, note),) = found.progress.faults
                self.assertEqual((kind, note.partition(": ")[2]), ("refused", wrong))
                self.assertIn(f"was refused: {wrong}.", next(iter(found.words.values())))

    def test_what_can_be_is_kept(self):
        values = tuple(Value(name="x", number=number, unit=unit) for number, unit in
                       ((-40, "°C"), (0, "s"), (2**40, "B"), (-3, ""), (1e90, "")))  # fmt: skip
        found = self.sift(*values, cpu_s=0.5, memory_peak_bytes=2**39)
        self.assertEqual((found.progress.values, found.progress.faults, found.words), (values, (), {}))
        self.assertEqual((found.progress.cpu_s, found.progress.memory_peak_bytes), (0.5, 2**39))

    def test_sizes_that_a_process_tells_of_itself_are_held_to_the_same(self):
        found = self.sift(memory_peak_bytes=2**41, memory_device_bytes=2**62, cpu_s=-1.0).progress
        self.assertEqual((found.memory_peak_bytes, found.memory_device_bytes, found.cpu_s), (None, None, None))
        self.assertEqual(len(found.faults), 2)
        self.assertEqual(self.sift(memory_peak_bytes=2**41, most_bytes=None).progress.memory_peak_bytes, 2**41)

    def test_a_name_that_is_taken_is_said_and_one_that_is_asked_for_is_not(self):
        for value, said in (
            (Value(name="likeness", number=1, unit=""), "what the plan measures by ssim"), (Value(name="rate.tokens", number=1, unit="/s"), "Unvek's own"),
            (Value(name="warmth", number=1, unit="°C"), "told in °C, and the plan asks for it in K"), (Value(name="count.calls", number=1, unit=""), "Unvek's own"),
            (Value(name="passed", number=1, unit=""), ""), (Value(name="warmth", number=1, unit="K"), ""), (Value(name="mine", number=1, unit=""), ""),
            (Value(name="rate.tokens", number=1, unit="/s", ours=True), ""),
        ):  # fmt: skip
            with self.subTest(value=value):
                words = "".join(self.sift(value).words.values())
                self.assertTrue(said in words if said else not words, words)


class Runs(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.write("model.py", TELLER)
        self.plan = self.write_plan(SLOW, QUICK, task(seeds=(1, 2, 3)), TOLD, LIKENESS, rounds=2)
        self.said = self.have_runs()

    def test_each_thing_is_said_once(self):
        for words in ("likeness was told by the model's side, and is what the plan measures by ssim: kept as told.likeness",
                      "time.total was told by the model's side, and is a name of Unvek's own: kept as told.time.total",
                      "wait -1 s was refused: a time can't be negative", "cache 1e+30 B was refused: more bytes than this machine has",
                      "none nan was refused: no finite number"):  # fmt: skip
            self.assertEqual(self.said.count(words), 1, self.said)
        self.assertNotIn("passed was", self.said)

    def test_nothing_told_takes_the_place_of_what_was_measured(self):
        row = self.result("compare")["rows"][0]
        self.assertAlmostEqual(row["measures"]["likeness"]["typical"], 1.0)
        self.assertNotEqual(row["measures"]["time.total"]["typical"], 9)
        run = self.result("show", "1")
        self.assertEqual((run["measures"]["told.likeness"], run["measures"]["told.time.total"]), (42, 9))
        self.assertIsNone(run["machine"]["memory_device_bytes"])
        self.assertEqual({kind for kind, _ in run["faults"]}, {"refused"})
        asked = self.result("compare", "--measure", "told.likeness")["rows"][0]["measures"]["told.likeness"]
        self.assertEqual((asked["typical"], asked["better"]), (42, None))

    def test_what_the_plan_asks_for_is_taken_with_its_way_of_summing_up(self):
        found = self.result("compare")["rows"][0]["measures"]["passed"]
        self.assertEqual((found["better"], round(found["typical"], 6)), ("more", round(2 / 3, 6)))
        self.plan.write_text(self.plan.read_text() + '[[measures]]\nname = "warmth"\nkind = "told"\nunit = "K"\n')
        self.unvek("run")
        found = self.result("compare")["rows"][0]["measures"]["warmth"]
        self.assertEqual(
            (found["unit"], found["typical"]), ("K", 22), "what was told before it was asked for counts too"
        )
        self.plan.write_text(self.plan.read_text().replace('unit = "K"', 'unit = "°C"'))
        self.unvek("run")
        self.assertIsNone(self.result("compare")["rows"][0]["measures"]["warmth"]["typical"], "K are no °C")

    def test_a_plan_says_what_may_be_said_of_a_told_number(self):
        text = self.plan.read_text()
        for old, new, where in (('summed_up = "share"', 'summed_up = "total"', "measures[passed].summed_up"), ('better = "more"', 'better = "most"', "measures[passed].better"),
                                ('kind = "ssim"', 'kind = "ssim"\nunit = "K"', "measures[likeness].unit"), ('better = "more"', f'unit = "{"x" * 30}"', "measures[passed].unit")):  # fmt: skip
            self.plan.write_text(text.replace(old, new))
            errors = self.result("check", expect=2)["errors"]
            self.assertEqual([error["where"] for error in errors], [where])


if __name__ == "__main__":
    unittest.main()
