"""The model element: what it wears, what it hides, and pictures that lie inside its file."""

import io
import tempfile
import unittest
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from pydantic import ValidationError

from zeitbild.assets import AssetFolder
from zeitbild.document.reading import parse_shot, write_shot
from zeitbild.document.shot import Camera, Environment, Raster, Shot
from zeitbild.elements import ElementBase
from zeitbild.elements.model import ModelElement, ModelMaterial, build, pose, wear
from zeitbild.elements.solid import Solid
from zeitbild.errors import InputError
from zeitbild.finishes import Finish
from zeitbild.geometry.model.test_model import simple
from zeitbild.library import files
from zeitbild.models import SHIPPED
from zeitbild.models.make import Writer, buoy, puffin
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.resolve.geometry_cache import geometry_key
from zeitbild.snapshot.finish_row import MAPS
from zeitbild.testing import NOWHERE, small_shot
from zeitbild.timing import Time


def four_colours() -> np.ndarray:  # type: ignore[type-arg]
    """A picture of four colours [32, 32, 3]."""
    picture = np.zeros((32, 32, 3), np.uint8)
    picture[:16, :16], picture[:16, 16:], picture[16:, :16], picture[16:, 16:] = (
        (255, 0, 0),
        (0, 255, 0),
        (0, 0, 255),
        255,
    )
    return picture


def painted(picture: np.ndarray | None = None, depths: tuple[float, ...] = (0,), **more: Any) -> bytes:  # type: ignore[type-arg]
    """Squares at some depths that show a picture, turned so that shares run from its upper left; more of their material."""
    data = io.BytesIO()
    Image.fromarray(four_colours() if picture is None else picture).save(data, "PNG")
    writer = Writer()
    corners = [[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]]
    points = np.array([[x, y, depth] for depth in depths for x, y, _ in corners], np.float32)
    shares = np.array([[0, 1], [1, 1], [1, 0], [0, 0]] * len(depths), np.float32)
    faces = np.array([[4 * at + k for k in (0, 1, 2, 0, 2, 3)] for at in range(len(depths))], np.uint8).reshape(-1)
    primitive = {
        "attributes": {"POSITION": writer.accessor(points, "VEC3"), "TEXCOORD_0": writer.accessor(shares, "VEC2")},
        "indices": writer.accessor(faces, "SCALAR"),
        "material": 0,
    }
    material = {
        "name": "paint",
        "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}},
        "extensions": {"KHR_materials_unlit": {}},
        **more,
    }
    writer.document |= {
        "images": [{"bufferView": writer.view(data.getvalue()), "mimeType": "image/png"}],
        "textures": [{"source": 0}],
        "materials": [material],
        "meshes": [{"primitives": [primitive]}],
        "nodes": [{"mesh": 0}],
        "scenes": [{"nodes": [0]}],
    }
    return writer.glb()


_NOW = Time(Fraction(1), Fraction(0), Fraction(0), Fraction(25))


def _seen(*elements: ElementBase) -> Shot:
    return small_shot(
        raster=Raster(width=96, height=96),
        camera=Camera(position=(0, 0, 1000), projection="orthographic", span=96),
        environment=Environment(strength=0),
        lights=(),
        elements=elements,
    )


