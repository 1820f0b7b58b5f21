"""Ballots: balanced, blind, and as they were made; and answers, taken in as far as they can be believed."""

import base64
import io
import json
import re
import sqlite3
import unittest
from collections import Counter
from html.parser import HTMLParser

import numpy as np
from PIL import Image
from scipy.io import wavfile

from tests.judged import TASKS, JudgedLogbook, label, png
from unvek.core.judging.outputs import _as_kind, _as_wav, _kind_for

NAMES = ("secret", "variant", "Software", "tEXt", "iTXt", "zTXt", "eXIf", "tIME")


class Page(HTMLParser):
    """All elements of a page with their attributes, and the texts and comments between them."""

    def __init__(self, text: str):
        super().__init__()
        self.elements: list[tuple[str, dict[str, str | None]]] = []
        self.texts: list[str] = []
        self.comments: list[str] = []
        self.feed(text)

    def handle_starttag(self, tag, attrs):
        self.elements.append((tag, dict(attrs)))

    def handle_data(self, data):
        self.texts.append(data)

    def handle_comment(self, data):
        self.comments.append(data)

    def pictures(self) -> list[bytes]:
        found = (of["src"] for tag, of in self.elements if tag == "img")
        return [base64.b64decode(source.removeprefix("data:image/png;base64,")) for source in found]


class Drawn(JudgedLogbook):
    def test_sides_are_balanced_within_each_two_variants_and_over_judges(self):
        self.make("abc")
        pages = self.ballots("--judges", "2", "--each-other", "--repeat", "25 %", "--same", "10 %")
        self.assertEqual(len(pages), 2)
        self.assertNotEqual(pages[0].id, pages[1].id)
        sides = [Counter(), Counter()]
        for page, counts in zip(pages, sides, strict=True):
            firsts = [one for one in page.questions if one.again is None and one.left != one.right]
            self.assertEqual(len(firsts), 24)
            for one in firsts:
                (left, task), (right, other) = self.runs[one.left.run], self.runs[one.right.run]
                self.assertEqual(task, other)
                counts[left, right] += 1
                counts[frozenset((left, task)), right] += 1
            self.assertEqual(counts["a", "b"], counts["b", "a"])
            again = [one for one in page.questions if one.again is not None]
            self.assertEqual(len(again), 6)
            by_id = {one.id: one for one in page.questions}
            for one in again:
                self.assertEqual((one.left, one.right), (by_id[one.again].right, by_id[one.again].left))
                places = [list(by_id).index(id) for id in (one.id, one.again)]
                self.assertGreater(abs(places[0] - places[1]), 1)
            self.assertEqual(sum(one.left == one.right for one in page.questions), 2)
        of_pairs = [
            {(frozenset((one.left.run, one.right.run)), one.left.run) for one in page.questions if one.again is None and one.left != one.right}
            for page in pages
        ]  # fmt: skip
        self.assertFalse(of_pairs[0] & of_pairs[1], "who stood left on the one page stands right on the other")

    def test_fewer_questions_are_spread_over_variants_and_tasks(self):
        self.make("abcd", tasks=6)
        (page,) = self.ballots("--most", "9", "--repeat", "0 %", "--same", "0 %")
        pairs = Counter(frozenset((self.runs[one.left.run][0], self.runs[one.right.run][0])) for one in page.questions)
        tasks = Counter(self.runs[one.left.run][1] for one in page.questions)
        self.assertEqual(sorted(pairs.values()), [3, 3, 3])
        self.assertEqual(max(tasks.values()), 2)

    def test_pairs_of_one_output_are_not_asked_and_count_as_even(self):
        self.make("abc", alike=("a", "b"))
        (page,) = self.ballots("--repeat", "0 %", "--same", "0 %")
        self.assertEqual((len(page.questions), len(page.alike)), (8, 8))
        self.unvek(
            "judge",
            "collect",
            str(self.answered(page, "Ina", lambda left, *_: "left" if left == "a" else "right", only=4)),
        )
        told = self.result("judge", "tally")
        pairs = {tuple(pair["variants"]): pair for pair in told["pairs"]}
        self.assertEqual(pairs["a", "c"]["wins"], [4, 0])
        self.assertEqual(
            (pairs["a", "b"]["same"], pairs["a", "b"]["wins"]), (4, [0, 0]), "as far as the page is answered"
        )
        self.assertEqual(told["judges"][0]["verdicts"], 4)
        self.assertIn("0 to 0, 0 as good, 4 the same to the last bit", " ".join(told["groups"][0]["sentences"]))

    def test_only_outputs_of_the_same_varied_value_are_held_against_each_other(self):
        self.make("ab", tasks=1)
        self.plan(
            "a",
            "b",
            cells=["a/violet/0", "b/violet/0"],
            quality=None,
            tasks=(self.logbook.newest_plan().plan.tasks[0],),
        )
        of = {}
        for variant, order in (("a", (2, 8)), ("b", (8, 2))):
            for place, steps in enumerate(order):
                pixels = label(steps + 20 * (variant == "b"))
                of[self.run_made(f"{variant}/violet/0", png=png(pixels), varied={"steps": steps}, repeat=2 + place)] = (
                    steps
                )
        (page,) = self.ballots("--repeat", "0 %", "--same", "0 %")
        pairs = [(of.get(one.left.run), of.get(one.right.run)) for one in page.questions]
        self.assertTrue(all(left == right for left, right in pairs), pairs)
        self.assertIn((8, 8), pairs)

    def test_nothing_to_ask_is_said(self):
        self.make("ab", alike=("a", "b"))
        self.assertIn("the same to the last bit", self.unvek("judge", "ballot", "x.html", expect=2).stderr)
        self.assertEqual(self.logbook.ballots(), [])


