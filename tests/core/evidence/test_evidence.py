"""Which runs count, which reference run each is held against, and what drift comes to: by hand, on a written logbook."""

import gc
import io
import unittest
from weakref import ref

import numpy as np

from tests.written import RIG, WrittenLogbook, picture
from unvek.core.errors import InputError
from unvek.core.evidence.gathering import gather
from unvek.core.evidence.outputs.arrays import scores_of
from unvek.core.evidence.outputs.source import OutputError
from unvek.core.findings.audit.audit import audit
from unvek.core.findings.comparison.comparison import compare
from unvek.core.measures.image import ssim
from unvek.core.pictures import NoPictureError, open_picture


class WhichRunsCount(WrittenLogbook):
    def test_the_latest_run_of_a_slot_counts_and_voided_and_foreign_ones_do_not(self):
        self.plan("a", cells=["a/violet/1"], quality=None)
        self.run_made("a/violet/1", 9.0, status="failed", place=0)
        kept = self.run_made("a/violet/1", 1.0)
        self.run_made("a/violet/9", 5.0)
        found = self.evidence()
        self.assertEqual([row.number for row in found.runs.rows], [kept])
        self.assertEqual(found.left_out, 1)
        self.logbook.void_slots(["a/violet/1"], "by hand")
        with self.assertRaisesRegex(InputError, "no measured runs of this plan yet"):
            self.evidence()

    def test_values_of_runs_that_did_not_finish_are_not_known(self):
        self.plan("a", cells=["a/violet/1"], quality=None)
        self.run_made("a/violet/1", 1.0)
        self.run_made("a/violet/1", 7.0, round_number=2, status="timed-out")
        found = self.evidence()
        np.testing.assert_array_equal(found.values.of("time.total"), [1.0, np.nan])
        np.testing.assert_array_equal(found.values.of("warmth"), [4.0, np.nan])
        with self.assertRaisesRegex(InputError, "there is no measure 'colour'; there are warmth, time.total"):
            found.values.measure("colour")

    def test_what_nobody_looks_at_any_more_is_let_go_of_at_once(self):
        """Of a million runs it is 300 MB, and there is one for each machine: none may wait for the garbage collector."""
        self.plan("a", "b", cells=["a/violet/1", "b/violet/1"])
        for number in range(1, 4):
            self.run_made("a/violet/1", 1.0, number, shade=1)
            self.run_made("b/violet/1", 2.0, number, shade=2)
        gc.collect()
        gc.disable()
        self.addCleanup(gc.enable)
        found = self.evidence()
        compare(found, RIG)
        audit(found)
        held = [ref(one) for one in (found.values, found.runs, found.values.of("time.total"))]
        del found
        self.assertEqual([one() for one in held], [None, None, None])

    def test_an_empty_logbook_is_told(self):
        with self.assertRaisesRegex(InputError, "there are no runs in"):
            self.evidence()


