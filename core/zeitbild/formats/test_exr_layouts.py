"""Files that hold several passes: channels, parts, windows and identities, read by two independent libraries."""

import json
import struct
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
import OpenEXR
import OpenImageIO as oiio
from numpy.typing import NDArray

from zeitbild.errors import InputError
from zeitbild.exr_files import is_whole
from zeitbild.formats import Plane, chosen, formats
from zeitbild.formats._identities import id_bits, murmur3
from zeitbild.formats._one import encoded, read_one
from zeitbild.formats.test_formats import colour_plane, data_plane, depth_plane, identity_plane

EXR = formats.get("exr")


def _sized(plane: Plane, name: str, layer: str = "sign") -> Plane:
    """A plane of the size of the identities, under a name."""
    pixels = np.ascontiguousarray(np.resize(plane.pixels, (6, 120, *plane.pixels.shape[2:])))
    return replace(plane, name=name, layer=layer, pixels=pixels)


def _layer(layer: str = "sign") -> list[Plane]:
    light = replace(_sized(colour_plane(), "diffuse", layer), role="light")
    planes = [_sized(colour_plane(), "beauty", layer), light, _sized(depth_plane(), "depth", layer)]
    return [*planes, replace(data_plane(), layer=layer), replace(identity_plane(), layer=layer)]


