"""What a plan measures of outputs is worked out once, kept under its definition, and never shown for anything else."""

import subprocess
import unittest

from tests.support import QUICK, SLOW, ProjectTest, task

FACTS = '[[measures]]\nname = "facts"\nkind = "holds"\n'
LIKENESS = '[[measures]]\nname = "likeness"\nkind = "ssim"\n'
WRITER = """
def load(variant):
    return variant.name

def run(model, job, probe):
    probe.text("Half shade, in " + ("loam" if model == "slow" else "clay"))
    shade = job.seed + (3 if model == "quick" else 0)
    probe.output(b"P6 12 12 255\\n" + bytes((x * 7 + y * 3 + shade * (x % 5)) % 256 for y in range(12) for x in range(36)), "label.ppm")
"""


class Made(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.write("model.py", WRITER)
        self.plan = self.write_plan(
            SLOW, QUICK, task() + 'wanted = ["half shade", "loam"]\n', LIKENESS, FACTS, rounds=2
        )
        self.have_runs()

    def change(self, old: str, new: str) -> None:
        text = self.plan.read_text()
        self.assertIn(old, text)
        self.plan.write_text(text.replace(old, new))
        self.assertIn("0 runs made", self.unvek("run").stderr)

    def of_quick(self, name: str, *arguments: str) -> dict:
        return self.result("compare", *arguments)["rows"][1]["measures"][name]

    def output_of(self, run: int):
        return self.folder / "logbook" / self.result("show", str(run))["outputs"][0]["path"]


class Definitions(Made):
    def test_another_kind_under_the_same_name_is_another_value(self):
        as_ssim = self.of_quick("likeness")
        self.change('kind = "ssim"', 'kind = "psnr"')
        as_psnr = self.of_quick("likeness")
        self.assertEqual((as_ssim["unit"], as_psnr["unit"]), ("", "dB"))
        self.assertLess(as_ssim["typical"], 1)
        self.assertGreater(as_psnr["typical"], 5)
        run = self.result("show", "3")
        values = {(one["name"], one["kind"]): (one["value"], one["shown"]) for one in run["measurements"]}
        self.assertEqual(run["measures"]["likeness"], values["likeness", "psnr"][0])
        self.assertFalse(values["likeness", "ssim"][1])
        self.change('kind = "psnr"', 'kind = "ssim"')
        self.assertEqual(self.of_quick("likeness"), as_ssim)
        self.assertEqual(self.result("measure")["worked_out"], 0, "what was known of it before is known still")

    def test_another_wanted_text_is_another_value(self):
        self.assertEqual(self.of_quick("facts")["typical"], 0.5)
        self.change('wanted = ["half shade", "loam"]', 'wanted = ["half shade", "clay"]')
        self.assertEqual(self.of_quick("facts")["typical"], 1.0)

    def test_a_kind_that_was_renamed_is_told(self):
        self.plan.write_text(self.plan.read_text().replace('kind = "holds"', 'kind = "contains"'))
        said = self.unvek("check", expect=2).stdout
        self.assertIn("holds, which is what contains is called now", said)

    def test_a_measure_that_the_plan_no_longer_asks_for_is_still_there_under_its_name(self):
        self.of_quick("facts")
        self.change(FACTS, "")
        self.assertNotIn("facts", self.result("compare")["rows"][1]["measures"])
        self.assertEqual(self.of_quick("facts", "--measure", "facts")["typical"], 0.5)


class WorkingOut(Made):
    def test_it_is_a_step_of_its_own_that_keeps_what_it_finds(self):
        first = self.result("measure")
        # 8 likenesses and 8 facts, and the reference's runs of two seeds held against each other
        self.assertEqual((first["kind"], first["worked_out"], first["known"]), ("measuring", 17, 0))
        self.assertEqual({row["name"]: (row["value_count"], row["without"]) for row in first["rows"]},
                         {"likeness": (8, []), "facts": (8, [])})  # fmt: skip
        again = self.result("measure")
        self.assertEqual((again["worked_out"], again["known"]), (0, 17))
        self.assertIn("17 known before", self.unvek("measure").stdout)

    def test_what_can_not_be_worked_out_is_said_with_the_reason(self):
        self.plan.write_text(self.plan.read_text().replace('kind = "ssim"', 'kind = "kl"'))
        self.unvek("run")
        row = self.result("measure")["rows"][0]
        self.assertEqual((row["value_count"], len(row["without"])), (0, 8))
        self.assertEqual(row["without"][0], {"run": 1, "why": "it made no file of scores (*.scores.npz)"})
        self.assertIn("likeness: – (it made no file of scores", self.unvek("show", "1").stdout)
        self.assertEqual(self.result("measure")["known"], 17, "the reasons are kept")

    def test_a_logbook_that_can_only_be_read_is_measured_all_the_same(self):
        disk = self.folder / "disk"
        disk.mkdir()
        for mount in (("--bind", self.folder / "logbook", disk), ("-o", "remount,ro,bind", disk)):
            if subprocess.run(["mount", *mount], capture_output=True).returncode:
                self.skipTest("only root can make a read-only disk")
        self.addCleanup(subprocess.run, ["umount", "-l", disk], capture_output=True)
        self.assertEqual(self.of_quick("facts", "--logbook", "disk")["typical"], 0.5)
        self.assertEqual(self.result("measure")["known"], 0, "nothing of it was kept")

    def test_without_measures_what_fits_the_outputs_is_taken_and_that_is_said(self):
        self.change(LIKENESS + "\n" + FACTS, "")
        rows = {row["name"]: row["value_count"] for row in self.result("measure")["rows"]}
        self.assertEqual(rows, {"ssim": 8, "edit": 8, "holds": 8})
        found = self.result("compare")
        self.assertEqual((found["quality"], found["rows"][1]["measures"]["holds"]["typical"]), ("ssim", 0.5))
        self.assertIn("The plan asks for no measure of its outputs: ssim, edit, holds are what fits them",
                      self.unvek("compare").stdout.replace("\n", " "))  # fmt: skip
        self.write("model.py", "def load(variant): pass\ndef run(model, job, probe): probe.step()\n")
        self.unvek("run")
        self.assertIn("The plan measures nothing", self.unvek("measure").stdout)


class ChangedOutputs(Made):
    def test_an_output_that_was_changed_is_said_to_be_and_is_used_by_nobody(self):
        path = self.output_of(5)
        made, another = path.read_bytes(), self.output_of(1).read_bytes()
        self.assertNotEqual(made, another)
        for run in (3, 5):  # both runs that made this picture
            self.output_of(run).write_bytes(another)
        found = {row["name"]: row for row in self.result("measure")["rows"]}["likeness"]
        changed = "its file is not the one any more that the run made"
        self.assertEqual(
            (found["value_count"], found["without"]), (6, [{"run": 3, "why": changed}, {"run": 5, "why": changed}])
        )
        self.assertIn("Outputs of runs 3, 5 are not as they were made any more", self.unvek("compare").stdout)
        codes = {one["code"]: one for one in self.result("audit")["findings"]}
        self.assertEqual(
            (codes["outputs-changed"]["severity"], codes["outputs-changed"]["variants"]), ("doubt", ["quick"])
        )
        self.assertIn("3, 5", codes["outputs-changed"]["text"])
        self.assertIn("changed since the run", self.unvek("show", "5").stdout)
        self.unvek("sheet")
        for run in (3, 5):
            self.output_of(run).write_bytes(made)
        self.assertEqual(
            {row["value_count"] for row in self.result("measure")["rows"]}, {8}, "put back, they are measured"
        )
        self.assertNotIn("as they were made", self.unvek("compare").stdout)

    def test_a_value_from_before_stays_and_the_change_is_said(self):
        before = self.of_quick("likeness")
        self.output_of(5).unlink()
        self.assertEqual(self.of_quick("likeness"), before)
        self.assertIn("Outputs of run 5 are not as they were made any more", self.unvek("compare").stdout)
        self.assertIn("gone since the run", self.unvek("show", "5").stdout)

    def test_a_reference_that_was_changed_takes_the_likenesses_held_against_it(self):
        for row in self.log():
            if row["variant"] == "slow":
                self.output_of(row["run"]).write_bytes(b"another")
        self.assertIsNone(self.of_quick("likeness")["typical"])
        self.assertIn("held against run", self.unvek("measure").stdout)

    def test_a_sheet_of_changed_outputs_alone_says_why_there_is_none(self):
        for row in self.log():
            self.output_of(row["run"]).write_bytes(b"another")
        self.assertIn("is not the one any more that the run made", self.unvek("sheet", expect=2).stderr)


if __name__ == "__main__":
    unittest.main()
