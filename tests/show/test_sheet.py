"""Outputs side by side: each in its place and as it is, what differs found where it is, and long sheets in pages."""

import unittest
import wave
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image

from tests.support import ProjectTest
from unvek.core.errors import InputError
from unvek.core.findings.output_sheet.found import PICTURE, SOUND, TEXT, OutputCell, OutputItem, OutputRow, OutputSheet
from unvek.show.palette import CLAY, SKY
from unvek.show.picture.sheet import MOST_PAGES, draw_sheet
from unvek.show.picture.tiles.look import Look, Region
from unvek.show.picture.tiles.pictures import as_colours, needed_scale, where_words, worst_place
from unvek.show.picture.tiles.strips import chosen
from unvek.show.picture.tiles.texts import OURS, SAME, THEIRS, words_against

RED, GREEN = (255, 0, 0), (0, 255, 0)


def rgb(colour: str) -> tuple[int, ...]:
    return tuple(int(colour[at : at + 2], 16) for at in (1, 3, 5))


class DrawnSheet(ProjectTest):
    def picture(self, name: str, size: tuple[int, int] = (30, 20), colour: tuple[int, ...] = RED) -> Path:
        path = self.folder / name
        Image.new("RGB", size, colour).save(path)
        return path

    def of(self, *files: Path | None, **also) -> tuple[OutputCell, ...]:
        return tuple(
            OutputCell(
                sort=PICTURE if file else None, files=(file,) if file else (), steps=4, time_s=0.02, likeness=0.9,
                status="finished" if file else "failed", **also,
            )
            for file in files
        )  # fmt: skip

    def sheet(self, **rows: tuple[OutputCell, ...]) -> OutputSheet:
        count = len(next(iter(rows.values())))
        items = tuple(OutputItem(task="violet", seed=n, prompt="a long prompt " * 30) for n in range(count))
        return OutputSheet(title="t", reference="full", quality="likeness", items=items,
                           rows=tuple(OutputRow(variant=name, form="tuned", cells=of) for name, of in rows.items()))  # fmt: skip

    def drawn(self, sheet: OutputSheet, **look) -> np.ndarray:
        (file,) = draw_sheet(sheet, self.folder / "out.png", Look(**look)).files
        with Image.open(file) as drawn:
            return np.asarray(drawn.convert("RGB")).astype(int)

    def count(self, page: np.ndarray, colour: tuple[int, ...]) -> int:
        return int(np.all(page == colour, axis=2).sum())

    def test_failed_and_unreadable_outputs_keep_their_place(self):
        good, bad = self.picture("good.png"), self.write("bad.png", "no picture")
        page = self.drawn(self.sheet(full=self.of(good, bad, None)))
        self.assertEqual(self.count(page, RED), 30 * 20 * 5 * 5)
        self.assertEqual(self.count(self.drawn(self.sheet(full=self.of(good)), zoom=2), RED), 30 * 20 * 4)

    def test_no_output_stands_on_another_or_on_what_is_written_below_it(self):
        good = self.of(self.picture("good.png"), self.picture("good.png"))
        page = self.drawn(self.sheet(full=good, a=good, b=good), zoom=2)
        reds = np.all(page == RED, axis=2)
        self.assertEqual(reds.sum(), 6 * 60 * 40)
        rows = np.flatnonzero(reds.any(axis=1))
        self.assertEqual(len(np.diff(rows)[np.diff(rows) > 1]), 2)
        self.assertGreater(np.diff(rows).max(), 40, "there is room for what is said")

    def test_a_region_is_the_same_part_of_each_enlarged_alike(self):
        path = self.picture("a.png", (40, 40))
        with Image.open(path) as opened:
            opened.paste(GREEN, (10, 20, 20, 30))
            opened.save(path)
        page = self.drawn(self.sheet(full=self.of(path, path)), region=Region.parsed("10,20,10,10"))
        self.assertEqual((self.count(page, RED), self.count(page, GREEN)), (0, 2 * 140 * 140))
        small = self.picture("small.png", (12, 12))
        page = self.drawn(self.sheet(full=self.of(path, small)), region=Region.parsed("10,20,10,10"))
        self.assertEqual(self.count(page, GREEN), 140 * 140)
        with self.assertRaisesRegex(InputError, "lies outside: the picture has 12 x 12"):
            self.drawn(self.sheet(full=self.of(small)), region=Region.parsed("10,20,10,10"))
        for text in ("1,2,3", "1,2,3,x", "-1,2,3,4", "1,2,0,4", "", "1,2,3,9999999"):
            with self.assertRaises(InputError):
                Region.parsed(text)

    def test_a_difference_is_signed_and_one_scale_serves_all(self):
        grey, bright, dark = (self.picture(f"{n}.png", (20, 20), (n, n, n)) for n in (100, 140, 90))
        page = self.drawn(self.sheet(full=self.of(grey), a=self.of(bright), b=self.of(dark)), difference=True)
        self.assertEqual(self.count(page, (100, 100, 100)), 140 * 140, "the reference is shown as it is")
        expected = as_colours(np.array([[40 / 255, -10 / 255]]), 0.2)
        for x in (0, 1):
            self.assertGreaterEqual(self.count(page, expected.getpixel((x, 0))), 140 * 140)
        ends = as_colours(np.array([[1.0, -1.0, 0.0]]), 0.5)
        self.assertEqual([ends.getpixel((x, 0)) for x in range(3)], [rgb(CLAY), rgb(SKY), (255, 255, 255)])
        self.assertEqual([needed_scale(np.full((4, 4), value)) for value in (0.0, 0.03, 0.7)], [0.01, 0.05, 1.0])

    def test_a_difference_of_two_sizes_is_said(self):
        page = draw_sheet(self.sheet(full=self.of(self.picture("a.png")), a=self.of(self.picture("b.png", (9, 9)))),
                          self.folder / "o.png", Look(difference=True))  # fmt: skip
        self.assertEqual(len(page.files), 1)

    def test_where_pictures_differ_most_is_found(self):
        difference = np.zeros((40, 60))
        difference[30:36, 44:52] = -0.5
        box = worst_place(difference)
        left, top, right, bottom = box
        self.assertTrue(left <= 44 and top <= 30 and right >= 52 and bottom >= 36, box)
        self.assertEqual(where_words(box, 60, 40), "lower right")
        self.assertIsNone(worst_place(np.full((40, 60), 0.001)))
        self.assertIsNone(worst_place(np.ones((3, 3))))
        grey = self.picture("grey.png", (40, 40), (100, 100, 100))
        spot = self.picture("spot.png", (40, 40), (100, 100, 100))
        with Image.open(spot) as opened:
            opened.paste(GREEN, (2, 2, 8, 8))
            opened.save(spot)
        page = self.drawn(self.sheet(full=self.of(grey), a=self.of(spot)), marks_worst=True)
        self.assertGreater(self.count(page, rgb(CLAY)), 4 * 30)

    def test_frames_are_a_strip_whose_bad_ones_are_framed(self):
        frames = [np.full((10, 10, 3), 10 * n, np.uint8) for n in range(12)]
        frames[4] = np.full((10, 10, 3), 255, np.uint8)
        for place, frame in enumerate(frames):
            Image.fromarray(frame).save(self.folder / f"{place:02d}.png")
        files = tuple(sorted(self.folder.glob("*.png")))
        cell = OutputCell(sort=PICTURE, files=files, status="finished")
        page = self.drawn(self.sheet(full=(cell,)))
        self.assertGreater(self.count(page, rgb(CLAY)), 100)
        self.assertEqual(self.count(page, (110, 110, 110)), 48 * 48)
        good = replace(cell, files=tuple(file for file in files if file.stem != "04"))
        self.assertEqual(self.count(self.drawn(self.sheet(full=(good,))), rgb(CLAY)), 0)
        self.assertEqual(chosen(5, set()), [0, 1, 2, 3, 4])
        many = chosen(200, {7, 90})
        self.assertTrue(len(many) <= 16 and {0, 7, 90, 199} <= set(many), many)

    def test_sounds_are_waves_red_where_they_clip(self):
        def cell(loudness: float, peak: int = 0) -> OutputCell:
            path = self.folder / f"{loudness}-{peak}.wav"
            sound = np.clip(loudness * np.sin(np.arange(8000) / 9), -1, 1)
            sound[:peak] = 1.0
            with wave.open(str(path), "wb") as file:
                file.setnchannels(1)
                file.setsampwidth(2)
                file.setframerate(8000)
                file.writeframes(np.round(32767 * sound).astype("<i2").tobytes())
            return OutputCell(sort=SOUND, files=(path,), status="finished")

        soft = self.drawn(self.sheet(full=(cell(0.5),)))
        self.assertEqual(self.count(soft, rgb(CLAY)), 0)
        self.assertGreater(self.count(soft, rgb(SKY)), 240 * 30)
        self.assertEqual(self.count(self.drawn(self.sheet(full=(cell(0.5, peak=1),))), rgb(CLAY)), 0, "a peak, no more")
        self.assertGreater(self.count(self.drawn(self.sheet(full=(cell(0.5, peak=3),))), rgb(CLAY)), 0)
        self.assertGreater(self.count(self.drawn(self.sheet(full=(cell(2.0),))), rgb(CLAY)), 240 * 60)
        odd = self.write("odd.wav", "RIFF")
        self.drawn(self.sheet(full=(OutputCell(sort=SOUND, files=(odd,), status="finished"),)))

    def test_texts_are_held_against_the_references_word_by_word(self):
        self.assertEqual(
            words_against("pot it in clay now", "pot it in loam"),
            [(SAME, "pot"), (SAME, "it"), (SAME, "in"), (THEIRS, "loam"), (OURS, "clay"), (OURS, "now")],
        )
        self.assertEqual(words_against("a\nb", "a\nb"), [(SAME, "a"), (SAME, "\n"), (SAME, "b")])
        ours = OutputCell(sort=TEXT, text="pot it in clay", status="finished")
        theirs = replace(ours, text="pot it in loam")
        page = self.drawn(self.sheet(full=(theirs,), a=(ours,)))
        self.assertGreater(self.count(page, rgb(CLAY)), 20)
        self.assertEqual(self.count(self.drawn(self.sheet(full=(theirs,), a=(theirs,))), rgb(CLAY)), 0)

    def test_texts_are_drawn_in_their_place_whatever_they_hold(self):
        texts = ("short", "\x1b[31mred " * 3000, "x" * 30_000, "\n" * 500, "\u202e\ufffd\U0001f33f")
        cells = tuple(OutputCell(sort=TEXT, text=t, time_s=0.02, status="finished") for t in texts)
        for page in (self.drawn(self.sheet(full=cells)), self.drawn(self.sheet(full=cells, a=cells[::-1]))):
            self.assertLess(page.shape[1], 1400)
        self.assertGreater(self.count(page, (0xFF, 0xFD, 0xF8)), 5 * 190 * 190 / 2)

    def test_a_long_sheet_is_cut_into_pages_each_with_the_reference(self):
        good = self.picture("good.png", (140, 140))
        files = draw_sheet(
            self.sheet(full=self.of(*[good] * 40), a=self.of(*[good] * 40)), self.folder / "out.png"
        ).files
        self.assertEqual([file.name for file in files], [f"out-{n}.png" for n in range(1, len(files) + 1)])
        self.assertGreater(len(files), 2)
        reds = 0
        for file in files:
            with Image.open(file) as drawn:
                self.assertLessEqual(drawn.width, 2000)
                reds += self.count(np.asarray(drawn.convert("RGB")).astype(int), RED)
        self.assertEqual(reds, 2 * 40 * 140 * 140)
        rows = {f"v{n}": self.of(good) for n in range(40)}
        files = draw_sheet(self.sheet(full=self.of(good), **rows), self.folder / "tall.png").files
        self.assertEqual(len(files), 2)
        self.assertLessEqual(
            len(draw_sheet(self.sheet(full=self.of(*[good] * 500)), self.folder / "m.png")), MOST_PAGES
        )

    def test_what_is_expected_stands_beneath_judged_or_not(self):
        cell = self.of(self.picture("a.png"))[0]
        sheet = self.sheet(full=(replace(cell, points=(None, None)),), a=(replace(cell, points=(1.0, 0.5)),))
        expecting = replace(sheet, items=(replace(sheet.items[0], expect=("a leaf", "a stem")),))
        self.assertGreater(self.drawn(expecting).shape[0], self.drawn(sheet).shape[0])

    def test_a_sheet_that_has_no_place_is_refused(self):
        with self.assertRaisesRegex(InputError, "can't be written"):
            draw_sheet(self.sheet(full=self.of(self.picture("a.png"))), self.folder / "no" / "such" / "out.png")


