"""The report in a real browser: read, flipped, sorted, printed, in the dark, on a phone, without scripts, and attacked."""

import base64
import random
import re
import time
import unittest

from selenium.webdriver.common.keys import Keys

from tests.browser import NARROW, BrowserTest
from tests.hostile import with_hostile_texts
from tests.support import QUICK, SLOW, ProjectTest, task, variant
from unvek.core.evidence.gathering import EVERYTHING, gather
from unvek.core.findings.report.gathering import Wished, report_of
from unvek.core.logbook.store import Logbook
from unvek.core.session.measuring.working_out import work_out
from unvek.show.page.report import report_page

# The least contrast of any text with what lies behind it, and whose it is.
CONTRAST = """
const light = ([r, g, b]) => [r, g, b].map((c) => { c /= 255; return c <= .03928 ? c / 12.92 : ((c + .055) / 1.055) ** 2.4; })
  .reduce((sum, c, at) => sum + c * [.2126, .7152, .0722][at], 0);
const numbers = (colour) => (colour.match(/[\\d.]+/g) || []).map(Number);
const behind = (one) => { for (let at = one; at; at = at.parentElement) {
  const [r, g, b, a] = numbers(getComputedStyle(at).backgroundColor); if (a === undefined || a > 0) return [r, g, b]; } return [255, 255, 255]; };
let least = [99, ""];
for (const one of document.querySelectorAll("body *")) {
  const isText = [...one.childNodes].some((node) => node.nodeType === 3 && node.textContent.trim());
  if (!isText || !one.getClientRects().length || one.closest(".unseen, script, option") || one.disabled) continue;
  const style = getComputedStyle(one), colour = numbers(one.closest("svg") ? style.fill : style.color), ground = behind(one);
  const alpha = (colour[3] ?? 1) * Number(style.opacity);
  const seen = colour.slice(0, 3).map((c, at) => alpha * c + (1 - alpha) * ground[at]);
  const [a, b] = [light(seen), light(ground)].sort((x, y) => y - x);
  const ratio = (a + .05) / (b + .05);
  if (ratio < least[0]) least = [ratio, `${one.tagName}.${one.className.baseVal ?? one.className}: ${one.textContent.slice(0, 40)}`];
}
return least;
"""


