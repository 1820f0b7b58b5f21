"""A ballot in a real browser: answered by keys and by presses, closed and opened again, wide and narrow, dark and light."""

import json
import time
import unittest
import wave

import numpy as np

from tests.browser import NARROW, WIDE, BrowserTest
from tests.judged import JudgedLogbook
from tests.written import planned_task


class BallotPage(BrowserTest, JudgedLogbook):
    def setUp(self) -> None:
        super().setUp()
        from selenium.webdriver.common.action_chains import ActionChains
        from selenium.webdriver.common.keys import Keys

        self.Keys, self.chains = Keys, ActionChains

    def page_of(self, *options: str, name: str = "page.html"):
        (ballot,) = self.ballots(*options, name=name)
        return ballot, self.folder / name

    def press(self, driver, keys: str) -> None:
        self.chains(driver).send_keys(keys).perform()

    def begin(self, driver, name: str = "Ina") -> None:
        driver.find_element("id", "name").send_keys(name + self.Keys.ENTER)

    def where(self, driver) -> str:
        return driver.find_element("id", "at").text

    def answers_saved(self, name: str) -> dict:
        path, until_s = self.saved / name, time.monotonic() + 20
        while not (path.exists() and path.stat().st_size) and time.monotonic() < until_s:
            time.sleep(0.05)  # a browser makes the file before it has anything to put in
        return json.loads(path.read_text())

    def shown(self, driver) -> list[str]:
        return [
            one.get_dom_attribute("data-side")
            for one in driver.find_elements("css selector", ".question.shown .output")
            if one.is_displayed()
        ]

    def test_a_page_is_answered_by_keys_closed_and_gone_on_with_and_saved(self):
        self.make("ab")
        ballot, page = self.page_of("--repeat", "0 %", "--same", "0 %")
        driver = self.open(page)
        self.begin(driver)
        self.assertEqual(self.where(driver), "1 of 8")
        self.assertEqual(self.shown(driver), ["left", "right"])
        self.press(driver, "x")
        self.assertEqual(self.shown(driver), ["left"])
        self.press(driver, "x")
        self.assertEqual(self.shown(driver), ["right"])
        self.press(driver, "v")
        self.assertEqual(self.shown(driver), ["left", "right"])
        self.press(driver, "z")
        images = driver.find_elements("css selector", ".question.shown img")
        self.assertEqual({image.value_of_css_property("transform") for image in images}, {"matrix(4, 0, 0, 4, 0, 0)"})
        self.chains(driver).move_to_element_with_offset(images[0], 60, 40).perform()
        origins = {image.value_of_css_property("transform-origin") for image in images}
        self.assertEqual(len(origins), 1, "both move together")
        self.press(driver, "r")
        self.press(driver, "the left petal 1 is torn" + self.Keys.ENTER)
        self.assertEqual(self.where(driver), "1 of 8", "what is written as a reason answers nothing")
        for key, place in (("1", "2 of 8"), ("2", "3 of 8"), ("b", "2 of 8"), ("0", "3 of 8"), ("3", "4 of 8")):
            self.press(driver, key)
            self.assertEqual(self.where(driver), place)
        self.assert_quiet(driver, page)
        driver.quit()

        again = self.open(page, dark=True)
        self.assertEqual(self.where(again), "4 of 8", "it remembers where it was")
        self.assertEqual(again.find_element("id", "left").text, "5 left")
        for place, choice in enumerate(("left", "right", "even", "neither", "left"), 5):
            again.find_element("css selector", f"#choices [data-answer={choice}]").click()
            if place < 9:
                self.assertEqual(self.where(again), f"{place} of 8")
        self.assertEqual(again.find_element("id", "end-words").text, "That was the last one")
        again.find_element("id", "save").click()
        saved = self.answers_saved("answers-ina.json")
        self.assertEqual(json.loads(again.find_element("id", "text").get_property("value")), saved)
        self.assertEqual([one["answer"] for one in saved["answers"]],
                         ["left", "neither", "even", "left", "right", "even", "neither", "left"])  # fmt: skip
        self.assertEqual([one["question"] for one in saved["answers"]], [one.id for one in ballot.questions])
        self.assertEqual((saved["answers"][0]["why"], saved["answers"][0]["flips"]), ("the left petal 1 is torn", 2))
        self.assertGreater(saved["answers"][0]["took_s"], 0)
        self.assert_quiet(again, page)
        self.assertIn("8 verdicts by Ina", self.unvek("judge", "collect", str(self.saved / "answers-ina.json")).stderr)

    def test_it_is_whole_on_a_phone_and_two_hundred_questions_are_answered(self):
        self.make("abcdefgh", tasks=8)
        ballot, page = self.page_of("--each-other", "--most", "180", "--repeat", "10 %", "--same", "2 %")
        self.assertGreater(len(ballot.questions), 195)
        driver = self.open(page, NARROW)
        driver.find_element("id", "begin").click()
        width = driver.execute_script("return document.documentElement.scrollWidth")
        self.assertLessEqual(width, NARROW[0], "nothing hangs over the side")
        for one in driver.find_elements("css selector", ".question.shown .view, #choices button"):
            box = one.rect
            self.assertGreaterEqual(box["x"], 0)
            self.assertLessEqual(box["x"] + box["width"], NARROW[0])
            self.assertLessEqual(box["y"] + box["height"], NARROW[1], "all is seen without scrolling")
        self.assertGreater(driver.find_element("css selector", ".question.shown .view").size["height"], 200)
        for _ in ballot.questions:
            driver.find_element("css selector", "#choices [data-answer=even]").click()
        driver.find_element("id", "save").click()
        self.assertIn("Your name", driver.find_element("id", "saved").text)
        driver.find_element("id", "end-name").send_keys("Mara K.")
        driver.find_element("id", "save").click()
        self.assertEqual(len(self.answers_saved("answers-mara-k.json")["answers"]), len(ballot.questions))
        self.assert_quiet(driver, page)

    def test_where_storage_is_refused_it_goes_on(self):
        self.make("ab", tasks=2)
        _, page = self.page_of("--repeat", "0 %", "--same", "0 %")
        driver = self.open(page)
        driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {
            "source": "Object.defineProperty(window, 'localStorage', {get() { throw new Error('refused'); }});"
        })  # fmt: skip
        driver.refresh()
        self.begin(driver)
        self.press(driver, "12")
        self.assertEqual(driver.find_element("id", "end-words").text, "That was the last one")

    def test_without_scripts_it_is_a_list_with_a_form_to_print(self):
        self.make("ab", tasks=3)
        ballot, page = self.page_of()
        for size in (WIDE, NARROW):
            driver = self.open(page, size, scripts=False)
            questions = driver.find_elements("css selector", ".question")
            self.assertEqual([one.is_displayed() for one in questions], [True] * len(ballot.questions))
            self.assertIn("a violet label", driver.find_element("tag name", "main").text)
            for words in ("left", "right", "as good", "neither"):
                self.assertIn(words, questions[0].text)
            self.assertEqual([one for one in driver.find_elements("tag name", "button") if one.is_displayed()], [])
            driver.quit()

    def test_things_are_ticked_off_and_marks_given(self):
        self.make("ab", tasks=1)
        points, page = self.page_of("--ask", "points", "--repeat", "0 %")
        driver = self.open(page)
        self.begin(driver)
        self.press(driver, "13")
        self.assertEqual(self.where(driver), "2 of 2")
        driver.find_element("css selector", ".question.shown [data-thing='one leaf'] [data-answer=unsure]").click()
        self.press(driver, self.Keys.ENTER)
        self.assertIn("1 of 2 have no answer yet", driver.find_element("id", "end-left").text)
        driver.find_element("id", "save").click()
        answers = self.answers_saved("answers-ina.json")["answers"]
        self.assertEqual([one["answer"] for one in answers],
                         [{"violet petals": "there", "one leaf": "missing"}, {"one leaf": "unsure"}])  # fmt: skip
        self.unvek("judge", "collect", str(self.saved / "answers-ina.json"))
        marks, page = self.page_of("--ask", "marks", "--repeat", "0 %", name="marks.html")
        driver.get(page.as_uri())
        self.begin(driver, "Odo")
        mark = driver.find_element("id", "mark")
        mark.send_keys("70" + self.Keys.ENTER)
        driver.execute_script(
            "const s = document.getElementById('slider'); s.value = 30; s.dispatchEvent(new Event('input'));"
        )
        driver.find_element("id", "next").click()
        driver.find_element("id", "save").click()
        self.assertEqual([one["answer"] for one in self.answers_saved("answers-odo.json")["answers"]], [70, 30])
        self.assert_quiet(driver, page)
        self.assertEqual(len(self.logbook.verdicts()), len(points.questions))
        self.assertEqual(len(marks.questions), 2)

    def test_words_that_differ_are_marked_on_wish_and_stay_text(self):
        self.plan(
            "a", "b", cells=["a/violet/0", "b/violet/0"], quality=None, tasks=(planned_task("violet", seeds=(0,)),)
        )
        self.runs = {
            self.run_made("a/violet/0", text="Stand it in <b>half</b> shade & water it."): ("a", "violet"),
            self.run_made("b/violet/0", text="Stand it in full shade & water it."): ("b", "violet"),
        }
        _, page = self.page_of("--same", "0 %", "--repeat", "0 %")
        driver = self.open(page)
        self.begin(driver)
        before = {one.text for one in driver.find_elements("css selector", ".question.shown .words")}
        self.assertEqual(before, {"Stand it in <b>half</b> shade & water it.", "Stand it in full shade & water it."})
        self.press(driver, "d")
        marked = {one.text for one in driver.find_elements("css selector", ".question.shown mark")}
        self.assertEqual(marked, {"<b>half</b>", "full"})
        self.press(driver, "d")
        self.assertEqual(driver.find_elements("css selector", ".question.shown mark"), [])
        self.assertEqual({one.text for one in driver.find_elements("css selector", ".question.shown .words")}, before)
        self.assert_quiet(driver, page)

    def test_sounds_play_and_frames_move_together(self):
        self.plan("a", "b", cells=[f"{v}/{t}/0" for v in "ab" for t in ("violet", "rose")], quality=None,
                  tasks=(planned_task("violet", seeds=(0,)), planned_task("rose", seeds=(0,))))  # fmt: skip
        self.runs = {}
        for place, variant in enumerate("ab"):
            self.runs[self.run_with(f"{variant}/violet/0", place, self.sound)] = (variant, "violet")
            self.runs[self.run_with(f"{variant}/rose/0", place, self.frames)] = (variant, "rose")
        ballot, page = self.page_of("--same", "0 %", "--repeat", "0 %")
        driver = self.open(page)
        self.begin(driver)
        for question in ballot.questions:
            if self.runs[question.left.run][1] == "violet":
                self.wait_for(
                    driver, "return [...document.querySelectorAll('.shown audio')].every(a => a.duration > 0.2)"
                )
                driver.find_element("id", "hear-left").click()
                self.wait_for(driver, "return !document.querySelector('.shown [data-side=left] audio').paused")
                self.press(driver, "f")
                self.wait_for(driver, "return document.querySelector('.shown [data-side=left] audio').paused")
            else:
                self.assertEqual(driver.find_element("id", "frame").text, "1 of 3")
                driver.execute_script(
                    "const s = document.getElementById('scrub'); s.value = 2; s.dispatchEvent(new Event('input'));"
                )
                self.assertEqual(driver.find_element("id", "frame").text, "3 of 3")
                now = driver.find_elements("css selector", ".question.shown img.now")
                self.assertEqual([image.get_dom_attribute("alt") for image in now], ["left, frame 3", "right, frame 3"])
            self.press(driver, "3")
        self.assert_quiet(driver, page)

    def wait_for(self, driver, script: str) -> None:
        until_s = time.monotonic() + 20
        while not driver.execute_script(script):
            self.assertLess(time.monotonic(), until_s, script)
            time.sleep(0.05)

    def run_with(self, name: str, place: int, make) -> int:
        from tests.written import run_start
        from unvek.core.run.events.record import Progress, Provenance, RunRecord

        launch = self.logbook.open_launch(name[0], 1)
        made = self.logbook.make_folder(launch, 1)
        make(made.path, place)
        record = RunRecord(
            start=run_start(name, launch=launch), progress=Progress(time_s=1.0), limits={}, status="finished", error=None,
            exit_code=None, provenance=Provenance(),
        )  # fmt: skip
        return self.logbook.keep_run(record, self.logbook.take_outputs(made, record.start).files)

    def sound(self, folder, place: int) -> None:
        with wave.open(str(folder / "chime.wav"), "wb") as file:
            file.setnchannels(1)
            file.setsampwidth(2)
            file.setframerate(8000)
            file.writeframes((8000 * np.sin(np.arange(4000) * (0.3 + place))).astype("<i2").tobytes())

    def frames(self, folder, place: int) -> None:
        from tests.judged import label, png

        (folder / "clip").mkdir()
        for number in range(3):
            (folder / "clip" / f"{number}.png").write_bytes(png(label(10 * place + number)))


if __name__ == "__main__":
    unittest.main()
