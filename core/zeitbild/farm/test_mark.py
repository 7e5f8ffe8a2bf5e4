"""Long tasks that say how far they are, and end where nobody wants the rest."""

import tempfile
import unittest
from pathlib import Path
from unittest import mock

from zeitbild.document.reading import write_shot
from zeitbild.errors import StoppedError
from zeitbild.farm import mark, write_sequence
from zeitbild.farm.mark import Mark, Marks
from zeitbild.farm.testing import make_cells
from zeitbild.testing import small_shot


class MarkedTasks(unittest.TestCase):
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

    def test_who_waits_knows_each_task_by_its_name_and_stops_those_that_have_not_ended(self) -> None:
        own = Marks[str](self.folder)
        first, second = own.of("first"), own.of("second")
        Mark(first).tell(0.5)
        self.assertEqual(dict(own.shares()), {"first": 0.5, "second": 0})
        own.end("first")
        own.end("never begun")
        third = own.of("third")
        self.assertNotIn(third, (first, second))
        self.assertEqual(set(dict(own.shares())), {"second", "third"})
        own.stop()
        for path in (second, third):
            with self.assertRaises(StoppedError):
                Mark(path).tell(0.9)

    def test_it_is_not_looked_at_all_the_time(self) -> None:
        mark.begin(self.path)
        with mock.patch("zeitbild.farm.mark._PAUSE", 60.0):
            Mark(self.path).tell(0.5)
        self.assertEqual(mark.share_of(self.path), 0)

    def test_what_is_packed_when_all_is_known_is_stopped_in_its_middle(self) -> None:
        assets, masters, out = self.folder / "assets", self.folder / "masters", self.folder / "out"
        document, name = write_shot(small_shot()), small_shot().layers[0].name
        cells = tuple((frame, make_cells(document, frame, (name,), "rough", assets, masters)) for frame in range(1, 5))
        own = Mark.tell
        for recipe in ("gif", "avif-moving", "sprites", "contact"):
            mark.begin(self.path)
            told: list[float] = []

            def tell(known: Mark, share: float, told: list[float] = told) -> None:
                told.append(share)
                # Each of four frames is told of when it is added; then they are packed.
                if len(told) == 6:
                    mark.stop(self.path)
                own(known, share)

            with (
                self.subTest(recipe),
                mock.patch.object(Mark, "tell", tell),
                self.assertRaises(StoppedError),
            ):
                write_sequence(document, cells, recipe, (), (name,), ("beauty",), 1, assets, masters, out, self.path)
            self.assertEqual(told, [0.125, 0.25, 0.375, 0.5, 0.5, 0.5], recipe)
            self.assertEqual([path for path in out.rglob("*") if path.is_file()], [])

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