class Pages(BrowserTest, ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.write_plan(
            SLOW, QUICK, variant("half", "quantized", step_s=0.005), task(seeds=[1, 2]), task("rose", [3]),
            '[needs]\nlikeness = ">= 0.1"\n[rig]\nprice = { per_hour = 1 }\n', rounds=3, quality=True,
        )  # fmt: skip
        self.have_runs()
        self.page = self.folder / "report.html"

    def wait(self, driver, script: str, wanted: object) -> None:
        for _ in range(100):
            if driver.execute_script(script) == wanted:
                return
            time.sleep(0.05)
        self.assertEqual(driver.execute_script(script), wanted, script)

    def test_it_is_read_wide_and_narrow_light_and_dark_and_everything_can_be_read(self):
        self.unvek("report")
        for size, dark in ((None, False), (None, True), (NARROW, False), (NARROW, True)):
            with self.subTest(size=size, dark=dark):
                driver = self.open(self.page, **({"size": size} if size else {}), dark=dark)
                wide = driver.execute_script("return [document.documentElement.scrollWidth, innerWidth]")
                self.assertLessEqual(*wide)
                least, whose = driver.execute_script(CONTRAST)
                self.assertGreaterEqual(least, 4.5, whose)
                self.assertIn("Pick", driver.find_element("css selector", ".pick").text)
                links = driver.execute_script(
                    "return [...document.querySelectorAll('a')].filter((a) => !document.querySelector(a.getAttribute('href'))).map((a) => a.outerHTML)"
                )
                self.assertEqual(links, [], "every claim leads to its grounds")
                self.assert_quiet(driver, self.page)
                driver.quit()

    def test_two_outputs_are_flipped_zoomed_and_subtracted_by_keys_alone(self):
        self.unvek("report")
        driver = self.open(self.page)
        body = driver.find_element("tag name", "body")
        variants = "return [...document.querySelectorAll('#stage figure figcaption .variant')].map((one) => one.textContent.trim())"
        self.assertEqual(driver.execute_script(variants)[0], "slow")
        body.send_keys("x")
        shown = (
            "return [...document.querySelectorAll('#stage figure')].filter((one) => one.getClientRects().length).length"
        )
        self.assertEqual(driver.execute_script(shown), 1)
        body.send_keys("v")
        self.assertEqual(driver.execute_script(shown), 2)
        body.send_keys("z", Keys.ARROW_LEFT)
        places = driver.execute_script(
            "return [...document.querySelectorAll('#stage .view img')].map((one) => one.style.transformOrigin)"
        )
        self.assertEqual(places, ["40% 50%"] * 2, "both move together")
        body.send_keys("d")
        self.wait(
            driver, "return /^difference: black is none/.test(document.getElementById('scale').textContent)", True
        )
        body.send_keys("j")
        self.assertEqual(driver.execute_script("return document.getElementById('item').selectedIndex"), 1)
        driver.execute_script("document.getElementById('other').selectedIndex = document.getElementById('one').selectedIndex; "
                              "document.getElementById('other').dispatchEvent(new Event('change'))")  # fmt: skip
        self.wait(driver, "return document.getElementById('scale').textContent", "no difference at all")
        self.assert_quiet(driver, self.page)

    def test_tables_sort_by_keys_and_a_run_is_drawn(self):
        self.unvek("report")
        driver = self.open(self.page)
        rows = "return [...document.querySelectorAll('#comparison tbody tr')].map((row) => row.cells[2].textContent)"
        head = driver.find_elements("css selector", "#comparison thead th button")[1]
        head.send_keys(Keys.ENTER)
        times = [float(text) for text in driver.execute_script(rows)]
        self.assertEqual(times, sorted(times))
        head.send_keys(Keys.ENTER)
        self.assertEqual([float(text) for text in driver.execute_script(rows)], times[::-1])
        driver.find_element("css selector", "summary").send_keys(Keys.ENTER)
        driver.find_element("css selector", ".run").send_keys(Keys.ENTER)
        self.assertGreater(len(driver.find_elements("css selector", "#course-steps rect")), 1)
        self.assertIn("steps; the longest", driver.find_element("id", "course-steps").text)

    def test_without_scripts_and_on_paper_it_says_the_same(self):
        self.unvek("report")
        driver = self.open(self.page, scripts=False)
        self.assertTrue(all(one.is_displayed() for one in driver.find_elements("css selector", ".item img")))
        self.assertFalse(driver.find_element("id", "pair").is_displayed())
        self.assertTrue(driver.find_element("css selector", "#comparison tbody tr").is_displayed())
        printed = driver.execute_cdp_cmd("Page.printToPDF", {"preferCSSPageSize": True})["data"]
        pages = len(re.findall(rb"/Type\s*/Page\b", base64.b64decode(printed)))
        self.assertTrue(2 <= pages <= 4, pages)
        driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": "print"})
        for hidden in ("nav", "#runs", ".grounds"):
            self.assertFalse(driver.find_element("css selector", hidden).is_displayed(), hidden)

    def test_whatever_names_prompts_and_outputs_say_does_nothing(self):
        with Logbook.open(self.folder / "logbook") as logbook:
            evidence = work_out(logbook, gather(logbook, EVERYTHING)).evidence
            report = report_of(logbook, evidence, EVERYTHING, Wished(), lambda done, of: None)
        driver = None
        for seed in range(12):
            page = self.folder / f"hostile-{seed}.html"
            page.write_text(report_page(with_hostile_texts(report, random.Random(seed))), encoding="utf-8")
            if driver is None:
                driver = self.open(page)
            driver.get(page.as_uri())
            found = driver.execute_script(
                "return [window.hit, document.scripts.length, document.querySelectorAll('iframe, base, style').length, "
                "[...document.querySelectorAll('*')].filter((one) => [...one.attributes].some((a) => a.name.startsWith('on'))).length]"
            )
            self.assertEqual(found, [None, 3, 1, 0], seed)
            self.assertNotIn("\u202e", driver.find_element("tag name", "body").text)
            self.assertTrue(driver.find_element("css selector", "#comparison").is_displayed())
            self.assert_quiet(driver, page)


if __name__ == "__main__":
    unittest.main()