class Likeness(WrittenLogbook):
    def test_drift_lies_between_a_rerun_and_another_seed(self):
        self.plan("a", "b", cells=["a/violet/1", "a/violet/2", "b/violet/1", "b/violet/2"])
        for number in (1, 2):
            for seed in (1, 2):
                self.run_made(f"a/violet/{seed}", round_number=number, shade=seed)
                self.run_made(f"b/violet/{seed}", round_number=number, shade=seed if seed == 1 else 7)
        found = self.evidence()
        rows = {row.variant: row for row in compare(found, RIG).rows}
        strange = ssim(picture(2) / 255.0, picture(7) / 255.0)
        other_seed = ssim(picture(2) / 255.0, picture(1) / 255.0)
        self.assertAlmostEqual(rows["a"].measures["likeness"].typical, 1.0)
        self.assertAlmostEqual(rows["a"].measures["likeness"].drift, 0.0)
        self.assertAlmostEqual(rows["b"].measures["likeness"].drift, (1 - (1 + strange) / 2) / (1 - other_seed))
        again = gather(self.logbook)
        self.assertEqual(len(again.values.measured.values), len(found.values.measured.values))

    def test_a_run_of_the_reference_is_held_against_its_next_one_of_the_item(self):
        self.plan("a", "b", cells=["a/violet/1", "b/violet/1"])
        for number, shade in enumerate((1, 2, 3), 1):
            self.run_made("a/violet/1", round_number=number, shade=shade)
            self.run_made("b/violet/1", round_number=number, shade=shade)
        values, numbers = self.evidence().values.of("likeness"), range(3)
        pictures = [picture(shade) / 255.0 for shade in (1, 2, 3)]
        reruns = [ssim(pictures[place], pictures[(place + 1) % 3]) for place in numbers]
        np.testing.assert_allclose(sorted(values), sorted([*reruns, 1.0, 1.0, 1.0]))

    def test_texts_are_held_against_the_references_and_against_what_is_wanted(self):
        kinds = {"facts": "holds", "likeness": "edit", "same": "exact"}
        self.plan("a", "b", cells=["a/violet/1", "b/violet/1", "b/violet/2"], quality="facts", kinds=kinds)
        for number in (1, 2):
            self.run_made("a/violet/1", round_number=number, text="Half shade, in loam.")
            self.run_made("b/violet/1", round_number=number, text="Half shade, in clay.")
            self.run_made("b/violet/2", round_number=number, text="")
        found = self.evidence()
        rows = {row.variant: row.measures for row in compare(found, RIG).rows}
        self.assertEqual([rows[v]["facts"].typical for v in "ab"], [1.0, 0.5])
        self.assertAlmostEqual(rows["b"]["likeness"].typical, 1 - 3 / 20)
        self.assertEqual([rows[v]["same"].typical for v in "ab"], [1.0, 0.0])
        self.assertIsNone(rows["b"]["facts"].drift)
        np.testing.assert_array_equal(found.values.of("facts")[-1:], [np.nan])

    def test_scores_give_perplexity_divergence_and_agreement(self):
        self.plan(
            "a", "b", cells=["a/violet/1", "b/violet/1"], quality="p", kinds={"p": "perplexity", "d": "kl", "t": "top1"}
        )
        sure, unsure = np.log([[0.5, 0.25, 0.25]] * 4), np.log([[0.25, 0.5, 0.25]] * 4)
        for number in (1, 2):
            self.run_made("a/violet/1", round_number=number, scores=(sure, np.array([0, 0, 0, 0])))
            self.run_made("b/violet/1", round_number=number, scores=(unsure, np.array([0, 0, 0, 0])))
        rows = {row.variant: row.measures for row in compare(self.evidence(), RIG).rows}
        self.assertAlmostEqual(rows["a"]["p"].typical, 2.0)
        self.assertAlmostEqual(rows["b"]["p"].typical, 4.0)
        self.assertAlmostEqual(rows["b"]["d"].typical, 0.25 * np.log(2))
        self.assertEqual((rows["a"]["t"].typical, rows["b"]["t"].typical), (1.0, 0.0))
        self.assertIsNone(rows["b"]["p"].answer, "one task, the same in every launch, says nothing of others")

    def test_scores_that_are_none_are_refused(self):
        for content in (b"", b"PK\x03\x04" + b"x" * 50):
            self.assertRaises(OutputError, scores_of, content)
        packed = io.BytesIO()
        np.savez_compressed(packed, log_probabilities=np.zeros((4000, 4000)), tokens=np.zeros(4000, int))
        self.assertRaises(OutputError, scores_of, packed.getvalue())  # a hundred times as large unpacked
        pickled = io.BytesIO()
        np.savez(pickled, log_probabilities=np.array([{"a": 1}], object), tokens=np.zeros(1, int))
        self.assertRaises(OutputError, scores_of, pickled.getvalue())

    def test_runs_are_paired_within_the_value_of_what_is_varied(self):
        self.plan("a", "b", cells=["a/violet/1", "b/violet/1"], quality=None)
        for number in (1, 2):
            for steps in (2, 8):
                for name, factor in (("a", 1.0), ("b", 0.5)):
                    place = self.run_made(f"{name}/violet/1", factor * steps, number, varied={"steps": steps}, place=2)
                    self.logbook.note_run(place, "x")
        only = {row.variant: row for row in compare(self.evidence(varied={"steps": 8}), RIG).rows}
        self.assertEqual([only[v].measures["time.total"].typical for v in "ab"], [8.0, 4.0])
        self.assertAlmostEqual(only["b"].measures["time.total"].ratio.value, 0.5)
        with self.assertRaises(InputError):
            self.evidence(varied={"steps": 3})

    def test_files_that_are_no_pictures_are_none(self):
        self.assertRaises(NoPictureError, open_picture, io.BytesIO(b"\x89PNG\r\n\x1a\n" + b"\0" * 50))
        self.assertRaises(NoPictureError, open_picture, self.folder / "missing.png")


if __name__ == "__main__":
    unittest.main()
