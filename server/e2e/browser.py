"""A page of the real interface in headless Chromium, signed in; anything the browser complains of is a failure."""

from __future__ import annotations

import faulthandler
import os
import signal
import threading
import unittest
from pathlib import Path

from playwright.sync_api import Browser, BrowserContext, FloatRect, Locator, Page, Playwright, expect, sync_playwright

from zeitbild_server.testing import ServedCase

ARGUMENTS = [
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    # Unknown to the browser: by this its processes are found if one has to be ended.
    f"--zeitbild-tests={os.getpid()}",
]
AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
PATIENCE = 60_000
#: Seconds after which a test is stuck: some calls of Playwright (closing, evaluating) wait for ever.
_STUCK = 300


def _end_browser() -> None:
    """Show where the test is stuck and kill the browser: what waits for it then fails instead of waiting."""
    faulthandler.dump_traceback()
    for path in Path("/proc").glob("[0-9]*/cmdline"):
        try:
            if ARGUMENTS[-1].encode() in path.read_bytes():
                os.kill(int(path.parent.name), signal.SIGKILL)
        except (FileNotFoundError, ProcessLookupError):
            continue


class BrowserCase(ServedCase):
    """Opens a browser for each test and checks at its end that it stayed on this machine and met no error."""

    playwright: Playwright
    browser: Browser

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.playwright = sync_playwright().start()
        cls.addClassCleanup(cls.playwright.stop)
        cls.launch()
        cls.addClassCleanup(lambda: cls.browser.close())
        expect.set_options(timeout=PATIENCE)

    @classmethod
    def launch(cls) -> None:
        """Start the browser of the class."""
        cls.browser = cls.playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)

    def setUp(self) -> None:
        super().setUp()
        if not self.browser.is_connected():
            self.launch()
        self.complaints: list[str] = []
        self.context: BrowserContext = self.browser.new_context(
            viewport={"width": 1280, "height": 800}, accept_downloads=True
        )
        self.addCleanup(self.context.close)
        self.page = self.open_page()

    def __call__(self, result: unittest.TestResult | None = None) -> None:
        """Run; what fails is tried once more and named, since a browser on a busy machine can miss a beat."""
        first = unittest.TestResult()
        self._call(first)
        if result is None or not first.wasSuccessful():
            for _, trace in first.failures + first.errors:
                print(f"\ntried again: {self.id()}\n{trace}", flush=True)
            self._call(result)
            return
        result.startTest(self)
        result.addSuccess(self)
        result.stopTest(self)

    def _call(self, result: unittest.TestResult | None) -> None:
        stuck = threading.Timer(_STUCK, _end_browser)
        stuck.daemon = True
        stuck.start()
        try:
            super().__call__(result)
        finally:
            stuck.cancel()

    def open_page(self) -> Page:
        """A new page whose errors and outside requests are noted."""
        page = self.context.new_page()
        page.set_default_timeout(PATIENCE)
        page.on("pageerror", lambda error: self.complaints.append(f"error: {error}"))
        page.on(
            "request",
            lambda request: self.complaints.append(f"outside: {request.url}") if not self._own(request.url) else None,
        )
        return page

    def _own(self, url: str) -> bool:
        return url.startswith((self.address, "data:", "blob:"))

    def tearDown(self) -> None:
        self.context.close()
        super().tearDown()
        self.assertEqual(self.complaints, [])

    def sign_in(self, page: Page | None = None) -> Page:
        """Sign in as a person would."""
        page = page or self.page
        page.goto(self.address)
        page.get_by_label("Name").fill("ada")
        page.get_by_label("Password").fill("lamp-room-7")
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("heading", name="Projects")).to_be_visible()
        return page

    def desk(self, name: str, page: Page | None = None) -> Page:
        """Sign in if need be and open a desk of the shot."""
        page = page or self.page
        if page.url == "about:blank":
            self.sign_in(page)
        page.goto(f"{self.address}/shots/{self.shot.id}/{name}")
        expect(page.get_by_label("Frame sheet")).to_be_visible()
        return page

    def picture(self, page: Page | None = None, frame: int | None = None) -> None:
        """Wait until the picture is sharp (of a frame, if one is given)."""
        wanted = f"canvas[data-shown='{frame} final']" if frame is not None else "canvas[data-shown$=final]"
        (page or self.page).wait_for_selector(wanted)

    def saved(self, page: Page | None = None) -> None:
        """Wait until nothing is left to save."""
        expect((page or self.page).get_by_role("status").filter(has_text="saved").first).to_have_text("saved")

    @staticmethod
    def at_rest(handle: Locator) -> FloatRect:
        """Where something stands once it has gone where the last edit puts it."""
        found: list[FloatRect | None] = []
        for _ in range(60):
            found.append(handle.bounding_box())
            if len(found) > 4 and found[-1] is not None and all(one == found[-1] for one in found[-4:]):
                return found[-1]
            handle.page.wait_for_timeout(100)
        raise AssertionError(f"{handle} does not come to rest")
