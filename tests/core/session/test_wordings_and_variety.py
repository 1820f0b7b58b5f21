"""Wordings of a prompt, variety over seeds, what the drift scale rests on, and who resembles whom: known beforehand."""

import sqlite3
import unittest
from contextlib import closing

import numpy as np

from tests.support import ProjectTest, called, task, variant
from tests.written import WrittenLogbook
from unvek.core.findings.comparison.comparison import compare
from unvek.core.findings.resemblance import PairFound, in_order

SCORER = """
def load(variant):
    return variant.settings

def run(settings, job, probe):
    probe.text(job.prompt)
    probe.value("grade", settings["level"] + settings["feels"] * job.prompt.count("please") + 0.001 * job.seed)
"""
GRADE = '[[measures]]\nname = "grade"\nkind = "told"\nbetter = "more"\n'


class Wordings(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.write("model.py", SCORER)

    def notes(self, *variants: str) -> str:
        tasks = [task(f"t{n}", prompt=f"a flower {n}") + f'wordings = ["please, flower {n}"]\n' for n in range(4)]
        self.write_plan(*variants, *tasks, GRADE, rounds=2)
        self.unvek("run")
        return " ".join(self.unvek("compare", "--measure", "grade").stdout.split())

    def test_what_moves_a_score_more_is_said_and_whether_the_order_holds(self):
        said = self.notes(variant("slow", level=0.9, feels=0.0), variant("quick", level=0.7, feels=0.0))
        self.assertIn("moves by 0 with the wording of a prompt, by 0.14 with the variant", said)
        self.assertIn("The order of variants by grade holds in every wording", said)
        rows = self.log()
        self.assertEqual({tuple(row["varied"].items()) for row in rows}, {(("wording", 1),), (("wording", 2),)})
        self.assertEqual(len(rows), 2 * 2 * 4 * 2 * 2)
        self.assertEqual(len(self.result("compare")["rows"]), 2, "a row a variant, and not one for each wording")
        self.assertEqual(self.result("show", "2")["text"], "please, flower 0")

    def test_where_the_order_changes_that_is_said(self):
        said = self.notes(variant("slow", level=0.9, feels=-0.4), variant("quick", level=0.7, feels=0.1))
        self.assertIn("The order by grade depends on the wording: slow and quick change places", said)
        self.assertIn("the wording counts for more", said)

    def test_what_can_not_be_is_said_before(self):
        self.write_plan(variant("slow", wording=3), task() + 'wordings = ["x", "x"]\n')
        said = self.unvek("check", expect=2).stdout
        self.assertIn("this says which wording a prompt had", said)
        self.assertIn("different ways to ask for the same", said)
        self.write_plan(variant("slow", wording=3), task() + '[vary]\nwording = ["formal", "brief"]\n')
        self.assertIn("vary.wording", self.unvek("check", expect=2).stdout)
        self.write_plan(variant("slow", wording="formal"), task())
        self.unvek("check")

    def test_what_another_has_put_there_as_the_wording_is_none(self):
        self.notes(variant("slow", level=0.9, feels=0.0), variant("quick", level=0.7, feels=0.0))
        for wording in ('"formal"', "1e300", "-1", "null", "[1]", str(2**62)):
            with closing(sqlite3.connect(self.folder / "logbook" / "runs.sqlite")) as database, database:
                database.execute("UPDATE runs SET varied = ? WHERE number % 3 = 0", (f'{{"wording": {wording}}}',))
            for command in (("compare", "--measure", "grade"), ("audit",), ("sheet", "--out", "s.png"), ("show", "3")):
                self.assertNotIn("went wrong", called(*command, folder=self.folder).stderr, wording)


class Variety(WrittenLogbook):
    def compared(self, quick: dict[int, int], **also) -> str:
        """A reference that paints another noise for each seed, and a variant as said, over three rounds."""
        cells = [f"{name}/violet/{seed}" for name in ("slow", "quick") for seed in quick]
        self.plan("slow", "quick", cells=cells, **also)
        for round_number in (1, 2, 3):
            for name in ("slow", "quick"):
                launch = self.logbook.open_launch(name, round_number)
                for place, seed in enumerate(quick, 1):
                    shade = seed if name == "slow" else quick[seed]
                    self.run_made(f"{name}/violet/{seed}", launch=launch, place=place, round_number=round_number,
                                  shade=shade)  # fmt: skip
        evidence = self.evidence()
        self.evidence_found = evidence
        return "\n".join(compare(evidence, {}).notes)

    def test_a_variant_that_has_lost_its_variety_is_said_to_in_words(self):
        said = self.compared(dict.fromkeys(range(1, 6), 1), quality="spread", kinds={"spread": "spread"})
        self.assertIn("quick's five pictures of one prompt do not differ at all", said)
        said = self.compared({1: 1, 2: 2, 3: 3, 4: 3, 5: 3}, quality="spread", kinds={"spread": "spread"})
        values = self.evidence_found.values.of("spread")
        mine = self.evidence_found.runs.of_variant("slow")
        self.assertGreater(values[mine].min(), 0.9, "noise is unlike other noise")
        self.assertIn("differ 0.7", said, "7 pairs of 10 differ")

    def test_a_task_with_one_seed_has_no_spread_and_that_is_no_fault(self):
        self.compared({1: 1}, quality="spread", kinds={"spread": "spread"})
        self.assertFalse(self.evidence_found.values.has("spread"))
        self.assertEqual(
            [doubt.code for doubt in compare(self.evidence_found, {}).doubts if doubt.code == "no-value"], []
        )

    def test_a_reference_without_variety_makes_no_drift(self):
        self.plan("slow", "quick", cells=[f"{name}/violet/{seed}" for name in ("slow", "quick") for seed in (1, 2)])
        for number in (1, 2, 3):
            for name, shade in (("slow", 1), ("quick", 2)):
                launch = self.logbook.open_launch(name, number)
                for place in (1, 2):
                    self.run_made(
                        f"{name}/violet/{place}", launch=launch, place=place, round_number=number, shade=shade
                    )
        said = "\n".join(compare(self.evidence(), {}).notes)
        self.assertIn("slow has no variety between seeds by likeness", said)

    def test_a_reference_that_does_not_repeat_itself_is_said_to_be_so(self):
        self.plan("slow", cells=[f"slow/violet/{seed}" for seed in (1, 2)])
        for number in (1, 2, 3):
            launch = self.logbook.open_launch("slow", number)
            for seed in (1, 2):
                shade = np.kron(np.full((4, 4), 100 * seed), np.ones((8, 8))) + 3 * number
                rgb = np.repeat(shade[:, :, None], 3, axis=2).astype(np.uint8)
                rgb[::3, :, 0] = 40 * number
                self.run_made(f"slow/violet/{seed}", launch=launch, place=seed, round_number=number, png=as_png(rgb))
        said = "\n".join(compare(self.evidence(), {}).notes)
        self.assertIn("slow does not repeat itself at one seed: by likeness its reruns come to", said)
        self.assertNotIn("no variety", said)


class Resembling(ProjectTest):
    def test_every_two_variants_are_held_against_each_other_once(self):
        self.write(
            "model.py", SCORER.replace("probe.text(job.prompt)", 'probe.text("leaf " * int(10 * settings["level"]))')
        )
        self.write_plan(*(variant(name, level=level, feels=0) for name, level in zip(("slow", "v1", "v2", "v3"), (0.9, 0.3, 0.8, 0.4), strict=True)),
                        task(), task("rose"), '[[measures]]\nname = "alike"\nkind = "edit"\n', GRADE)  # fmt: skip
        self.unvek("run")
        found = self.result("compare", "--matrix", "alike")
        self.assertEqual(len(found["rows"]), 6)
        row = next(row for row in found["rows"] if (row["variant"], row["against"]) == ("v3", "v1"))
        self.assertEqual((row["value"], row["items"]), (1 - 5 / 20, 4))
        order = [one["variant"] for one in found["variants"]]
        self.assertIn(order, (["slow", "v2", "v3", "v1"],))
        self.assertEqual({one["variant"]: one["nearest"] for one in found["variants"]},
                         {"slow": "v2", "v2": "slow", "v1": "v3", "v3": "v1"})  # fmt: skip
        self.assertEqual(self.result("measure")["worked_out"], 0)
        for name in ("m.png", "m.svg"):
            said = self.unvek("compare", "--matrix", "alike", "--plot", name)
            self.assertIn("v1 resembles v3 most (0.75", said.stdout)
            self.assertGreater((self.folder / name).stat().st_size, 3000)
        self.assertIn("holds no output against another", self.unvek("compare", "--matrix", "grade", expect=2).stderr)

    def test_variants_that_resemble_each_other_stand_together(self):
        values = {"a": 0.0, "b": 9.0, "c": 1.0, "d": 8.0, "e": 4.5}
        rows = [
            PairFound(variant=one, against=other, value=abs(values[one] - values[other]), low=None, high=None, items=1)
            for one in values for other in values if one < other
        ]  # fmt: skip
        self.assertEqual(in_order(list(values), rows, more_is_alike=False), ["a", "c", "e", "d", "b"])


def as_png(rgb: np.ndarray) -> bytes:
    import io

    from PIL import Image

    data = io.BytesIO()
    Image.fromarray(rgb).save(data, "PNG")
    return data.getvalue()


if __name__ == "__main__":
    unittest.main()
