"""What looks do to the very files that a receiver gets, read by libraries that wrote none of them."""

import io
import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray
from PIL import Image

from zeitbild.assets import AssetFolder
from zeitbild.colour import decode, decode_hex, encode
from zeitbild.document.reading import parse_shot, read_shot, write_shot
from zeitbild.document.shot import Shot
from zeitbild.farm.testing import make_files
from zeitbild.kernels import PARALLEL, set_threads
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.testing import NOWHERE

DEMO = Path(__file__).parents[3] / "demo"


def _demo(code: str) -> Shot:
    return parse_shot((DEMO / f"{code}.json").read_text(encoding="utf-8"))


def _card(**finish: Any) -> dict[str, Any]:
    """A flat white card that fills the middle of the picture."""
    values = {"shading": "unlit", "base_colour": "#ffffff", **finish}
    return {"id": "card", "kind": "solid", "width": 400, "height": 400, "depth": 2, "rounding": 0, "surface": values}


def _shot(*elements: dict[str, Any], **more: Any) -> Shot:
    base = {
        **Shot().model_dump(mode="json"),
        "raster": {"width": 128, "height": 128},
        "timing": {"first": 1, "last": 8},
        "camera": {"position": [0, 0, 1000], "projection": "orthographic", "span": 600},
        "elements": list(elements),
        "layers": [{"name": "main", "passes": ["beauty"]}],
        "quality": "final",
    }
    return read_shot({**base, **more})