class Element(unittest.TestCase):
    def test_a_material_wears_what_the_file_says_what_is_listed_or_the_one_finish(self) -> None:
        element = ModelElement(id="a", materials=(ModelMaterial(material="lamp", finish=Finish(named="")),))
        built = build(element, NOWHERE)
        worn = wear(element, _NOW, built)
        self.assertEqual([one.number for one in worn], [0, 0, 0, 1])
        self.assertEqual([bool(one.changes) for one in worn], [False, True, True, False])
        self.assertEqual((worn[1].changes["roughness"], worn[1].changes["map_by"]), (0.35, "front"))
        alone = element.model_copy(update={"wears": "one finish"})
        self.assertEqual([dict(one.changes) for one in wear(alone, _NOW, built)], [{}] * 4)
        self.assertEqual(geometry_key(alone.model_copy(update={"wears": "its own materials"})), geometry_key(element))
        self.assertEqual([one.part for one in pose(element, _NOW, built)], ["material 1", "material 2", "material 3"])

    def test_a_glow_keeps_its_colour_and_strength(self) -> None:
        worn = wear(ModelElement(id="a"), _NOW, build(ModelElement(id="a"), NOWHERE))
        self.assertEqual((worn[3].changes["emission"], worn[3].changes["emission_colour"]), (1.0, "#ffda95"))

    def test_what_is_wrong_is_named(self) -> None:
        for model, field in (("no-such", "model"), ("asset:" + "0" * 64, "model")):
            with self.assertRaises(InputError) as caught:
                build(ModelElement(id="a", model=model), NOWHERE)
            self.assertEqual(caught.exception.field, field)
        with self.assertRaisesRegex(ValidationError, "twice"):
            ModelElement(id="a", materials=(ModelMaterial(material="x"), ModelMaterial(material="x")))

    def test_facts_tell_what_forms_ask_for(self) -> None:
        known = {"buoy": (["red", "band", "lamp"], 4, []), "puffin": (["plumage"], 1, ["waddle", "flap"])}
        for one in SHIPPED.values():
            told = files.get("models").facts(one.path, one.title, one.key)
            materials, parts, clips = known[one.key]
            self.assertEqual([finish["name"] for finish in told["finishes"]], materials)
            self.assertEqual((told["up"], told["notes"], len(told["parts"])), ("y", [], parts))
            self.assertEqual([clip["name"] for clip in told["clips"]], clips)

    def test_no_two_shipped_files_have_one_name(self) -> None:
        # Textures name files of any kind by their keys.
        keys = [one.key for kind in files for one in kind.shipped]
        self.assertEqual(len(set(keys)), len(keys))

    def test_the_shipped_files_are_what_the_script_makes(self) -> None:
        self.assertEqual(SHIPPED["puffin"].path.read_bytes(), puffin())
        self.assertEqual(SHIPPED["buoy"].path.read_bytes(), buoy())


