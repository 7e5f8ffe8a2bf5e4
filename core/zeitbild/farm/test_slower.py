"""Files that play slower than their shot, read back with the libraries that players are built on."""

import json
import tempfile
import unittest
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
from PIL import Image

from zeitbild.document.reading import write_shot
from zeitbild.document.shot import Timing
from zeitbild.farm import write_files, write_sequence
from zeitbild.farm.testing import make_cells
from zeitbild.handoff import Recipe, recipes
from zeitbild.handoff.conforming import PLAYED
from zeitbild.testing import small_shot


class SlowerTest(unittest.TestCase):
    """A second at 24 frames a second."""

    @classmethod
    def setUpClass(cls) -> None:
        """Its masters, of which all files are made."""
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        shot = small_shot(timing=Timing(first=1, last=24, rate="24", cycle=False), quality="rough")
        cls.document, cls.layers = write_shot(shot), (shot.layers[0].name,)
        cls.stores = cls.folder / "assets", cls.folder / "masters"
        cls.cells = tuple(
            (frame, make_cells(cls.document, frame, cls.layers, "rough", *cls.stores))
            for frame in shot.timing.delivered
        )

    def _wanted(self, recipe: Recipe, rate: str) -> tuple[Any, ...]:
        """What is asked for of files of beauty in a form at a rate; the last of it is their folder."""
        own = recipe.name, (("rate", rate),), self.layers, ("beauty",), 1
        return (*own, *self.stores, self.folder / f"{recipe.name}-{rate}")

    def test_every_form_that_plays_lasts_as_long_at_every_slower_rate(self) -> None:
        slower = [rate for rate, number in PLAYED.items() if number < 20]
        for recipe in (one for one in recipes if one.format.moves):
            for rate in slower:
                with self.subTest(recipe=recipe.name, rate=rate):
                    wanted = self._wanted(recipe, rate)
                    records = write_sequence(self.document, self.cells, *wanted)
                    self.assertTrue(records)
                    for record in records:
                        tells = self._tells if recipe.name == "sprites" else self._lasts
                        tells(wanted[-1] / record.path, Fraction(rate))

    def test_every_sequence_of_stills_has_a_second_of_files_at_every_rate(self) -> None:
        stills = [one for one in recipes if one.format.name in ("png8", "exr", "jpeg")]
        self.assertGreaterEqual(len(stills), 3)
        for recipe in stills:
            for rate in ("8", "10", "60"):
                wanted = self._wanted(recipe, rate)
                numbers = [
                    record.number
                    for frame, own in self.cells
                    for record in write_files(self.document, frame, "1-24", own, *wanted)
                ]
                with self.subTest(recipe=recipe.name, rate=rate):
                    self.assertEqual(sorted(numbers), list(range(1, int(rate) + 1)))

    def _tells(self, path: Path, rate: Fraction) -> None:
        """A sheet is one picture: what is beside it tells how it is played."""
        told = json.loads(path.with_suffix(".json").read_text())
        self.assertEqual(Fraction(told["rate"]["frames"], told["rate"]["seconds"]), rate)
        self.assertEqual(len(told["frames"]), rate)

    def _lasts(self, path: Path, rate: Fraction) -> None:
        """As many pictures as the rate says, for a second."""
        if path.suffix in (".gif", ".png", ".webp", ".avif"):
            with Image.open(path) as picture:
                count = getattr(picture, "n_frames", 1)
                stays = 0.0
                for number in range(count):
                    picture.seek(number)
                    picture.load()
                    stays += picture.info["duration"]
            # A picture like the one before it may be one with it; times are in hundredths of a second at the coarsest.
            self.assertLessEqual(count, rate)
            self.assertAlmostEqual(stays / 1000, 1, delta=0.02)
        elif path.suffix == ".json":
            told = json.loads(path.read_text())
            self.assertEqual((told["fr"], told["op"] - told["ip"]), (rate, rate))
        else:
            with av.open(str(path)) as container:
                stream = container.streams.video[0]
                self.assertEqual(sum(1 for _ in container.decode(stream)), rate)
                self.assertAlmostEqual(float(stream.average_rate or 0), float(rate), delta=0.05)
