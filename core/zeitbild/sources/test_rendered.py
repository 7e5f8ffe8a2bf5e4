"""Sources of rendered frames."""

import tempfile
import unittest
from pathlib import Path

import numpy as np

from zeitbild.errors import GoneError
from zeitbild.masters import MasterStore
from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.sources import rendered_layers


def _picture(value: float) -> Picture:
    return Picture(np.full((4, 6, 4), value, np.float32), np.full((4, 6), 2, np.float32))


class Rendered(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.store = MasterStore(Path(holder.name))
        for number in range(1, 4):
            self.store.save(f"{number}" * 64, _picture(number / 4))
        cells = [(2, (("ball", "2" * 64, (("beauty", ""),)),)), (1, (("ball", "1" * 64, (("beauty", ""),)),))]
        cells.append((3, (("ball", "1" * 64, (("beauty", ""),)), ("word", "3" * 64, (("beauty", ""),)))))
        self.layers = rendered_layers(self.store, cells)  # type: ignore[arg-type]

    def test_each_layer_has_its_frames_and_keys(self) -> None:
        self.assertEqual({name: one.frames for name, one in self.layers.items()}, {"ball": (1, 2, 3), "word": (3,)})
        self.assertEqual([self.layers["ball"].key(frame)[0] for frame in (1, 2, 3)], ["1", "2", "1"])
        self.assertEqual(float(self.layers["ball"].picture(2).beauty[0, 0, 0]), 0.5)
        with self.assertRaises(KeyError):
            self.layers["word"].key(1)

    def test_a_picture_asked_for_again_is_the_same(self) -> None:
        ball = self.layers["ball"]
        self.assertIs(ball.picture(1), ball.picture(1))
        self.assertIsNot(ball.picture(1), ball.picture(2))

    def test_what_is_damaged_is_gone_and_forgotten(self) -> None:
        path = self.store.path("3" * 64)
        path.write_bytes(path.read_bytes()[:100])
        with self.assertRaisesRegex(GoneError, "frame 3 of word is gone or damaged"):
            self.layers["word"].picture(3)
        self.assertFalse(path.exists())

    def test_only_what_is_wanted_is_read(self) -> None:
        cells = ((1, (("ball", "1" * 64, (("beauty", ""), ("light", ".light-000000000000"))),)),)
        # Its other bundle is not there, and not missed.
        own = rendered_layers(self.store, cells, {"beauty"}, depth=False)["ball"].picture(1)
        np.testing.assert_array_equal(own.beauty, _picture(0.25).beauty)
        self.assertTrue((own.depth == np.float32(NO_DEPTH)).all())
        with self.assertRaises(GoneError):
            rendered_layers(self.store, cells)["ball"].picture(1)
