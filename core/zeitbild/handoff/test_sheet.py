"""The exposure sheet, read and drawn by another library."""

import unittest
from typing import Any

import numpy as np
import pypdfium2

from zeitbild.document.reading import read_shot
from zeitbild.document.shot import Shot
from zeitbild.handoff.sheet import exposure_sheet


def _shot(last: int = 100, tracks: int = 1, **more: Any) -> Shot:
    moves = {
        "placement.position": {"keys": [{"frame": 1, "value": [0, 0, 0]}, {"frame": 40, "value": [12.5, 0, -3]}]},
        "surface.base_colour": {"keys": [{"frame": 1, "value": "#ff0000"}, {"frame": 40, "value": "#00ff00"}]},
        "width": {"wave": {"times": 2, "amount": 30}},
        "shown": {"keys": [{"frame": 1, "value": True}, {"frame": 20, "value": False}]},
        "opacity": {"keys": [{"frame": 1, "value": 1}]},
    }
    return read_shot(
        {
            "version": 3,
            "timing": {"first": 1, "last": last, "rate": "24", "cycle": False},
            "elements": [{"kind": "solid", "id": "box", "name": "Box", "moves": dict(list(moves.items())[:tracks])}],
            **more,
        }
    )


class Sheet(unittest.TestCase):
    def _pages(self, shot: Shot, frames: range) -> list[str]:
        pdf = pypdfium2.PdfDocument(exposure_sheet(shot, shot.layers, list(frames), 7))
        self.addCleanup(pdf.close)
        return [page.get_textpage().get_text_range() for page in pdf]

    def test_every_frame_its_time_and_its_keys_stand_on_it_once(self) -> None:
        pages = self._pages(_shot(), range(1, 101))
        self.assertEqual(len(pages), 3)
        words = " ".join(pages).split()
        # 24 frames a second: the 25th begins the second one.
        for frame in range(100):
            self.assertEqual(words.count(f"00:00:{frame // 24:02}:{frame % 24:02}"), 1, frame)
        self.assertIn("49", pages[1].split())
        self.assertIn("12.5 0 -3", pages[0])
        self.assertIn("Position", pages[0])
        self.assertIn("version 7", pages[0])

    def test_more_columns_than_a_page_is_wide_go_on_another(self) -> None:
        pages = self._pages(_shot(last=30, tracks=5), range(1, 31))
        self.assertEqual(len(pages), 2)
        for title in ("Position", "colour", "Opacity"):
            self.assertTrue(any(title in page for page in pages), title)
        self.assertTrue(all("00:00:01:05" in page for page in pages))

    def test_marks_are_drawn_where_frames_are(self) -> None:
        shot = _shot(layers=[{"name": "sign", "passes": ["beauty"], "frames": "1-10"}])
        pdf = pypdfium2.PdfDocument(exposure_sheet(shot, shot.layers, list(range(1, 41)), 1))
        self.addCleanup(pdf.close)
        picture = np.asarray(pdf[0].render(scale=4).to_pil().convert("L"))
        scale = picture.shape[1] / 210

        def darkness(frame: int) -> float:
            y, x = 30 + 5 * (frame - 1), 12 + 13 + 24
            part = picture[
                int((y + 1.5) * scale) : int((y + 3.5) * scale), int((x + 8) * scale) : int((x + 10) * scale)
            ]
            return float((part < 90).mean())

        self.assertGreater(min(darkness(frame) for frame in range(1, 11)), 0.4)
        self.assertLess(max(darkness(frame) for frame in range(11, 41)), 0.1)

    def test_a_sound_is_drawn_as_long_as_it_is_heard(self) -> None:
        shot = _shot(sounds=[{"id": "horn", "name": "Horn", "file": "foghorn", "begins": 5}])
        pdf = pypdfium2.PdfDocument(exposure_sheet(shot, shot.layers, list(range(1, 41)), 1, {"horn": 0.5}))
        self.addCleanup(pdf.close)
        picture = np.asarray(pdf[0].render(scale=4).to_pil().convert("L"))
        scale = picture.shape[1] / 210
        middle = picture[:, int((12 + 13 + 24 + 9) * scale)]
        drawn = [
            frame
            for frame in range(1, 41)
            if (middle[int((30 + 5 * (frame - 1) + 2) * scale) :][: int(scale)] < 140).all()
        ]
        # Half a second is twelve frames.
        self.assertEqual(drawn, list(range(5, 17)))

    def test_names_in_the_scripts_that_are_shipped_stand_there_whole(self) -> None:
        (page,) = self._pages(
            _shot(title="\u0645\u0646\u0627\u0631\u0629 \u10e8\u10e3\u10e5\u10e3\u10e0\u10d0 Kap"), range(1, 5)
        )
        # What no font here has is at least seen to be missing.
        self.assertIn("Kap ??, version 7", " ".join(self._pages(_shot(title="Kap \u706f\u53f0"), range(1, 5))))
        # Each word in the order in which it is read.
        for word in ("\u0645\u0646\u0627\u0631\u0629", "\u10e8\u10e3\u10e5\u10e3\u10e0\u10d0", "Kap"):
            self.assertIn(word, page)

    def test_long_shots_and_strange_names(self) -> None:
        shot = _shot(last=5000, title="灯台 \u05de\u05d2\u05d3\u05dc\u05d5\u05e8 \U0001f4a1")
        pages = self._pages(shot, range(1, 5001))
        self.assertEqual(len(pages), 50)
        self.assertIn("2600 more frames are not drawn", pages[-1])
        first = exposure_sheet(shot, shot.layers, list(range(1, 20)), 1)
        self.assertEqual(first, exposure_sheet(shot, shot.layers, list(range(1, 20)), 1))
