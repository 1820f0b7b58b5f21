"""Curves: over what is varied, over numbers about tasks, along the run; as figures, in words, and as pictures."""

import unittest
from dataclasses import replace

import numpy as np
from PIL import Image

from tests.support import ProjectTest, task, variant
from tests.written import WrittenLogbook, planned_task
from unvek.core.errors import InputError
from unvek.core.evidence.gathering import gather
from unvek.core.findings.curve.along import curve_along
from unvek.core.findings.curve.curve import curve
from unvek.core.plan.model import WantedMeasure
from unvek.core.run.events.record import Progress
from unvek.show.results.curve import sentences


class Curves(WrittenLogbook):
    def make(self, of_steps: dict[int, float], rounds: int = 3, setting: str = "steps", tasks: int = 1) -> None:
        names = ["violet", *(f"task-{n}" for n in range(1, tasks))]
        cells = [f"full/{name}/{seed}" for name in names for seed in (1, 2)]
        self.plan("full", cells=cells, quality=None, vary={setting: list(of_steps)})
        rng = np.random.default_rng(1)
        for number in range(1, rounds + 1):
            launch, place = self.logbook.open_launch("full", number), 1
            for steps, time_s in of_steps.items():
                for cell in cells:
                    place += 1
                    self.run_made(f"{cell}", time_s * rng.normal(1, 0.005), number, place=place, launch=launch,
                                  varied={setting: steps}, cell=f"{cell}@{steps}")  # fmt: skip
        self.plan("full", cells=[f"{cell}@{steps}" for cell in cells for steps in of_steps], quality=None)

    def test_a_line_its_fixed_part_and_one_long_against_several_short(self):
        self.make({2: 0.5, 4: 0.7, 8: 1.1, 20: 2.3}, setting="frames")
        found = curve(gather(self.logbook), "frames")
        row = found.rows[0]
        self.assertEqual([(point.value, point.n) for point in row.points], [(2, 6), (4, 6), (8, 6), (20, 6)])
        self.assertAlmostEqual(row.fits.line.fixed.value, 0.3, delta=0.02)
        self.assertTrue(row.fits.line.per_one.low < 0.1 < row.fits.line.per_one.high)
        pairs = {(one.long, one.short, one.times): one.value for one in row.long_or_short}
        self.assertEqual(set(pairs), {(4, 2, 2), (8, 2, 4), (20, 2, 10)})
        self.assertAlmostEqual(pairs[20, 2, 10], 2.3 / 5.0, delta=0.01)
        self.assertEqual([" fixed and " in words for words in sentences(found, row)], [True, False], "one form is said")

    def test_a_rate_has_no_fixed_part_but_rises_or_falls(self):
        self.make({10: 1.0, 20: 1.0, 40: 1.0, 80: 1.0}, setting="frames")
        evidence = gather(self.logbook)
        lengths = np.array([row.varied["frames"] for row in evidence.runs.rows])
        for slope, noise, words in (
            (-8.0, 0.002, "it falls by 8.0"), (8.0, 0.002, "it rises by 8.0"), (-1.0, 0.2, "rises or falls can't be told"),
        ):  # fmt: skip
            with self.subTest(words):
                off = np.random.default_rng(5).normal(1, noise, len(lengths))
                evidence.values._columns["rate.tokens"] = (1000 + slope * lengths) * off
                found = curve(evidence, "frames", "rate.tokens")
                said = " ".join(sentences(found, found.rows[0]))
                self.assertIn(words, said)
                self.assertNotIn("fixed", said)

    def test_steps_are_no_lengths_and_two_values_no_line(self):
        self.make({2: 0.5, 4: 0.7})
        row = curve(gather(self.logbook), "steps").rows[0]
        self.assertEqual((row.long_or_short, row.fits.line, row.fits.form), ((), None, None))

    def test_clients_fill_a_server_and_no_form_is_fitted(self):
        self.make({1: 1.0, 2: 1.02, 4: 2.1, 8: 4.2}, setting="clients")
        evidence = gather(self.logbook)
        rates = {1: 50.0, 2: 99.0, 4: 100.0, 8: 96.0}
        noise = np.random.default_rng(3).normal(1, 0.002, len(evidence.runs))
        varied = np.array([rates[row.varied["clients"]] for row in evidence.runs.rows])
        evidence.values._columns["rate.tokens.sum"] = varied * noise
        found = curve(evidence, "clients", "rate.tokens.sum")
        self.assertEqual(found.rows[0].fits.form, None)
        self.assertEqual(
            sentences(found, found.rows[0]),
            ["2 clients fill it: with more they only wait; with 1 and 8 they get less."],
        )
        times = curve(evidence, "clients")
        self.assertEqual((times.rows[0].fits.line, times.rows[0].long_or_short), (None, ()))

    def test_a_power_law_and_what_doubling_costs(self):
        self.make({steps: 0.1 * steps**1.5 for steps in (1, 2, 4, 8)})
        found = curve(gather(self.logbook), "steps")
        power = found.rows[0].fits.power
        self.assertTrue(power.exponent.low < 1.5 < power.exponent.high, power)
        self.assertAlmostEqual(power.doubling.value, 2**1.5, delta=0.05)
        self.assertTrue(any("a power law with exponent 1.5" in words for words in sentences(found, found.rows[0])))

    def test_where_more_stops_paying(self):
        self.make({steps: 0.1 * steps for steps in (2, 4, 8)}, tasks=8)
        evidence = gather(self.logbook)
        plan = replace(evidence.plan, measures=(WantedMeasure(name="warmth", kind="ssim"),))
        evidence = replace(evidence, values=replace(evidence.values, plan=plan))
        warmth = {2: 3.0, 4: 4.0, 8: 4.0}
        noise = np.random.default_rng(2).normal(0, 0.02, len(evidence.runs))
        evidence.values._columns["warmth"] = noise + [warmth[row.varied["steps"]] for row in evidence.runs.rows]
        found = curve(evidence, "steps", "warmth")
        plateau = found.rows[0].plateau
        self.assertEqual((plateau.as_good, plateau.worse, plateau.untold, plateau.cheapest), ((4, 8), (2,), (), 4))
        self.assertTrue(any("worse by more than 2 %" in words for words in sentences(found, found.rows[0])))

    def test_what_has_no_two_values_is_told_with_what_there_is(self):
        self.make({2: 0.5, 4: 0.7})
        with self.assertRaisesRegex(
            InputError, "'colour' has not two values in these runs; there are steps, and position"
        ):
            curve(gather(self.logbook), "colour")
        with self.assertRaisesRegex(InputError, "there is no measure 'sweetness'"):
            curve(gather(self.logbook), "steps", "sweetness")

    def test_variants_with_a_value_each_make_one_curve_together(self):
        names = {"full": 16, "half": 8, "four-bit": 4}
        self.plan(*names, cells=[f"{name}/violet/1" for name in names], quality=None,
                  of={name: {"settings": {"bits": bits}} for name, bits in names.items()})  # fmt: skip
        for number in (1, 2, 3):
            for name, bits in names.items():
                self.run_made(f"{name}/violet/1", 0.1 * bits * (1 + number / 100), number, place=2)
        (row,) = curve(gather(self.logbook), "bits").rows
        self.assertEqual((row.variant, [point.value for point in row.points]), ("all variants", [4, 8, 16]))
        self.assertAlmostEqual(row.fits.power.exponent.value, 1.0, places=6)

    def test_numbers_about_tasks(self):
        cells = [f"full/{name}/1" for name in ("one", "two", "four")]
        items = {"one": 1, "two": 2, "four": 4}
        self.plan("full", cells=cells, quality=None,
                  tasks=tuple(planned_task(name, seeds=(1,), facts={"items": count}) for name, count in items.items()))  # fmt: skip
        for number in (1, 2, 3):
            launch = self.logbook.open_launch("full", number)
            for place, cell in enumerate(cells, 2):
                time_s = 0.2 + 0.3 * items[cell.split("/")[1]]
                self.run_made(cell, time_s, number, place=place, launch=launch)
        row = curve(gather(self.logbook), "items").rows[0]
        self.assertEqual([point.value for point in row.points], [1, 2, 4])
        self.assertAlmostEqual(row.fits.line.per_one.value, 0.3)