class Files(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.assets = AssetFolder(self.folder / "assets")

    def _written(self, shot: Shot, recipe: str = "png8", frame: int = 1, layer: str = "main") -> Path:
        # A folder of its own each time: files that stand are never overwritten.
        out = Path(tempfile.mkdtemp(dir=self.folder))
        places = (self.folder / "assets", self.folder / "masters", out)
        records = make_files(write_shot(shot), frame, (layer,), "final", recipe, (), (), 1, *places)
        return out / records[0].path

    def _pixels(self, shot: Shot, recipe: str = "png8", frame: int = 1) -> NDArray[Any]:
        return np.asarray(Image.open(self._written(shot, recipe, frame, shot.layers[0].name)))

    def test_the_pixel_look_is_whole_squares_of_the_colours_that_were_chosen(self) -> None:
        shot = _demo("KM030")
        pixels = self._pixels(shot, frame=5)
        by = shot.pixels.enlarge
        small = pixels[::by, ::by]
        np.testing.assert_array_equal(pixels, small.repeat(by, axis=0).repeat(by, axis=1))
        self.assertEqual(set(np.unique(pixels[..., 3])), {0, 255})
        chosen = {shot.pixels.outline_colour}
        for finish in shot.finishes:
            values = finish.values
            chosen |= {tone.colour for tone in values.tones} if values.shading == "tone bands" else {values.base_colour}
        used = {f"#{r:02x}{g:02x}{b:02x}" for r, g, b in small[small[..., 3] == 255][:, :3].tolist()}
        self.assertLessEqual(used, chosen)
        self.assertGreater(len(used), 8)

    def test_every_frame_of_the_beam_is_another_and_the_cycle_closes(self) -> None:
        shot = _demo("KM030")
        frames = [self._pixels(shot, frame=frame).tobytes() for frame in (1, 7, 13, 19, 25)]
        self.assertEqual(frames[0], frames[-1])
        self.assertEqual(len(set(frames)), 4)

    def test_a_palette_holds_in_files(self) -> None:
        palette = ["#112233", "#ff8800", "#fff0d0"]
        shot = _demo("KM030")
        pixels = shot.pixels.model_copy(update={"palette": tuple(palette), "outline": False})
        found = self._pixels(shot.model_copy(update={"pixels": pixels}))
        solid = found[found[..., 3] == 255][:, :3]
        self.assertEqual({f"#{r:02x}{g:02x}{b:02x}" for r, g, b in solid.tolist()}, set(palette))

    def test_opacity_is_straight_alpha_in_png_and_premultiplied_in_exr(self) -> None:
        colour = "#c08040"
        shot = _shot(_card(base_colour=colour, opacity=0.25))
        middle = self._pixels(shot)[64, 64]
        # Its near and its far side, each a quarter: 1 - (3/4)^2.
        alpha = 1 - 0.75**2
        self.assertEqual(tuple(middle), (0xC0, 0x80, 0x40, round(alpha * 255)))
        values = oiio.ImageBuf(str(self._written(shot, "exr"))).get_pixels(oiio.FLOAT)[64, 64]
        np.testing.assert_allclose(values, (*(alpha * np.array(decode_hex(colour))), alpha), atol=4e-4)

    def test_a_receiver_who_lays_it_over_a_colour_gets_what_the_backdrop_gives(self) -> None:
        # Over of Porter and Duff 1984 on linear light, done here from the file; and by Zeitbild, as a backdrop.
        card, disc = _card(base_colour="#3377cc", opacity=0.6), {**_card(base_colour="#ffaa00"), "id": "disc"}
        disc |= {"shape": "ball", "width": 250, "height": 250, "placement": {"position": [60, 40, -300]}}
        ground = "#20a050"
        clear = self._pixels(_shot(card, disc), "png16").astype(np.float64)
        filled = self._pixels(_shot(card, disc, backdrop={"kind": "colour", "colour": ground}), "png8").astype(
            np.float64
        )
        if clear.max() > 255:
            clear /= 257
        alpha = clear[..., 3:] / 255
        over = decode(clear[..., :3] / 255) * alpha + np.array(decode_hex(ground)) * (1 - alpha)
        self.assertLess(float(np.abs(encode(over) * 255 - filled[..., :3]).max()), 1.6)

    def test_a_wider_filter_keeps_colours_free_of_fringes(self) -> None:
        card = {**_card(base_colour="#d04020"), "placement": {"rotation": [0, 0, 17]}}
        plain = self._pixels(_shot(card))
        wide = self._pixels(_shot(card, sampling={"filter": "Blackman-Harris", "filter_width": 4}))
        soft = (wide[..., 3] > 8) & (wide[..., 3] < 250)
        self.assertGreater(int(soft.sum()), int(((plain[..., 3] > 8) & (plain[..., 3] < 250)).sum()))
        # Straight colour does not change where alpha does; at little alpha a step of alpha is a step of colour.
        np.testing.assert_allclose(wide[soft][:, :3], np.broadcast_to((0xD0, 0x40, 0x20), (int(soft.sum()), 3)), atol=1)

    def test_blur_keeps_coverage_and_colour(self) -> None:
        turning = {**_card(base_colour="#d04020"), "turn": {"turns": 1, "axis": "z"}}
        plain, blurred = (self._pixels(_shot(turning, motion={"angle": angle})) for angle in (0, 180))
        ratio = blurred[..., 3].sum(dtype=np.int64) / plain[..., 3].sum(dtype=np.int64)
        self.assertAlmostEqual(ratio, 1, delta=0.003)
        seen = blurred[..., 3] > 40
        np.testing.assert_allclose(
            blurred[seen][:, :3], np.broadcast_to((0xD0, 0x40, 0x20), (int(seen.sum()), 3)), atol=1
        )

    def test_a_texture_arrives_as_it_was_painted(self) -> None:
        painted = np.zeros((4, 4, 3), np.uint8)
        painted[:2, :2], painted[:2, 2:], painted[2:, :2], painted[2:, 2:] = (
            (200, 30, 40),
            (20, 160, 60),
            (30, 60, 190),
            (240, 230, 210),
        )
        stored = io.BytesIO()
        Image.fromarray(painted.repeat(32, axis=0).repeat(32, axis=1)).save(stored, "PNG")
        named = "asset:" + self.assets.add(stored.getvalue())
        pixels = self._pixels(_shot(_card(base_map=named, map_width=400)))
        for (x, y), colour in (
            ((50, 50), painted[0, 0]),
            ((78, 50), painted[0, 3]),
            ((50, 78), painted[3, 0]),
            ((78, 78), painted[3, 3]),
        ):
            np.testing.assert_allclose(pixels[y, x, :3], colour, atol=1)
            self.assertEqual(pixels[y, x, 3], 255)

    def test_documents_written_and_read_again_give_the_same_file(self) -> None:
        shot = _shot(_card(opacity=0.5, coat=0.5, shading="metal-rough"), motion={"angle": 90})
        again = read_shot(json.loads(write_shot(shot)))
        self.assertEqual(self._written(shot).read_bytes(), self._written(again).read_bytes())


class Threads(unittest.TestCase):
    """One thread and many give the same bytes, whatever is switched on."""

    def _bytes(self, shot: Shot, planes: bool) -> bytes:
        snapshot = resolve(shot, 3, NOWHERE)
        width = 160
        height = width * snapshot.height // snapshot.width
        picture = render(snapshot.at_size(width, height), QUALITIES["check"], planes=planes)
        parts = [picture.beauty, picture.depth, *picture.groups.values()]
        parts += [one for one in (picture.planes, picture.data, picture.identities) if one is not None]
        return b"".join(part.tobytes() for part in parts)

    def _check(self, shot: Shot) -> None:
        with PARALLEL:
            set_threads(1)
            one = self._bytes(shot, True)
            set_threads(64)
            many = self._bytes(shot, True)
        self.assertEqual(one, many)

    def test_soft_shadows_occlusion_and_mirrors(self) -> None:
        self._check(_demo("KM020"))

    def test_tone_bands_in_hard_pixels(self) -> None:
        self._check(_demo("KM030"))

    def test_blur_opacity_and_filter(self) -> None:
        raw = _demo("KM020").model_dump(mode="json")
        raw["motion"]["angle"] = 180
        raw["elements"][1]["turn"]["turns"] = 3
        raw["elements"][0]["surface"]["opacity"] = 0.4
        raw["sampling"] |= {"filter": "Gaussian", "filter_width": 2.5}
        self._check(read_shot({**raw, "timing": {**raw["timing"], "last": 24}}))

    def test_an_empty_set(self) -> None:
        self._check(_shot())