PAINTER = """
def load(variant):
    return variant.settings

def run(settings, job, probe):
    for step in range(1, 9):
        probe.step(of=8)
        far = max(0, settings["late"] - step)
        rows = bytes((x * 7 + y * (3 + job.seed) + (far * 31 * x * y) % (1 + 25 * far)) % 256 for y in range(16) for x in range(48))
        if probe.preview_due:
            probe.preview(16, 16, rows)
    probe.output(b"P6 16 16 255\\n" + rows, "label.ppm")
"""


class LaidOut(ProjectTest):
    def made(self, plan: str = "") -> None:
        self.write("model.py", PAINTER)
        variants = "".join(
            f'[[variants]]\nname = "{name}"\nsettings = {{ late = {late} }}\n'
            for name, late in (("slow", 0), ("quick", 9), ("late", 6))
        )
        path = self.write_plan(variants, '[[tasks]]\nname = "violet"\nprompt = "p"\nseeds = [1, 2, 3]\n'
                               'expect = ["a leaf"]\n[[tasks]]\nname = "rose"\nprompt = "q"\nseeds = [5]\n', quality=True)  # fmt: skip
        path.write_text(plan + path.read_text())
        self.unvek("run")

    def size(self, name: str = "sheet.png") -> tuple[int, int]:
        with Image.open(self.folder / name) as drawn:
            return drawn.size

    def test_seeds_and_the_worst_are_what_is_asked_for(self):
        self.made()
        self.unvek("sheet")
        whole = self.size()
        self.unvek("sheet", "--seeds")
        self.assertLess(self.size()[0], whole[0])
        said = self.unvek("sheet", "--worst", "1", "--difference")
        self.assertIn("the 1 that drift most by likeness: ", said.stderr)
        likeness = {
            (row["task"], row["seed"]): self.result("show", str(row["run"]))["measures"]["likeness"]
            for row in self.log() if row["variant"] == "quick"
        }  # fmt: skip
        task, seed = min(likeness, key=likeness.__getitem__)
        self.assertIn(f": {task} seed {seed}", said.stderr)
        self.assertIn(
            "no task here has several seeds", self.unvek("sheet", "--seeds", "--tasks", "rose", expect=2).stderr
        )
        self.assertIn("can't be read", self.unvek("sheet", "--region", "here", expect=2).stderr)
        self.assertIn("not yet judged", self.unvek("show", "1").stdout)
        self.assertEqual(self.result("show", "1")["expected"], [{"thing": "a leaf", "said": None}])

    def test_previews_that_are_kept_tell_how_early_a_picture_is_what_it_will_be(self):
        self.made('previews = "all"\n')
        found = {
            row["variant"]: row["formed"] for row in self.result("curve", "position", "--measure", "likeness")["rows"]
        }
        self.assertEqual((found["slow"]["steps"], found["slow"]["of"]), (1, 8))
        self.assertEqual(found["late"]["steps"], 6)
        self.assertEqual(found["quick"]["steps"], 8)
        said = self.unvek("curve", "position", "--measure", "likeness").stdout
        self.assertIn("late: After 6 of 8 steps it is within 0.05 of the end.", said)
        rows = self.result("compare")["rows"]
        self.assertIsNone(rows[0]["measures"]["time.total"]["typical"])
        self.assertIn("they count for no time", self.unvek("compare").stdout)
        self.assertEqual(len(self.result("show", "1")["outputs"]), 9)
        self.unvek("sheet")
        plan = self.folder / "plan.toml"
        plan.write_text(plan.read_text().replace('previews = "all"\n', ""))
        self.unvek("run")
        self.assertIsNotNone(self.result("compare")["rows"][0]["measures"]["time.total"]["typical"])
        self.assertIn(
            "has kept its previews", self.unvek("curve", "position", "--measure", "likeness", expect=2).stderr
        )


if __name__ == "__main__":
    unittest.main()