class Along(WrittenLogbook):
    def make(self, step_times_s: list[float], **more) -> None:
        self.plan("full", cells=["full/violet/1"], quality=None)
        for number in (1, 2, 3):
            progress = Progress(time_s=1.0, step_times_s=[time * (1 + number / 100) for time in step_times_s], **more)
            self.run_made("full/violet/1", round_number=number, place=2, progress=progress,
                          machine={"memory_along": [[n / 10, 1000 + 100 * n] for n in range(10)]})  # fmt: skip

    def test_steps_that_slow_down(self):
        self.make([0.01 + 0.001 * n for n in range(40)])
        found = curve_along(self.logbook, gather(self.logbook))
        row = found.rows[0]
        self.assertEqual((found.setting, found.measure, len(row.points)), ("position", "step.time", 10))
        self.assertAlmostEqual(row.change.value, 0.0475 / 0.0115, places=2)
        self.assertEqual((row.points[0].value, row.points[-1].value), (2.5, 38.5))
        self.assertIn("at the end a step takes 4.1", sentences(found, row)[0])

    def test_tokens_and_memory(self):
        self.make([], piece_times_s=[n * 0.01 for n in range(20)] + [n * 0.02 for n in range(20)])
        found = curve_along(self.logbook, gather(self.logbook))
        self.assertEqual(found.measure, "gap.median")
        self.assertAlmostEqual(found.rows[0].change.value, 2.0)
        memory = curve_along(self.logbook, gather(self.logbook), "memory.peak").rows[0]
        self.assertAlmostEqual(memory.change.value, 1.9)

    def test_too_few_steps_and_other_measures_are_told(self):
        self.make([0.1, 0.1])
        with self.assertRaisesRegex(InputError, "no run here has 4 steps or tokens"):
            curve_along(self.logbook, gather(self.logbook))
        with self.assertRaisesRegex(InputError, "along a run there are step.time"):
            curve_along(self.logbook, gather(self.logbook), "time.total")