class Blind(JudgedLogbook):
    def test_nothing_in_a_page_tells_variants_apart_but_the_outputs(self):
        self.make("abc", tasks=6)
        pages = self.ballots("--judges", "3", "--each-other", name="secret-free.html")
        shown = {run: self.pixels_of(run) for run in self.runs}
        kept = sqlite3.connect(self.logbook_path / "runs.sqlite")
        digests = {digest for (digest,) in kept.execute("select digest from outputs")}
        ids = {id for table in ("runs", "launches", "sessions") for (id,) in kept.execute(f"select id from {table}")}
        kept.close()
        for number, ballot in enumerate(pages, 1):
            text = (self.folder / f"secret-free-{number}.html").read_text()
            page = Page(text)
            self.assertEqual(page.comments, [])
            pictures = page.pictures()
            self.assertEqual(len(pictures), 2 * len(ballot.questions))
            for picture, one in zip(
                pictures, (side for q in ballot.questions for side in (q.left, q.right)), strict=True
            ):
                np.testing.assert_array_equal(np.asarray(Image.open(io.BytesIO(picture))), shown[one.run])
                chunks = re.findall(rb"(IHDR|PLTE|[a-z][A-Za-z]{3})(?=.)", picture[:40])
                self.assertEqual([c for c in chunks if c not in (b"IHDR",)], [])
                for name in NAMES:
                    self.assertNotIn(name.encode(), picture)
            # The same picture has the same bytes wherever it stands and whoever made it.
            of_bytes = {}
            for picture, one in zip(
                pictures, (side for q in ballot.questions for side in (q.left, q.right)), strict=True
            ):
                self.assertEqual(of_bytes.setdefault(one.digest, picture), picture)
            rest = re.sub(r"data:image/png;base64,[^\"]*", "", text)
            rest = re.sub(r"<script>.*</script>|<style>.*</style>", "", rest, flags=re.S)
            for secret in (*digests, *ids, "secret", *(f'"{name}"' for name in ("a", "b", "c")), "logbook"):
                self.assertNotIn(secret, rest)
            attributes = {name for _, of in page.elements for name in of}
            self.assertLessEqual(
                {name for name in attributes if name.startswith("data-")},
                {"data-ballot", "data-asks", "data-question", "data-side", "data-answer", "data-thing"},
            )
            told = [of["data-question"] for _, of in page.elements if "data-question" in of]
            self.assertEqual(told, [one.id for one in ballot.questions])
            self.assertTrue(all(re.fullmatch(r"[0-9a-f]{16}", one) for one in told))
            self.assertEqual({of["width"] for tag, of in page.elements if tag == "img"}, {"8"})
        # Ids and orders are drawn: no two pages share any.
        self.assertEqual(
            len({one.id for page in pages for one in page.questions}), sum(len(p.questions) for p in pages)
        )
        orders = [[frozenset((q.left.run, q.right.run)) for q in page.questions] for page in pages]
        self.assertNotEqual(orders[0], orders[1])

    def pixels_of(self, run: int) -> np.ndarray:
        (output,) = self.logbook.outputs(run)
        return np.asarray(Image.open(self.logbook_path / output.path).convert("RGB"))

    def test_where_an_output_stands_says_nothing_of_its_variant(self):
        self.make("ab", tasks=8)
        left = Counter()
        for number in range(12):
            (page,) = self.ballots("--repeat", "0 %", "--same", "0 %", name=f"{number}.html")
            first = page.questions[0]
            left[self.runs[first.left.run][0]] += 1
            of_page = Counter(self.runs[one.left.run][0] for one in page.questions)
            self.assertEqual(of_page["a"], of_page["b"])
        self.assertLess(max(left.values()), 12, "the first question has now this one left, now the other")

    def test_packed_smaller_all_are_treated_alike(self):
        self.make("ab", tasks=2)
        self.ballots("--lossy")
        text = (self.folder / "page.html").read_text()
        self.assertNotIn("image/png", text)
        self.assertGreater(text.count("image/webp"), 4)

    def test_a_policy_allows_nothing_from_outside_and_every_text_is_escaped(self):
        names = TASKS[:2]
        self.plan(
            "a", "b", cells=[f"{v}/{t}/0" for v in "ab" for t in names], quality=None,
            tasks=tuple(self.task_of(t, '<script>alert(1)</script>" onload="x') for t in names),
        )  # fmt: skip
        self.runs = {
            self.run_made(f"{v}/{t}/0", text=f"<img src=x onerror=alert({v!r})>{t}"): (v, t)
            for v in "ab"
            for t in names
        }
        self.ballots()
        text = (self.folder / "page.html").read_text()
        page = Page(text)
        tags = Counter(tag for tag, _ in page.elements)
        self.assertEqual((tags["img"], tags["script"], tags["link"], tags["iframe"]), (0, 1, 0, 0))
        for _, of in page.elements:
            self.assertFalse([name for name in of if name.startswith("on") or name == "style"], of)
        policy = next(of["content"] for _, of in page.elements if of.get("http-equiv") == "Content-Security-Policy")
        for part in (
            "default-src 'none'",
            "base-uri 'none'",
            "form-action 'none'",
            "script-src 'sha256-",
            "style-src 'sha256-",
        ):
            self.assertIn(part, policy)
        self.assertNotIn("unsafe", policy)

    def task_of(self, name: str, prompt: str):
        from tests.written import planned_task

        return planned_task(name, prompt=prompt, seeds=(0,))

    def test_sounds_are_written_anew_with_every_sample_as_it_was(self):
        rng = np.random.default_rng(1)
        whole = {
            np.int16: rng.integers(-32768, 32767, 500).astype(np.int16), np.uint8: rng.integers(0, 255, 500).astype(np.uint8),
            np.float32: rng.uniform(-1, 1, 500).astype(np.float32), np.int32: rng.integers(-(2**31), 2**31 - 1, 500).astype(np.int32),
        }  # fmt: skip
        for samples in whole.values():
            rate, back = wavfile.read(io.BytesIO(_as_wav(8000, _as_kind(samples, _kind_for([(8000, samples)])))))
            self.assertEqual(rate, 8000)
            np.testing.assert_array_equal(back, samples)
        # Of two kinds both become one that holds each exactly.
        both = [(8000, whole[np.int16]), (8000, whole[np.float32])]
        kind = _kind_for(both)
        for _, samples in both:
            back = wavfile.read(io.BytesIO(_as_wav(8000, _as_kind(samples, kind))))[1]
            expected = samples / 32768 if samples.dtype == np.int16 else samples
            np.testing.assert_array_equal(back.astype(np.float64), expected.astype(np.float64))

    def test_an_output_that_was_changed_is_not_shown(self):
        self.make("ab", tasks=2)
        (output,) = self.logbook.outputs(1)
        (self.logbook_path / output.path).write_bytes(png(label(99)))
        done = self.unvek("judge", "ballot", expect=2)
        self.assertRegex(done.stderr, "run 1: its file is not the one any more")
        self.assertFalse((self.folder / "ballot.html").exists())
        self.assertEqual(self.logbook.ballots(), [])


