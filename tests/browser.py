"""A real browser, headless, driven over WebDriver: Debian's Chromium. Where there is none, its tests say so and are skipped."""

import shutil
import tempfile
import unittest
from pathlib import Path

CHROMIUM, DRIVER = shutil.which("chromium"), shutil.which("chromedriver")
FLAGS = (
    "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--no-first-run", "--hide-scrollbars", "--mute-audio",
    "--disable-dev-shm-usage",
)  # fmt: skip
WIDE, NARROW = (1280, 800), (390, 844)


@unittest.skipUnless(CHROMIUM and DRIVER, "no chromium and chromedriver here (Debian: chromium, chromium-driver)")
class BrowserTest(unittest.TestCase):
    """Pages in a browser; what it keeps, and where it saves files, is the test's own."""

    def setUp(self) -> None:
        super().setUp()
        self.profile, self.saved = (Path(tempfile.mkdtemp(prefix="unvek-browser-")) for _ in range(2))
        for folder in (self.profile, self.saved):
            self.addCleanup(shutil.rmtree, folder, ignore_errors=True)

    def open(self, page: Path, size: tuple[int, int] = WIDE, dark: bool = False, scripts: bool = True):
        """Open a page, in the profile that the test's pages share; the browser ends with the test, or by quit()."""
        from selenium import webdriver
        from selenium.webdriver.chrome.options import Options
        from selenium.webdriver.chrome.service import Service

        options = Options()
        options.binary_location = CHROMIUM
        for flag in (*FLAGS, f"--user-data-dir={self.profile}", f"--window-size={size[0]},{size[1]}"):
            options.add_argument(flag)
        options.add_experimental_option("prefs", {"download.default_directory": str(self.saved)})
        options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
        driver = webdriver.Chrome(options=options, service=Service(DRIVER))
        self.addCleanup(driver.quit)
        driver.execute_cdp_cmd(
            "Emulation.setDeviceMetricsOverride",
            {"width": size[0], "height": size[1], "deviceScaleFactor": 1, "mobile": size == NARROW},
        )
        scheme = [{"name": "prefers-color-scheme", "value": "dark" if dark else "light"}]
        driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": scheme})
        if not scripts:
            driver.execute_cdp_cmd("Emulation.setScriptExecutionDisabled", {"value": True})
        driver.get(page.as_uri())
        return driver

    def assert_quiet(self, driver, page: Path) -> None:
        """No error on the console, and nothing fetched but the page itself and what it carries."""
        import json

        self.assertEqual([entry["message"] for entry in driver.get_log("browser")], [])
        messages = [json.loads(entry["message"])["message"] for entry in driver.get_log("performance")]
        asked = [one["params"] for one in messages if one["method"] == "Network.requestWillBeSent"]
        # The browser's own first tab asks for pages of its own.
        ours = [one for one in asked if one["documentURL"].startswith(page.parent.as_uri())]
        urls = [one["request"]["url"] for one in ours if one["request"]["url"] != one["documentURL"]]
        self.assertEqual([url[:80] for url in urls if not url.startswith(("data:", "blob:"))], [])
        self.assertIn(page.as_uri(), [one["documentURL"] for one in ours])
