"""What somebody sees in a real browser: pictures while something is dragged, the sheet while it scrolls, sound beside the picture."""

from __future__ import annotations

import contextlib
import os
import re
import shutil
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from bench.processes import ROOT
from bench.timing import Figure, single

if TYPE_CHECKING:
    from playwright.sync_api import Locator, Page

#: The pointer moves once in every frame of the page, as a browser hands on a mouse's movements. Moves that come from
#: outside one by one wait for an answer each, of which there are only about 20 a second.
_MOVE = """([x, y, reach]) => new Promise((done) => {
  const taken = document.elementFromPoint(x, y);
  const began = performance.now();
  let moves = 0;
  function step(now) {
    const share = (now - began) / 3000;
    if (share > 1) return done(moves);
    moves += 1;
    const at = { clientX: x + reach * Math.sin(share * 10), clientY: y + moves % 7 };
    taken.dispatchEvent(new PointerEvent("pointermove", { bubbles: true, pointerId: 1, ...at }));
    requestAnimationFrame(step);
  }
  requestAnimationFrame(step);
})"""


def _dragged(page: Page, place: Locator, reach: int) -> tuple[float, float, float]:
    """Pictures shown a second, least, median and most of five turns, while what lies at a place is dragged to and fro (CSS pixels)."""
    canvas = page.locator("canvas[data-pictures]").first
    rates = []
    for _ in range(5):
        box = place.bounding_box()
        assert box is not None
        x, y = box["x"] + min(box["width"] / 2, 200), box["y"] + min(box["height"] / 2, 150)
        page.mouse.move(x, y)
        page.mouse.down()
        before, started = int(canvas.get_attribute("data-pictures") or 0), time.perf_counter()
        page.evaluate(_MOVE, [x, y, reach])
        rates.append((int(canvas.get_attribute("data-pictures") or 0) - before) / (time.perf_counter() - started))
        page.mouse.up()
        page.wait_for_timeout(1500)
    rates.sort()
    return rates[0], rates[2], rates[-1]


#: Scrolls the sheet down once in every picture of the page for three seconds; gives the milliseconds between pictures.
_SCROLL = """(sheet) => new Promise((done) => {
  const began = performance.now(), between = [];
  let last = 0;
  function step(now) {
    if (last) between.push(now - last);
    last = now;
    sheet.scrollTop += 170;
    if (now - began > 3000) return done(between);
    requestAnimationFrame(step);
  }
  requestAnimationFrame(step);
})"""
#: Seconds that a sound is played beside its picture.
_PLAYED = 60


@contextlib.contextmanager
def _studio() -> Iterator[Page | None]:
    """A page of a server of its own that shows the demo's project; none where there is no browser."""
    chromium = shutil.which("chromium")
    if chromium is None:
        yield None
        return
    from playwright.sync_api import sync_playwright

    from e2e.browser import ARGUMENTS

    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    address = f"http://127.0.0.1:{port}"
    command = [sys.executable, "-m", "uvicorn", "zeitbild_server.asgi:application", "--port", str(port)]
    server = subprocess.Popen([*command, "--log-level", "error"], cwd=ROOT, env=os.environ)
    try:
        for _ in range(200):
            try:
                urllib.request.urlopen(address, timeout=2)
                break
            except OSError:
                time.sleep(0.1)
        with sync_playwright() as playwright:
            page = playwright.chromium.launch(executable_path=chromium, args=ARGUMENTS).new_page(
                viewport={"width": 1280, "height": 800}, base_url=address
            )
            page.goto("/")
            page.get_by_label("Name").fill("demo")
            page.get_by_label("Password").fill("lighthouse")
            page.get_by_role("button", name="Sign in").click()
            page.get_by_role("link", name="Kap Morgen").wait_for()
            yield page
    finally:
        server.terminate()
        server.wait()


def _time_desk(page: Page, code: str) -> None:
    """Open a shot's Time desk, and wait until it rests."""
    page.goto("/")
    page.get_by_role("link", name="Kap Morgen").click()
    page.get_by_role("link", name=re.compile(code)).click()
    page.get_by_role("link", name="Time").click()
    page.wait_for_selector("canvas[data-shown$=final]")


def browser() -> Iterator[Figure]:
    """Dragging the camera, and keys of two shots in their curves, in a real browser: pictures shown a second."""
    with _studio() as page:
        if page is None:
            return
        page.get_by_role("link", name="Kap Morgen").click()
        page.get_by_text("Brass sign").click()
        page.wait_for_selector("canvas[data-shown$=final]")
        page.wait_for_timeout(3000)
        low, middle, high = _dragged(page, page.locator("canvas").first, 300)
        yield Figure("pictures a second while dragging in the browser", middle, low, high, "/s", 24, True)
        for code in ("KM010", "KM070"):
            _time_desk(page, code)
            if code == "KM010":
                page.get_by_label("A first key for").click()
                page.get_by_role("option", name="Position", exact=True).click()
                page.wait_for_timeout(1000)
            page.get_by_role("button", name=re.compile(", (Position|Opacity)$")).first.click()
            page.wait_for_timeout(6000)
            low, middle, high = _dragged(page, page.locator("svg circle.cursor-ew-resize").first, 20)
            name = f"pictures a second while dragging a key of {code}"
            yield Figure(name, middle, low, high, "/s", 20, True)


def _long_shot() -> None:
    """A shot of 10,000 frames in the demo's project, in which thirty things move."""
    from django.contrib.auth.models import User

    from projects.models import Project
    from shots.actions.create_shot import add_shot
    from zeitbild.document.reading import read_shot

    def moves(at: int) -> dict[str, Any]:
        keys = [{"frame": frame, "value": 10 + at + frame % 7} for frame in range(1, 10_000, 400)]
        return {name: {"keys": keys} for name in ("width", "height", "depth")}

    elements = [{"kind": "solid", "id": f"a{at}", "moves": moves(at)} for at in range(10)]
    whole = {"version": 3, "shot": "LONG", "title": "Long", "timing": {"last": 10_000}, "elements": elements}
    add_shot(Project.objects.get(), read_shot(whole), User.objects.get())


def sheet() -> Iterator[Figure]:
    """Time from one picture of the page to the next while a long sheet with many columns scrolls."""
    if shutil.which("chromium") is not None:
        _long_shot()
    with _studio() as page:
        if page is None:
            return
        _time_desk(page, "LONG")
        columns = page.get_by_role("group", name="Frames and columns").get_by_role(
            "button", name=re.compile(", (Width|Height|Depth)$")
        )
        assert columns.count() == 30, columns.count()
        page.wait_for_timeout(3000)
        between = sorted(page.get_by_role("group", name="Frames and columns").evaluate(_SCROLL))
        middle, late = between[len(between) // 2], between[int(len(between) * 0.95)]
        # Sixty pictures a second are 16.7 ms apart.
        name = "ms between pictures, 10,000 frames x 30 columns scrolled"
        yield Figure(name, middle, between[0], late, "ms", 17)


def beside_sound() -> Iterator[Figure]:
    """How far a picture is from what is heard, at most, while a shot with sound plays."""
    with _studio() as page:
        if page is None:
            return
        _time_desk(page, "KM070")
        page.get_by_role("button", name="Play", exact=True).click()
        page.get_by_text(re.compile(r"[\d.]+ of [\d/]+ frames a second")).wait_for(timeout=240_000)
        page.wait_for_timeout(_PLAYED * 1000)
        apart = float(page.locator("[data-apart]").get_attribute("data-apart") or "nan")
        yield single(f"frames between sound and picture at most, {_PLAYED} s", apart, "", 0.5)