class Collected(JudgedLogbook):
    def setUp(self) -> None:
        super().setUp()
        self.make("ab")
        (self.page,) = self.ballots("--repeat", "0 %", "--same", "0 %")

    def collect(self, path, expect: int = 0) -> str:
        return self.unvek("judge", "collect", str(path), expect=expect).stderr

    def test_half_answered_counts_as_far_as_it_goes_and_the_rest_comes_later(self):
        first = self.answered(self.page, "Ina", lambda *_: "left", only=3)
        self.assertIn("3 verdicts by Ina, 5 not answered", self.collect(first))
        self.assertIn("0 verdicts by Ina, 3 were here already", self.collect(first))
        whole = self.answered(self.page, "Ina", lambda *_: "left")
        self.assertIn("5 verdicts by Ina, 3 were here already", self.collect(whole))
        self.assertEqual(len(self.logbook.verdicts()), 8)
        kept = self.logbook.verdicts()[0]
        self.assertEqual((kept.answer, kept.took_s, kept.flips, kept.ballot), ("left", 2.5, 1, self.page.number))

    def test_what_contradicts_what_was_said_is_refused_until_that_is_taken_out(self):
        self.collect(self.answered(self.page, "Ina", lambda *_: "left"))
        other = self.answered(self.page, "Ina", lambda *_: "right", name="other.json")
        self.assertIn("unvek judge void 1", self.collect(other, expect=2))
        self.assertEqual(len(self.logbook.verdicts()), 8)
        for number in range(1, 9):
            self.unvek("judge", "void", str(number), "--why", "upside down")
        self.assertIn("8 verdicts by Ina", self.collect(other))
        # The file of before does not bring back what was taken out.
        self.assertIn("8 were here already", self.collect(self.folder / "answers-Ina.json"))
        self.assertEqual([one.answer for one in self.logbook.verdicts() if one.voided is None], ["right"] * 8)

    def test_a_page_is_for_one_judge_and_of_one_logbook(self):
        self.collect(self.answered(self.page, "Ina", lambda *_: "left", only=2))
        self.assertIn(
            "answered by Ina already", self.collect(self.answered(self.page, "Odo", lambda *_: "left"), expect=2)
        )
        elsewhere = self.write_answers({"ballot": "0" * 32, "judge": "Ina", "answers": []})
        self.assertIn("not of this logbook", self.collect(elsewhere, expect=2))

    def test_one_refused_file_keeps_no_other_out(self):
        good, bad = self.answered(self.page, "Ina", lambda *_: "left"), self.write("bad.json", "{")
        done = self.unvek("judge", "collect", str(bad), str(good), expect=2)
        self.assertIn("refused: bad.json", done.stderr)
        self.assertEqual(len(self.logbook.verdicts()), 8)

    def test_what_no_page_gives_is_refused_with_the_reason(self):
        question, head = self.page.questions[0].id, {"ballot": self.page.id, "judge": "Ina"}
        for answers, said in (
            ([{"question": "nothing", "answer": "left"}], "does not ask"),
            ([{"question": question, "answer": "left"}] * 2, "twice"),
            ([{"question": question, "answer": "LEFT"}], "wanted one of left"),
            ([{"question": question, "answer": 50}], "wanted one of left"),
            ([{"question": question, "answer": {"x": "there"}}], "wanted one of left"),
            ([{"question": question, "answer": "left", "more": 1}], "no answers of a ballot"),
            ([{"question": question, "answer": "left", "took_s": -1}], "no answers of a ballot"),
            ([{"question": question, "answer": "left", "took_s": 1e300}], "no answers of a ballot"),
            ([{"question": question, "answer": "left", "flips": 10**30}], "no answers of a ballot"),
            ([{"question": question, "answer": "left", "why": "x" * 5000}], "no answers of a ballot"),
            ([{"question": question, "answer": None}], "no answers of a ballot"),
        ):
            with self.subTest(answers=str(answers)[:80]):
                self.assertIn(said, self.collect(self.write_answers({**head, "answers": answers}), expect=2))
        for text in (
            "[]",
            "null",
            "[" * 100_000,
            '{"unvek": 1}',
            "\ufeff{}",
            '{"unvek": 2, "kind": "answers"}',
            "9" * 5000,
        ):
            self.assertIn("no answers of a ballot", self.collect(self.write("a.json", text), expect=2))
        self.assertIn(
            "nobody's name", self.collect(self.write_answers({**head, "judge": " ", "answers": []}), expect=2)
        )
        self.assertEqual(self.logbook.verdicts(), [])

    def test_what_is_written_as_a_reason_is_text_and_shown_as_such(self):
        hostile = "<script>alert(1)</script>\x1b[2J\u202e =cmd|' /C calc'!A0"
        path = self.write_answers({
            "ballot": self.page.id, "judge": "Ina\x1b[31m", "answers": [{"question": self.page.questions[0].id, "answer": "left", "why": hostile}],
        })  # fmt: skip
        self.collect(path)
        self.assertEqual(self.logbook.verdicts()[0].why, hostile)
        for how in ("table", "csv", "markdown"):
            shown = self.unvek("judge", "log", "--as", how).stdout
            self.assertFalse(set("\x1b\u202e") & set(shown), how)
        self.assertEqual(self.result("judge", "log")["rows"][0]["why"], hostile)

    def test_notes_and_voids_are_kept_and_shown(self):
        self.collect(self.answered(self.page, "Ina", lambda *_: "left"))
        self.unvek("judge", "note", "2", "on a phone")
        self.unvek("judge", "void", "1", "--why", "wrong key")
        rows = self.result("judge", "log")["rows"]
        self.assertEqual((rows[0]["voided"], rows[1]["notes"]), ("wrong key", ["on a phone"]))
        self.assertEqual(self.result("judge", "tally")["voided"], 1)
        self.unvek("judge", "void", "1", "--undo")
        self.assertEqual(self.result("judge", "tally")["voided"], 0)
        self.assertIn("the verdicts here are 1 to 8", self.unvek("judge", "note", "9", "x", expect=2).stderr)


