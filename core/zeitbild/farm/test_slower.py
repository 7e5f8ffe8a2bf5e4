"""Files that play slower than their shot, read back with the libraries that players are built on."""

import json
import tempfile
import unittest
from fractions import Fraction
from pathlib import Path

import av
from PIL import Image

from zeitbild.document.reading import write_shot
from zeitbild.document.shot import Timing
from zeitbild.farm import write_files, write_sequence
from zeitbild.farm.testing import make_cells
from zeitbild.handoff import recipes
from zeitbild.handoff.conforming import PLAYED
from zeitbild.testing import small_shot


class SlowerTest(unittest.TestCase):
    """A second at 24 frames a second."""

    def test_every_form_that_plays_lasts_as_long_at_every_slower_rate(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            shot = small_shot(timing=Timing(first=1, last=24, rate="24", cycle=False), quality="rough")
            layer = shot.layers[0].name
            document, frames = write_shot(shot), list(shot.timing.delivered)
            stores = folder / "assets", folder / "masters"
            cells = tuple((frame, make_cells(document, frame, (layer,), "rough", *stores)) for frame in frames)
            slower = [rate for rate, number in PLAYED.items() if number < 20]
            for recipe in recipes:
                if not any(one.name == "rate" for one in recipe.options) or not recipe.format.container:
                    continue
                for rate in slower:
                    with self.subTest(recipe=recipe.name, rate=rate):
                        out = folder / f"{recipe.name}-{rate}"
                        options = (("rate", rate),)
                        records = write_sequence(
                            document, cells, recipe.name, options, (layer,), ("beauty",), 1, *stores, out
                        )
                        self.assertTrue(records)
                        for record in records:
                            if recipe.name == "sprites":
                                self._tells(out / record.path, Fraction(rate))
                            else:
                                self._lasts(out / record.path, Fraction(rate))

    def test_every_sequence_of_stills_has_a_second_of_files_at_every_rate(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            shot = small_shot(timing=Timing(first=1, last=24, rate="24", cycle=False), quality="rough")
            layer = shot.layers[0].name
            document, frames = write_shot(shot), list(shot.timing.delivered)
            stores = folder / "assets", folder / "masters"
            cells = {frame: make_cells(document, frame, (layer,), "rough", *stores) for frame in frames}
            stills = [one for one in recipes if one.format.name in ("png8", "exr", "jpeg")]
            self.assertGreaterEqual(len(stills), 3)
            for recipe in stills:
                for rate in ("8", "10", "60"):
                    common = (
                        recipe.name,
                        (("rate", rate),),
                        (layer,),
                        ("beauty",),
                        1,
                        *stores,
                        folder / recipe.name / rate,
                    )
                    numbers = [
                        record.number
                        for frame in frames
                        for record in write_files(document, frame, "1-24", cells[frame], *common)
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