class Pictures(unittest.TestCase):
    def _picture(self, **more: Any) -> Any:
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            key = "asset:" + assets.add(painted())
            shot = _seen(ModelElement(id="a", model=key, size=64, **more))
            self.assertEqual(parse_shot(write_shot(shot)), shot)
            return render(resolve(shot, 1, assets), QUALITIES["check"]).beauty, files.get("models").facts(
                assets.path(key.removeprefix("asset:")), "x", key
            )

    def test_a_picture_inside_the_file_lies_as_the_file_says(self) -> None:
        beauty, told = self._picture()
        for row, column, colour in ((28, 28, (1, 0, 0)), (28, 68, (0, 1, 0)), (68, 28, (0, 0, 1)), (68, 68, (1, 1, 1))):
            np.testing.assert_allclose(beauty[row, column, :3], colour, atol=1e-5)
        self.assertEqual(float(beauty[2, 2, 3]), 0)
        # What the form gives somebody who changes the finish keeps the picture.
        values = told["finishes"][0]["values"]
        self.assertTrue(values["base_map"].endswith("#0"))
        beauty, _ = self._picture(materials=(ModelMaterial(material="paint", finish=Finish(**values)),))
        np.testing.assert_allclose(beauty[28, 68, :3], (0, 1, 0), atol=1e-5)

    def _clear(
        self, mode: str, depths: tuple[float, ...] = (0,), alpha: int = 64, *, wall: bool = False, **more: Any
    ) -> Any:
        """A model whose picture is clear on its right half."""
        own = np.full((32, 32, 1), 255, np.uint8)
        own[:, 16:] = alpha
        picture = np.concatenate([four_colours(), own], axis=2)
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            key = "asset:" + assets.add(painted(picture, depths, alphaMode=mode, **more))
            white = Finish(shading="unlit", base_colour="#ffffff")
            behind = [Solid(id="wall", placement={"position": (0, 0, -200)}, surface=white)] if wall else []
            shot = _seen(ModelElement(id="a", model=key, size=64), *behind)
            told = files.get("models").facts(assets.path(key.removeprefix("asset:")), "x", key)
            values = told["finishes"][0]["values"]
            listed = (ModelMaterial(material="paint", finish=Finish(**values)),)
            changed = _seen(ModelElement(id="a", model=key, size=64, materials=listed), *behind)
            found = [render(resolve(one, 1, assets), QUALITIES["final"]).beauty for one in (shot, changed)]
            # What the form gives somebody who changes the finish is cut out as the file says.
            np.testing.assert_array_equal(*found)
            return found[0], told["notes"]

    def test_alpha_of_a_picture_is_what_the_material_says(self) -> None:
        # glTF 2.0, section 3.9.4: ignored, how much is there, or all from a share on.
        beauty, notes = self._clear("OPAQUE")
        self.assertEqual(notes, [])
        np.testing.assert_allclose(beauty[28, 68], (0, 1, 0, 1), atol=1e-4)
        beauty, notes = self._clear("BLEND")
        share = 64 / 255
        self.assertEqual(notes, [])
        np.testing.assert_allclose(beauty[28, 28], (1, 0, 0, 1), atol=1e-4)
        np.testing.assert_allclose(beauty[28, 68], (0, share, 0, share), atol=1e-3)
        for cutoff, there in ((0.2, 1), (0.5, 0)):
            beauty, _ = self._clear("MASK", alphaCutoff=cutoff)
            np.testing.assert_allclose(beauty[28, 68], (0, there, 0, there), atol=1e-4)
            np.testing.assert_allclose(beauty[68, 28], (0, 0, 1, 1), atol=1e-4)
        # Its edge lies where the file has it: half of it is there.
        self.assertAlmostEqual(float(beauty[..., 3].sum()), 64 * 32, delta=64 * 0.3)

    def test_through_what_is_cut_out_the_rest_of_the_model_is_seen(self) -> None:
        beauty, _ = self._clear("BLEND", (-0.2, 0, 0.2), alpha=128)
        share = 128 / 255
        np.testing.assert_allclose(beauty[28, 68, 3], 1 - (1 - share) ** 3, atol=2e-3)
        np.testing.assert_allclose(beauty[28, 68, 1], 1 - (1 - share) ** 3, atol=2e-3)
        np.testing.assert_allclose(beauty[28, 28], (1, 0, 0, 1), atol=1e-4)
        # Before something opaque, at every share, nothing at all among them; green before white.
        for alpha in (0, 1, 128, 254):
            beauty, _ = self._clear("BLEND", (-0.2, 0, 0.2), alpha=alpha, wall=True)
            left = (1 - alpha / 255) ** 3
            np.testing.assert_allclose(beauty[28, 68], (left, 1, left, 1), atol=2e-3, err_msg=str(alpha))

    def test_roughness_and_metalness_of_one_picture_are_its_green_and_blue(self) -> None:
        packed = {
            "baseColorFactor": [0.5, 0.5, 0.5, 1],
            "roughnessFactor": 0.8,
            "metallicRoughnessTexture": {"index": 0},
        }
        picture = np.zeros((4, 4, 3), np.uint8)
        picture[..., 1], picture[..., 2] = 51, 204
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            key = "asset:" + assets.add(painted(picture, pbrMetallicRoughness=packed, extensions={}))
            element = ModelElement(id="a", model=key, size=64)
            values = wear(element, _NOW, build(element, assets))[1].changes
            self.assertEqual((values["roughness"], values["metalness"]), (0.8, 1.0))
            snapshot = resolve(_seen(element), 1, assets)
            row = next(row for body in snapshot.bodies for row in body.finishes if len(row) > MAPS)
            # Section 3.9.2: both are plain numbers, multiplied with the factors.
            for column, level in ((1, 51 / 255), (2, 204 / 255)):
                texture = snapshot.textures[int(row[MAPS + column]) - 1]
                self.assertTrue(texture.plain)
                np.testing.assert_allclose(texture.levels[0], level, atol=1e-6)
            self.assertEqual(files.get("models").facts(assets.path(key.removeprefix("asset:")), "x", key)["notes"], [])

    def test_a_turned_model_keeps_its_picture(self) -> None:
        beauty, _ = self._picture(placement={"rotation": (0, 0, 90)})
        for row, column, colour in ((68, 28, (1, 0, 0)), (28, 28, (0, 1, 0)), (68, 68, (0, 0, 1)), (28, 68, (1, 1, 1))):
            np.testing.assert_allclose(beauty[row, column, :3], colour, atol=1e-5)