class Drawn(ProjectTest):
    def test_the_curve_of_a_plan_in_every_form(self):
        plan = self.write_plan(variant("slow", step_s=0.004, steps=4), variant("quick", "distilled", step_s=0.002), task(seeds=(1,)),
                               rounds=2, warmups=1, quality=True)  # fmt: skip
        plan.write_text(plan.read_text() + "\n[vary]\nsteps = [2, 4, 8]\n")
        self.unvek("run", "plan.toml")
        found = self.result("curve", "steps")
        self.assertEqual((found["kind"], found["setting"], found["measure"]), ("curve", "steps", "time.total"))
        self.assertEqual([row["variant"] for row in found["rows"]], ["slow", "quick"])
        self.assertEqual(
            [set(point) for point in found["rows"][0]["points"]], [{"value", "n", "typical", "low", "high"}] * 3
        )
        self.assertEqual(set(found["rows"][0]["fits"]["line"]), {"fixed", "per_one", "launches", "misfit"})
        # Outputs at every value are held against the reference's with its own four steps.
        alike = self.result("curve", "steps", "--measure", "likeness")["rows"][0]["points"]
        self.assertEqual([point["typical"] for point in alike], [1.0, 1.0, 1.0])
        for name in ("curve.png", "curve.svg"):
            done = self.unvek("curve", "steps", "--plot", name)
            self.assertIn(f"drawn in {name}", done.stderr)  # which fits hold depends on how busy the machine is
            self.assertIn("slow", done.stdout)
        with Image.open(self.folder / "curve.png") as picture:
            self.assertEqual(picture.size, (1280, 800))
            self.assertGreater(len(picture.convert("RGB").getcolors(2**20)), 20)
        self.assertIn(">quick<", (self.folder / "curve.svg").read_text())
        self.assertIn("variant,form,steps,n,time.total_s", self.unvek("curve", "steps", "--as", "csv").stdout)
        self.assertIn("variant", self.unvek("curve", "position", "--as", "markdown", "--varied", "steps=8").stdout)
        self.assertIn("neither .png nor .svg", self.unvek("curve", "steps", "--plot", "curve.pdf", expect=2).stderr)
        self.assertIn("nowhere", self.unvek("curve", "steps", "--plot", "nowhere/curve.png", expect=2).stderr)
        self.assertIn("has not two values", self.unvek("curve", "shade", expect=2).stderr)


if __name__ == "__main__":
    unittest.main()