class Exchanged(JudgedLogbook):
    def setUp(self) -> None:
        super().setUp()
        self.make("ab", alike=())
        (page,) = self.ballots()
        (points,) = self.ballots("--ask", "points", "--items", "2")
        self.unvek(
            "judge", "collect", str(self.answered(page, "Ina", lambda left, *_: "left" if left == "a" else "right"))
        )
        self.unvek(
            "judge", "collect", str(self.answered(points, "=Odo", lambda _, __, task: {"one leaf": "partly"}, "o.json"))
        )
        self.unvek("judge", "void", "2", "--why", "=wrong key")
        self.unvek("judge", "note", "3", "on a phone")

    def test_what_comes_back_is_what_went_out(self):
        before = self.result("judge", "log")["rows"]
        tally = self.result("judge", "tally")
        for file in ("verdicts.csv", "verdicts.jsonl"):
            self.unvek("judge", "export", file)
            with sqlite3.connect(self.logbook_path / "runs.sqlite") as database:
                for table in ("verdict_notes", "verdicts", "judges"):
                    database.execute(f"delete from {table}")
            database.close()
            self.assertIn(f"{len(before)} verdicts new", self.unvek("judge", "import", file).stderr)
            self.assertEqual(self.result("judge", "log")["rows"], before)
            self.assertEqual(self.result("judge", "tally"), tally)
            self.assertIn(
                f"0 verdicts new, {len(before)} were here already", self.unvek("judge", "import", file).stderr
            )

    def test_what_cannot_be_used_is_named_by_its_line_and_nothing_comes_in(self):
        self.unvek("judge", "export", "v.jsonl")
        good = [json.loads(line) for line in (self.folder / "v.jsonl").read_text().splitlines()]
        count = len(self.logbook.verdicts())
        new = {**good[0], "id": "01a21928-bb76-751d-8fe5-f7f6615679db"}
        for change, said in (
            ({"left_run": "01a21928-bb76-751d-8fe5-f7f6615679dc"}, "is not in this logbook"), ({"answer": "both"}, "line 2"),
            ({"sort": "ghost"}, "a judge is one of"), ({"right_run": None}, "two outputs"), ({"took_s": -1}, "line 2"), ({"why": "x" * 9000}, "line 2"),
            ({"id": "1"}, "no id"), ({"more": 1}, "verdicts have no more"), ({"id": new["id"][:-1] + "c"}, "twice"), ({"flips": 10**30}, "line 2"),
        ):  # fmt: skip
            with self.subTest(change=str(change)[:60]):
                lines = [{**good[0], "id": new["id"][:-1] + "c", "judge": "nobody"}, {**new, **change}]
                self.write("bad.jsonl", "\n".join(json.dumps(line) for line in lines))
                self.assertIn(said, self.unvek("judge", "import", "bad.jsonl", expect=2).stderr)
                self.assertEqual(len(self.logbook.verdicts()), count)
                self.assertEqual(len(self.logbook.judges()), 2)