class Layouts(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.path = Path(holder.name) / "a.exr"

    def test_a_layer_is_one_part_with_every_pass_under_its_name(self) -> None:
        planes = _layer()
        self.path.write_bytes(encoded(EXR, planes, "layer", {}))
        self.assertTrue(all(found.holds for found in read_one(EXR, self.path, planes, "layer", {})))
        with OpenEXR.File(str(self.path), separate_channels=True) as file:
            self.assertEqual(len(file.parts), 1)
            channels = file.channels()
            names = {"R", "G", "B", "A", "diffuse.R", "diffuse.G", "diffuse.B", "depth.Z", "motion.X", "motion.Y"}
            self.assertEqual({one for one in channels if not one.startswith("identity")}, names)
            np.testing.assert_array_equal(channels["diffuse.G"].pixels, planes[1].pixels[..., 1].astype(np.float16))
            self.assertEqual(channels["motion.X"].pixels.dtype, np.float32)

    def test_a_frame_has_a_part_for_each_pass_of_each_layer(self) -> None:
        planes = [*_layer("sign"), *_layer("fog")]
        self.path.write_bytes(encoded(EXR, planes, "frame", {}))
        self.assertTrue(all(found.holds for found in read_one(EXR, self.path, planes, "frame", {})))
        with OpenEXR.File(str(self.path)) as file:
            self.assertEqual([part.name() for part in file.parts], [f"{one.layer}.{one.name}" for one in planes])
        source = oiio.ImageInput.open(str(self.path))
        source.seek_subimage(5, 0)
        np.testing.assert_array_equal(source.read_image(5, 0, 0, 4, "half"), planes[5].pixels.astype(np.float16))
        source.close()

    def test_every_compression_and_both_numbers_hold(self) -> None:
        for compression in ("zip", "zips", "piz", "rle", "none"):
            for numbers in ("half", "float"):
                options = chosen(EXR.title, EXR.options, {"compression": compression, "numbers": numbers})
                for sharing, planes in (("layer", _layer()), ("frame", _layer())):
                    self.path.write_bytes(encoded(EXR, planes, sharing, options))  # type: ignore[arg-type]
                    found = read_one(EXR, self.path, planes, sharing, options)  # type: ignore[arg-type]
                    self.assertTrue(all(one.holds for one in found), (compression, numbers, sharing))
                    self.assertEqual(found[0].bits, 16 if numbers == "half" else 32)
                    spec = oiio.ImageInput.open(str(self.path)).spec()
                    self.assertEqual(spec.get_string_attribute("compression"), compression)

    def test_half_a_file_is_noticed_whatever_it_holds(self) -> None:
        for sharing in ("layer", "frame"):
            data = encoded(EXR, _layer(), sharing, {"compression": "piz"})  # type: ignore[arg-type]
            self.path.write_bytes(data)
            self.assertTrue(is_whole(self.path))
            for end in (len(data) - 1, len(data) // 2, 300, 9):
                self.path.write_bytes(data[:end])
                self.assertFalse(is_whole(self.path), end)

    def test_the_data_window_is_cut_to_what_is_there(self) -> None:
        pixels = np.zeros((40, 60, 4), np.float32)
        pixels[11:20, 25:31] = 0.5
        plane = Plane("colour", pixels, "beauty")
        self.path.write_bytes(encoded(EXR, [plane], "pass", {"window": "cut"}))
        spec = oiio.ImageInput.open(str(self.path)).spec()
        self.assertEqual((spec.x, spec.y, spec.width, spec.height), (25, 11, 6, 9))
        self.assertEqual((spec.full_width, spec.full_height), (60, 40))
        self.assertTrue(read_one(EXR, self.path, [plane], "pass", {"window": "cut"})[0].holds)
        with OpenEXR.File(str(self.path)) as file:
            np.testing.assert_array_equal(file.channels()["RGBA"].pixels, pixels[11:20, 25:31].astype(np.float16))
        # Something outside of the window is a difference.
        more = pixels.copy()
        more[2, 2] = 0.5
        self.assertFalse(read_one(EXR, self.path, [replace(plane, pixels=more)], "pass", {"window": "cut"})[0].holds)

    def test_an_empty_picture_has_a_window_of_one_pixel(self) -> None:
        for plane in (Plane("colour", np.zeros((9, 9, 4), np.float32), "beauty"), replace(depth_plane(), name="depth")):
            empty = replace(plane, pixels=np.full_like(plane.pixels, 1e10 if plane.role == "depth" else 0))
            self.path.write_bytes(encoded(EXR, [empty], "pass", {"window": "cut"}))
            self.assertTrue(read_one(EXR, self.path, [empty], "pass", {"window": "cut"})[0].holds)

    def test_primaries_are_said(self) -> None:
        # ITU-R BT.709: red .64 .33, green .30 .60, blue .15 .06, white .3127 .3290.
        self.path.write_bytes(encoded(EXR, _layer(), "layer", {}))
        with OpenEXR.File(str(self.path)) as file:
            found = file.header()["chromaticities"]
        np.testing.assert_allclose(found, (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290), atol=1e-6)

    def test_unknown_options_are_refused_by_name(self) -> None:
        with self.assertRaisesRegex(InputError, "compression 'dwaa'; there is zip"):
            chosen(EXR.title, EXR.options, {"compression": "dwaa"})
        with self.assertRaisesRegex(InputError, "no such option"):
            chosen("PNG", formats.get("png8").options, {"compression": "zip"})


def _decoded(path: Path, name: str) -> dict[str, NDArray[np.float64]]:
    """Mattes by name, by the open specification alone: find the key, read the manifest, match ids, add up coverage."""
    with OpenEXR.File(str(path), separate_channels=True) as file:
        header, channels = file.header(), file.channels()
        (key,) = (one[: -len("/name")] for one, value in header.items() if one.endswith("/name") and value == name)
        manifest = json.loads(header[f"{key}/manifest"])
        mattes = {}
        for entry, code in manifest.items():
            (wanted,) = struct.unpack("<f", struct.pack("<I", int(code, 16)))
            total = 0.0
            for rank in ("00", "01"):
                for id_channel, cover in (("R", "G"), ("B", "A")):
                    ids = channels[f"{name}{rank}.{id_channel}"].pixels
                    total = total + np.where(ids == np.float32(wanted), channels[f"{name}{rank}.{cover}"].pixels, 0.0)
            mattes[entry] = np.asarray(total, np.float64)
        return mattes


class Identities(unittest.TestCase):
    def test_hash_against_published_vectors(self) -> None:
        # MurmurHash3 x86 32: vectors that circulate with the published algorithm, confirmed with the package mmh3 5.2.
        for text, seed, expected in (
            ("", 0, 0),
            ("", 1, 0x514E28B7),
            ("abc", 0, 0xB3DD93FA),
            ("hello", 0, 0x248BFA47),
            ("Hello, world!", 0x9747B28C, 0x24884CBA),
            ("The quick brown fox jumps over the lazy dog", 0x9747B28C, 0x2FA826CD),
        ):
            self.assertEqual(murmur3(text.encode(), seed), expected, text)

    def test_ids_are_numbers_that_keep(self) -> None:
        for number in range(20_000):
            (value,) = struct.unpack("<f", struct.pack("<I", id_bits(f"name {number}")))
            self.assertTrue(np.isfinite(value) and abs(value) >= np.finfo(np.float32).tiny)

    def test_mattes_decoded_by_the_specification_are_the_coverage(self) -> None:
        plane = identity_plane()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.exr"
            path.write_bytes(encoded(EXR, [plane], "pass", {}))
            found = _decoded(path, plane.name)
            with OpenEXR.File(str(path), separate_channels=True) as file:
                covers = [file.channels()[f"{plane.name}{rank}.{one}"].pixels for rank in ("00", "01") for one in "GA"]
        self.assertEqual(set(found), set(plane.ids))
        for number, name in enumerate(plane.ids):
            expected = np.where(plane.pixels[..., 0] == number, plane.pixels[..., 1], 0).sum(axis=2)
            np.testing.assert_allclose(found[name], expected, atol=1e-6)
        # Ranks fall.
        for higher, lower in zip(covers, covers[1:], strict=False):
            self.assertTrue((higher >= lower).all())