class ColoursAndClips(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.assets = AssetFolder(Path(folder.name))

    def _seen(self, data: bytes, frame: int = 1, **more: Any) -> Any:
        shot = _seen(ModelElement(id="a", model="asset:" + self.assets.add(data), **more))
        shot = shot.model_copy(update={"timing": shot.timing.model_copy(update={"last": 40})})
        return render(resolve(shot, frame, self.assets), QUALITIES["check"]).beauty

    def test_colours_of_corners_run_over_the_surface(self) -> None:
        points = np.array([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]], np.float32)
        colours = np.array([[1, 0, 0], [0, 1, 0], [0, 0, 1], [1, 1, 0]], np.float32)
        writer = simple(points, np.array([[0, 1, 2], [0, 2, 3]]))
        writer.document["meshes"][0]["primitives"][0]["attributes"]["COLOR_0"] = writer.accessor(colours, "VEC3")
        bare = writer.glb()
        writer.document["materials"] = [{"extensions": {"KHR_materials_unlit": {}}}]
        writer.document["meshes"][0]["primitives"][0]["material"] = 0
        unlit = Finish(shading="unlit", base_colour="#ffffff")
        for data, more in ((writer.glb(), {}), (bare, {"surface": unlit})):
            beauty = self._seen(data, size=64, **more)
            at = (np.arange(64) + 0.5) / 64
            x, y = np.meshgrid(at, 1 - at)
            low = (1 - x)[..., None] * colours[0] + (x - y)[..., None] * colours[1] + y[..., None] * colours[2]
            high = (1 - y)[..., None] * colours[0] + x[..., None] * colours[2] + (y - x)[..., None] * colours[3]
            wanted = np.where((x > y)[..., None], low, high)
            off = np.abs(beauty[16:80, 16:80, :3] - wanted)
            # Where the two triangles meet a pixel has some of both.
            off[np.abs(x - y) < 2 / 64] = 0
            self.assertLess(float(off.max()), 4e-3)

    def test_a_clip_plays_at_frames(self) -> None:
        writer = simple(np.array([[-1, -1, 0], [1, -1, 0], [0, 1, 0]], np.float32), np.array([[0, 1, 2]]))
        times = writer.accessor(np.array([[0], [1]], np.float32), "SCALAR")
        ways = writer.accessor(np.array([[0, 0, 0], [0.5, 0, 0]], np.float32), "VEC3")
        writer.document["animations"] = [
            {
                "name": "slide",
                "samplers": [{"input": times, "output": ways}],
                "channels": [{"sampler": 0, "target": {"node": 0, "path": "translation"}}],
            }
        ]
        data = writer.glb()

        def middle(frame: int, **more: Any) -> float:
            own = {"stands": "about its own origin", "surface": Finish(shading="unlit"), "clip": "slide", **more}
            alpha = self._seen(data, frame, size=40, **own)[..., 3].sum(axis=0)
            return float((alpha * (np.arange(96) + 0.5 - 48)).sum() / alpha.sum())

        # Half a unit of two is ten of forty, in a second of 30 frames.
        self.assertAlmostEqual(middle(1), 0, delta=0.05)
        self.assertAlmostEqual(middle(1, clip_at=0.6), 6, delta=0.05)
        self.assertAlmostEqual(middle(16, plays="once"), 5, delta=0.05)
        self.assertAlmostEqual(middle(40, plays="once"), 10, delta=0.05)
        self.assertAlmostEqual(middle(37, plays="repeated"), 2, delta=0.05)
        self.assertAlmostEqual(middle(37, plays="back and forth"), 8, delta=0.05)
        self.assertAlmostEqual(middle(11, plays="once", speed=2, clip_start=5), 4, delta=0.05)
        with self.assertRaisesRegex(InputError, "no clip 'run'; there are slide"):
            middle(1, clip="run")
