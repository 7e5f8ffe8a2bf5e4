"""What is measured can be measured: all parts are there, by their names, and one that breaks does not stop the others."""

from __future__ import annotations

import contextlib
import io
import unittest
from collections.abc import Iterator
from unittest import mock

from bench import __main__ as bench
from bench import handing_off, processes, rendering
from bench.timing import Figure, single


def lasts() -> Iterator[Figure]:
    """Something that is measured."""
    yield single("a thing", 12.5, "ms", 10)


def breaks() -> Iterator[Figure]:
    """Something that is measured and then is not."""
    yield single("another thing", 1.5, "ms", 10)
    raise ValueError("no such thing")


class Parts(unittest.TestCase):
    def _main(self, *words: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with (
            mock.patch.object(bench, "_PARTS", (breaks, lasts)),
            mock.patch.object(processes, "prepare"),
            mock.patch("sys.argv", ["bench", *words]),
            contextlib.redirect_stdout(out),
            contextlib.redirect_stderr(err),
        ):
            code = bench.main()
        return code, out.getvalue(), err.getvalue()

    def test_every_part_is_found_by_its_name_and_its_module(self) -> None:
        self.assertGreater(len(bench.chosen([])), 20)
        self.assertEqual(len(bench.chosen(["browser"])), 1)
        self.assertEqual(len(bench.chosen(["rendering"])), 10)

    def test_one_that_breaks_says_so_and_the_others_go_on(self) -> None:
        code, out, err = self._main()
        self.assertEqual(code, 1)
        self.assertIn("no such thing", err)
        for words in ("a plain loop takes", "another thing", "a thing", "12.5 ms", "<= 10 MISSED", "<= 10 holds"):
            self.assertIn(words, out)
        self.assertEqual(self._main("lasts")[0], 0)

    def test_what_there_is_not_is_refused_with_what_there_is(self) -> None:
        code, out, err = self._main("nothing")
        self.assertEqual((code, out), (2, ""))
        self.assertIn("there are breaks, lasts", err)

    def test_hand_offs_are_measured(self) -> None:
        with (
            mock.patch.object(handing_off, "_FRAMES", 2),
            mock.patch.object(handing_off, "_TURNS", 1),
            mock.patch.object(handing_off, "_GOALS", {"png8": 15, "exr": None, "gif": 10}),
        ):
            figures = list(handing_off.handing_off())
        self.assertEqual([figure.unit for figure in figures[:2]], ["frames/s", "frames/s"])
        self.assertTrue(all(figure.median > 0 for figure in figures))
        # Of files written by who rendered them: not less than the run alone, but for chance.
        self.assertGreater(next(one.median for one in figures if one.goal == 1.1), 0.5)

    def test_rays_are_taken_from_a_real_frame(self) -> None:
        from zeitbild.document.reading import parse_shot
        from zeitbild.resolve import resolve
        from zeitbild.testing import NOWHERE

        shot = parse_shot(processes.SHOT.read_text(encoding="utf-8"))
        points, normals, views = rendering.spots_of(resolve(shot, 1, NOWHERE).at_size(160, 90))
        self.assertGreater(len(points), 500)
        self.assertEqual(len(points) % 16, 0)
        for one in (normals, views):
            self.assertAlmostEqual(float((one**2).sum(axis=1).mean()), 1, places=3)