class PointsAndMarks(JudgedLogbook):
    def test_things_and_marks_are_collected_and_told(self):
        self.make("ab", tasks=6)
        (points,) = self.ballots("--ask", "points", "--repeat", "0 %")
        self.assertEqual(len(points.questions), 12)
        words = {"a": "there", "b": "missing"}
        self.unvek(
            "judge",
            "collect",
            str(self.answered(points, "Ina", lambda v, _, t: {f"{t} petals": words[v], "one leaf": "there"})),
        )
        (marks,) = self.ballots("--ask", "marks", "--repeat", "0 %", name="m.html")
        self.unvek("judge", "collect", str(self.answered(marks, "Ina", lambda v, *_: {"a": 80, "b": 40}[v])))
        told = self.result("judge", "tally")
        shares = {row["variant"]: row["share"] for row in told["groups"][0]["expect_by_variant"]}
        self.assertEqual(shares, {"a": 1.0, "b": 0.5})
        missed = [row for row in told["expect"] if row["variant"] == "b" and row["thing"] == "violet petals"]
        self.assertEqual((missed[0]["missing"], missed[0]["share"]), (1, 0.0))
        self.assertEqual({row["variant"]: row["mark"] for row in told["marks"]}, {"a": 80.0, "b": 40.0})
        self.assertGreater(
            told["marks"][0]["high"] - told["marks"][0]["low"], 10, "six equal marks are not sure either"
        )
        wrong = self.answered(points, "Ina", lambda *_: {"a leaf": "there"}, name="wrong.json")
        self.assertIn("of each thing one of there", self.unvek("judge", "collect", str(wrong), expect=2).stderr)
        self.assertNotIn("gone wrong", json.dumps(told))


if __name__ == "__main__":
    unittest.main()
