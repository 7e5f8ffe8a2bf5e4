"""Overscan: the same pixels and more around them, from the snapshot to the file."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
import OpenImageIO as oiio
from PIL import Image

from zeitbild.document.reading import read_shot, write_shot
from zeitbild.document.shot import Layer, Raster, Shot
from zeitbild.elements.solid import Solid
from zeitbild.farm.testing import make_files
from zeitbild.masters import MasterStore, frame_key
from zeitbild.masters.store import ends_of
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.snapshot.look import Gradient
from zeitbild.testing import NOWHERE, small_shot
from zeitbild.values import Placement

MARGIN = 12


def _shot(overscan: int = MARGIN, **more: Any) -> Shot:
    """A ball in the middle, and one that only overscan shows whole: it stands across the left edge."""
    balls = (
        Solid(id="ball", shape="ball"),
        Solid(id="edge", shape="ball", placement=Placement(position=(-420, 40, 0))),
    )
    layers = (Layer(name="sign", passes=("beauty", "depth", "position", "identity-element")),)
    return small_shot(
        raster=Raster(width=96, height=54, overscan=overscan), elements=balls, **{"layers": layers, **more}
    )


class Overscan(unittest.TestCase):
    def _both(self, **more: Any) -> tuple[Any, Any]:
        wide, plain = (resolve(_shot(by), 1, NOWHERE) for by in (MARGIN, 0))
        return tuple(render(replace(one, **more), QUALITIES["final"], planes=True) for one in (wide, plain))  # type: ignore[return-value]

    def test_inside_are_the_pixels_that_there_are_without_it(self) -> None:
        for more in ({}, {"camera_span": 900.0}, {"backdrop": Gradient((1, 0, 0), (0, 0, 1))}):
            with self.subTest(**more):
                wide, plain = self._both(**more)
                self.assertEqual((wide.size, wide.raster, wide.margin), ((120, 78), (96, 54), MARGIN))
                own = wide.inside()
                self.assertEqual((own.size, own.margin), ((96, 54), 0))
                # Alpha at final is an area; light comes from the same places but for what is dithered.
                np.testing.assert_allclose(own.beauty[..., 3], plain.beauty[..., 3], atol=2e-3)
                self.assertLess(float(np.abs(own.beauty - plain.beauty).mean()), 0.2 / 255)
                there = (own.depth < 1e9) & (plain.depth < 1e9)
                np.testing.assert_allclose(own.depth[there], plain.depth[there], rtol=2e-3)
                assert own.planes is not None and own.identities is not None and own.data is not None
                self.assertEqual(own.planes.shape[:2], (54, 96))

    def test_around_is_what_stands_there(self) -> None:
        wide, plain = self._both()
        self.assertGreater(float(plain.beauty[:, 0, 3].max()), 0.9)
        self.assertEqual(float(wide.beauty[:, 0, 3].max()), 0)
        self.assertGreater(float(wide.beauty[:, 4:MARGIN, 3].sum()), 50)

    def test_screens_and_the_pixel_look_have_none(self) -> None:
        snapshot = resolve(_shot(), 1, NOWHERE)
        self.assertEqual(render(snapshot.at_size(48, 27), QUALITIES["rough"]).size, (48, 27))
        raw = _shot().model_dump(mode="json") | {"pixels": {"on": True, "enlarge": 2}}
        raw["raster"] = {"width": 96, "height": 64, "overscan": 8}
        self.assertEqual(render(resolve(read_shot(raw), 1, NOWHERE), QUALITIES["rough"]).size, (96, 64))

    def test_masters_keep_it_outside_of_the_display_window(self) -> None:
        snapshot = resolve(_shot(), 1, NOWHERE)
        picture = render(snapshot, QUALITIES["check"], planes=True)
        with tempfile.TemporaryDirectory() as folder:
            store = MasterStore(Path(folder))
            key, ends = frame_key(snapshot, "check"), ends_of(snapshot, ("light", "data", "identity"))
            store.save(key, picture, ends)
            back = store.load(key, ends)
            spec = oiio.ImageInput.open(str(store.path(key))).spec()
        self.assertEqual((spec.full_x, spec.full_y, spec.full_width, spec.full_height), (0, 0, 96, 54))
        self.assertLess(spec.x, 0)
        self.assertEqual(back.margin, MARGIN)
        np.testing.assert_allclose(back.beauty, picture.beauty, atol=1e-3)
        np.testing.assert_array_equal(back.depth, picture.depth)
        assert back.data is not None and picture.data is not None
        np.testing.assert_allclose(back.data, picture.data, rtol=1e-3, atol=1e-3)
        self.assertNotEqual(key, frame_key(resolve(_shot(0), 1, NOWHERE), "check"))

    def test_files_keep_it_if_they_can_and_are_the_raster_if_not(self) -> None:
        document = write_shot(_shot())
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            for recipe, options in (
                ("exr", ()),
                ("exr-layer", (("window", "cut"),)),
                ("exr-frame", (("window", "cut"),)),
            ):
                places = (folder / "assets", folder / "masters", folder / recipe)
                records = make_files(document, 1, ("sign",), "check", recipe, options, (), 1, *places)
                for record in records:
                    with OpenEXR.File(str(folder / recipe / record.path)) as file:
                        for part in range(len(file.parts)):
                            header = file.header(part)
                            shown, data = header["displayWindow"], header["dataWindow"]
                            self.assertEqual([one.tolist() for one in shown], [[0, 0], [95, 53]])
                            if options:
                                self.assertTrue(-MARGIN < data[0][0] < 0, data)
                            else:
                                self.assertEqual([one.tolist() for one in data], [[-12, -12], [107, 65]])
            small = write_shot(_shot(layers=(Layer(name="sign", passes=("beauty",)),)))
            places = (folder / "assets", folder / "masters", folder / "png")
            (record,) = make_files(small, 1, ("sign",), "check", "png8", (), (), 1, *places)
            with Image.open(folder / "png" / record.path) as picture:
                self.assertEqual(picture.size, (96, 54))

    def test_rasters_with_too_much_around_them_are_refused(self) -> None:
        raw = _shot().model_dump(mode="json")
        for raster, said in (
            ({"width": 4096, "height": 2160, "overscan": 1}, "4098 × 2162 with its overscan"),
            ({"width": 96, "height": 54, "overscan": 513}, "512"),
            ({"width": 96, "height": 54, "overscan": -1}, "0"),
        ):
            with self.assertRaises(Exception) as caught:
                read_shot(raw | {"raster": raster})
            self.assertIn(said, str(caught.exception))
