"""Long tasks that say how far they are, and end where nobody wants the rest."""

import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from zeitbild.document.reading import write_shot
from zeitbild.errors import StoppedError
from zeitbild.farm import make_cells, mark, write_sequence
from zeitbild.farm.mark import Mark
from zeitbild.formats import _movies
from zeitbild.testing import small_shot


class Marks(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.path = self.folder / "mark"
        patched = mock.patch("zeitbild.farm.mark._PAUSE", 0.0)
        patched.start()
        self.addCleanup(patched.stop)

    def test_a_task_says_how_far_it_is_until_nobody_wants_the_rest(self) -> None:
        mark.begin(self.path)
        self.assertEqual(mark.share_of(self.path), 0)
        own = Mark(self.path)
        own.tell(0.25)
        self.assertEqual(mark.share_of(self.path), 0.25)
        mark.stop(self.path)
        with self.assertRaises(StoppedError):
            own.tell(0.5)
        self.assertFalse(self.path.exists(), "it stood up again")

    def test_one_that_was_stopped_before_it_began_does_not_begin(self) -> None:
        with self.assertRaises(StoppedError):
            Mark(self.path).tell(0.1)

    def test_one_that_lies_elsewhere_ends_nothing(self) -> None:
        for path in (None, self.folder / "nowhere" / "mark"):
            Mark(path).tell(0.5)
        self.assertEqual(mark.share_of(self.folder / "nowhere" / "mark"), 0)

    def test_it_is_not_looked_at_all_the_time(self) -> None:
        mark.begin(self.path)
        with mock.patch("zeitbild.farm.mark._PAUSE", 60.0):
            Mark(self.path).tell(0.5)
        self.assertEqual(mark.share_of(self.path), 0)

    def test_a_movie_that_is_stopped_leaves_nothing_and_is_whole_when_it_goes_on(self) -> None:
        assets, masters, out = self.folder / "assets", self.folder / "masters", self.folder / "out"
        document, name = write_shot(small_shot()), small_shot().layers[0].name
        cells = tuple((frame, make_cells(document, frame, (name,), "rough", assets, masters)) for frame in range(1, 5))
        rest = ("prores4444", (), (name,), ("beauty",), 1, assets, masters, out, self.path)
        told: list[float] = []

        def at(step: str, number: int) -> None:
            """Stop it in the middle of a step."""
            mark.begin(self.path)
            told.clear()
            own = Mark.tell

            def tell(known: Mark, share: float) -> None:
                told.append(share)
                if len(told) == number:
                    mark.stop(self.path)
                own(known, share)

            with mock.patch.object(Mark, "tell", tell), self.subTest(step), self.assertRaises(StoppedError):
                write_sequence(document, cells, *rest)
            self.assertEqual([path for path in out.rglob("*") if path.is_file()], [])

        at("writing", 2)
        self.assertEqual(told, [0.125, 0.25])
        at("reading back", 7)
        self.assertEqual(told[-1], 0.75)
        mark.begin(self.path)
        (record,) = write_sequence(document, cells, *rest)
        self.assertEqual(record.frames, (1, 2, 3, 4))
        self.assertTrue((out / record.path).exists())
        self.assertEqual(mark.share_of(self.path), 0.875)

    def test_a_task_alone_has_the_threads_of_those_that_are_idle(self) -> None:
        """What is idle is no use: a lone movie takes all, and many tasks one each."""
        from zeitbild.farm import FramePool

        with FramePool(2) as pool:
            for count, threads in ((1, 2), (2, 1), (5, 1)):
                found = [one.result for one in pool.run(threads_of, [(n, ()) for n in range(count)]) if one]
                self.assertEqual(found, [threads] * count)


def threads_of() -> int:
    """Threads that kernels called here have."""
    import numba

    time.sleep(0.05)
    return int(numba.get_num_threads())


class Yuv(unittest.TestCase):
    """Kernels that go from light to luma at once, against the way over whole numbers."""

    def test_light_and_codes_give_the_same_frames(self) -> None:
        import numpy as np

        from zeitbild.formats import Plane
        from zeitbild.formats._coding import Coding

        random = np.random.default_rng(5)
        for width, height in ((1, 1), (3, 5), (64, 33), (35, 2)):
            light = random.random((height, width, 4)).astype(np.float32)
            light[random.random((height, width)) < 0.3] = 0
            light[..., :3] *= light[..., 3:]
            for pixels in ("yuva444p10le", "yuv422p10le", "yuv420p"):
                for times in (False, True):
                    coding = Coding(premultiplied=times)
                    codes = _movies.frame_codes(Plane("colour", light), 16, coding, alpha=True)
                    own = _movies.planes_of(_movies.yuv_of(Plane("colour", light), pixels, coding))
                    other = _movies.planes_of(_movies.frame_of(codes, pixels))
                    for one, wanted in zip(own, other, strict=True):
                        self.assertLessEqual(int(np.abs(one.astype(int) - wanted).max()), 1, (pixels, width, height))
