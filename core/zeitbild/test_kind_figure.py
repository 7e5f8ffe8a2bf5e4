"""Figures: skins and targets against a plain evaluation with numpy, clips mixed with scipy's rotations, ways over the ground, and a foot that slides."""

import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError
from scipy.spatial.transform import Rotation, Slerp

from zeitbild.assets import AssetFolder
from zeitbild.checks import SetView
from zeitbild.checks.sliding_feet import _look
from zeitbild.document.evaluate import time_of
from zeitbild.document.reading import parse_shot, write_shot
from zeitbild.document.shot import Camera, Raster, Shot, Sound, Timing
from zeitbild.elements.model import ModelElement, PlacedClip, TargetShape, played
from zeitbild.errors import InputError
from zeitbild.geometry.model.figure import Played
from zeitbild.geometry.model.standing import Model, Placing, Shapes
from zeitbild.geometry.model.test_model import model_of
from zeitbild.keys import Key, Track
from zeitbild.models.make import Writer
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.resolve.speaking import Speaking, speak

_UP = np.array([0.0, 1, 0])


def _walker(*, sets: int = 1) -> bytes:
    """A post of three joints, hip, knee and foot, with a skin, a target, a walk that goes a unit to the right in a second, and a nod. What its points
    hang on may be told in two sets of four joints, half of each without a share."""
    rng = np.random.default_rng(6)
    writer = Writer()
    count = 60
    points = rng.uniform(-0.3, 0.3, (count, 3)) + np.linspace(0, 2, count)[:, None] * [0, 1, 0]
    joints = rng.integers(0, 3, (count, 4)).astype(np.uint8)
    shares = rng.random((count, 4))
    shares /= shares.sum(axis=1, keepdims=True)
    inverse = np.array([np.linalg.inv(_shift(0, height)) for height in (2.0, 1.0, 0.0)])
    faces = rng.permutation(count).astype(np.uint32)
    target = rng.normal(size=(count, 3)) * 0.1
    half = np.sqrt(0.5)
    document = writer.document
    document["meshes"] = [
        {
            "primitives": [
                {
                    "attributes": {
                        "POSITION": writer.accessor(points.astype(np.float32), "VEC3"),
                        "NORMAL": writer.accessor(_unit(points).astype(np.float32), "VEC3"),
                        **_hung(writer, joints, shares, sets),
                    },
                    "indices": writer.accessor(faces[:, None], "SCALAR"),
                    "targets": [{"POSITION": writer.accessor(target.astype(np.float32), "VEC3")}],
                }
            ],
            "extras": {"targetNames": ["Smile"]},
            "weights": [0.0],
        }
    ]
    document["skins"] = [
        {
            "joints": [1, 2, 3],
            "inverseBindMatrices": writer.accessor(
                inverse.transpose(0, 2, 1).reshape(-1, 16).astype(np.float32), "MAT4"
            ),
        }
    ]
    document["nodes"] = [
        {"mesh": 0, "skin": 0},
        {"name": "hip", "translation": [0, 2, 0], "children": [2]},
        {"name": "knee", "translation": [0, -1, 0], "children": [3]},
        {"name": "left foot", "translation": [0, -1, 0]},
    ]
    document["scenes"] = [{"nodes": [0, 1]}]
    second = writer.accessor(np.array([[0], [1]], np.float32), "SCALAR")
    document["animations"] = [
        {
            "name": "walk",
            "samplers": [
                {"input": second, "output": writer.accessor(np.array([[0, 2, 0], [1, 2.2, 0]], np.float32), "VEC3")},
                {
                    "input": second,
                    "output": writer.accessor(np.array([[0, 0, 0, 1], [0, 0, half, half]], np.float32), "VEC4"),
                },
            ],
            "channels": [
                {"sampler": 0, "target": {"node": 1, "path": "translation"}},
                {"sampler": 1, "target": {"node": 2, "path": "rotation"}},
            ],
        },
        {
            "name": "nod",
            "samplers": [
                {
                    "input": second,
                    "output": writer.accessor(np.array([[half, 0, 0, half], [half, 0, 0, half]], np.float32), "VEC4"),
                }
            ],
            "channels": [{"sampler": 0, "target": {"node": 2, "path": "rotation"}}],
        },
    ]
    return writer.glb()


def _hung(writer: Writer, joints: NDArray[Any], shares: NDArray[Any], sets: int) -> dict[str, int]:
    """The attributes by which points hang on joints (glTF 2.0, 3.7.3.3)."""
    found = {}
    for number in range(sets):
        own = np.arange(4) % sets == number
        found[f"JOINTS_{number}"] = writer.accessor(np.where(own, joints, 0).astype(np.uint8), "VEC4")
        found[f"WEIGHTS_{number}"] = writer.accessor(np.where(own, shares, 0).astype(np.float32), "VEC4")
    return found


def _unit(ways: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(ways / np.linalg.norm(ways, axis=1, keepdims=True))


def _shift(x: float, y: float) -> NDArray[np.float64]:
    made = np.eye(4)
    made[:2, 3] = x, y
    return made


def _turned(rotation: Rotation) -> NDArray[np.float64]:
    made = np.eye(4)
    made[:3, :3] = rotation.as_matrix()
    return made


class Posed(unittest.TestCase):
    model: Model

    @classmethod
    def setUpClass(cls) -> None:
        cls.model = model_of(_walker())

    def _points(self, played: list[Played], **shapes: float) -> NDArray[np.float64]:
        assert self.model.figure is not None
        ((points, _),) = self.model.figure.posed(played, shapes, _UP)
        return points

    def _by_hand(self, hip: tuple[float, float], knee: Rotation, smile: float = 0.0) -> NDArray[np.float64]:
        """Every point by every joint that it hangs on, one after the other."""
        assert self.model.figure is not None
        limb = self.model.figure._limbs[0]
        standing = [_shift(*hip)]
        standing.append(standing[0] @ _shift(0, -1) @ _turned(knee))
        standing.append(standing[1] @ _shift(0, -1))
        found = []
        by = limb.targets[0][0]
        assert limb.joints is not None and limb.shares is not None and by is not None
        for v, point in enumerate(limb.points):
            own = np.append(point + smile * by[v], 1)
            total = np.zeros(4)
            for joint, share in zip(limb.joints[v], limb.shares[v], strict=True):
                total += share * (standing[joint] @ _shift(0, -(2.0 - joint)) @ own)
            found.append(total[:3])
        return np.array(found)

    def test_at_rest_it_is_as_the_file_has_it(self) -> None:
        np.testing.assert_allclose(self._points([]), self.model.parts[0].points, atol=1e-6)

    def test_skins_and_targets_follow_their_joints(self) -> None:
        for seconds in (0.0, 0.3, 1.0):
            knee = Rotation.from_euler("z", 90 * seconds, degrees=True)
            want = self._by_hand((seconds, 2 + 0.2 * seconds), knee, 0.7)
            np.testing.assert_allclose(self._points([Played("walk", seconds)], Smile=0.7), want, atol=2e-6)

    def test_points_may_hang_on_more_than_four_joints(self) -> None:
        """What is told in two sets, each of which has some of the shares, is what one set tells."""
        other = model_of(_walker(sets=2))
        assert other.figure is not None
        limb = other.figure._limbs[0]
        assert limb.joints is not None
        self.assertEqual(limb.joints.shape, (60, 8))
        np.testing.assert_allclose(other.parts[0].points, self.model.parts[0].points, atol=1e-6)
        ((points, _),) = other.figure.posed([Played("walk", 0.7)], {"Smile": 0.3}, _UP)
        np.testing.assert_allclose(points, self._points([Played("walk", 0.7)], Smile=0.3), atol=1e-6)

    def test_clips_are_mixed_on_the_shorter_way(self) -> None:
        walk = Rotation.from_euler("z", 45, degrees=True)
        nod = Rotation.from_euler("x", 90, degrees=True)
        for share in (0.0, 0.25, 0.8, 1.0):
            knee = Slerp([0, 1], Rotation.concatenate([walk, nod]))(share)
            want = self._by_hand((0.5, 2.1), knee)
            np.testing.assert_allclose(self._points([Played("walk", 0.5), Played("nod", 0.2, share)]), want, atol=2e-6)

    def test_its_way_over_the_ground_is_kept_taken_out_or_carried_on(self) -> None:
        knee = Rotation.from_euler("z", 45, degrees=True)
        for way, rounds, across in (("as in the clip", 3, 0.5), ("on the spot", 3, 0.0), ("goes on", 3, 3.5)):
            want = self._by_hand((across, 2.1), knee)
            own = Played("walk", 0.5, 1.0, rounds, way)  # type: ignore[arg-type]
            np.testing.assert_allclose(self._points([own]), want, atol=2e-6)

    def test_meshes_of_poses_have_the_same_triangles_and_true_normals(self) -> None:
        shapes = Shapes(self.model, Placing(100, "y", "about its own origin"), frozenset())
        assert self.model.figure is not None
        (rest,) = shapes.at_rest().values()
        (moved,) = shapes.posed(self.model.figure.posed([Played("walk", 1.0)], {}, _UP)).values()
        np.testing.assert_array_equal(rest.triangles, moved.triangles)
        self.assertGreater(float(np.abs(rest.vertices - moved.vertices).max()), 10)
        np.testing.assert_allclose(np.linalg.norm(moved.normals, axis=2), 1, atol=1e-5)


class Placed(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.assets = AssetFolder(Path(holder.name))
        self.name = "asset:" + self.assets.add(_walker())

    def _shot(self, **more: Any) -> Shot:
        own = ModelElement(
            **{"id": "walker", "model": self.name, "size": 200, "stands": "about its own origin", **more}
        )
        return Shot(
            raster=Raster(width=320, height=180),
            camera=Camera(position=(0, 60, 1000), look_at=(0, 60, 0), projection="orthographic", span=640),
            timing=Timing(rate="24", first=1, last=96, cycle=False),
            elements=(own,),
        )

    def _played(self, frame: int, *clips: PlacedClip) -> list[tuple[str, float, float, int]]:
        shot = self._shot(clips=clips)
        found = played(shot.elements[0], time_of(shot, frame), model_of(_walker()))
        return [(one.clip, round(one.seconds, 6), round(one.share, 6), one.rounds) for one in found]

    def test_clips_begin_repeat_and_blend_where_they_are_placed(self) -> None:
        walk = PlacedClip(clip="walk", start=13, blend=0)
        self.assertEqual(self._played(12, walk), [])
        self.assertEqual(self._played(13, walk), [("walk", 0, 1, 0)])
        self.assertEqual(self._played(43, walk), [("walk", 0.25, 1, 1)])
        fast = PlacedClip(clip="walk", start=13, blend=0, speed=2, skip=0.25, plays="back and forth")
        self.assertEqual(self._played(25, fast), [("walk", 0.75, 1, 0)])
        once = PlacedClip(clip="walk", start=1, blend=0, plays="once")
        self.assertEqual(self._played(90, once), [("walk", 1, 1, 0)])
        twice = PlacedClip(clip="walk", start=1, blend=0, times=2)
        self.assertEqual(self._played(90, twice), [("walk", 1, 1, 1)])
        both = self._played(37, walk, PlacedClip(clip="nod", start=33, blend=9))
        self.assertEqual([one[0] for one in both], ["walk", "nod"])
        self.assertAlmostEqual(both[1][2], 0.5)
        self.assertEqual(self._played(90, walk, PlacedClip(clip="nod", start=33, blend=9))[1][2], 1)

    def test_it_plays_in_pictures_any_frame_alone(self) -> None:
        shot = self._shot(clips=(PlacedClip(clip="walk", way="goes on"), PlacedClip(clip="nod", start=40)))
        self.assertEqual(parse_shot(write_shot(shot)), shot)
        in_order = [resolve(shot, frame, self.assets).bodies[0].shape for frame in range(1, 60)]
        self.assertEqual(
            in_order[50], resolve(self._shot(clips=shot.elements[0].clips), 51, self.assets).bodies[0].shape
        )
        self.assertGreater(len(set(in_order)), 50)
        one, other = (render(resolve(shot, frame, self.assets), QUALITIES["rough"]).beauty for frame in (1, 30))
        self.assertGreater(float(np.abs(one - other).max()), 0.1)

    def test_shapes_of_targets_have_keys(self) -> None:
        smiles = Track(keys=(Key(frame=1, value=0, way="straight"), Key(frame=11, value=1)))
        shot = self._shot(moves={"shapes.smile.weight": smiles})
        still = self._shot(shapes={"smile": TargetShape(weight=0.5)})
        a, b = (resolve(one, 6, self.assets).bodies[0].form.at(0.1).vertices for one in (shot, still))
        np.testing.assert_allclose(a, b, atol=1e-9)
        self.assertGreater(float(np.abs(a - resolve(shot, 1, self.assets).bodies[0].form.at(0.1).vertices).max()), 1)

    def test_a_voice_moves_shapes(self) -> None:
        shot = self._shot().model_copy(update={"sounds": (Sound(id="voice", file="puffin-voice"),)})
        path = "elements.0.shapes.smile.weight"
        given = Speaking("voice", shapes={"wide": path, "teeth": path, "rest": ""})
        (tracks,) = speak(shot, given, self.assets).values.values()
        keys = tracks["shapes.smile.weight"]["keys"]
        self.assertEqual({key["value"] for key in keys}, {0, 1})
        # One frame takes it from none to all.
        steps = [(a["frame"], b["frame"]) for a, b in zip(keys, keys[1:], strict=False) if a["value"] != b["value"]]
        self.assertEqual({b - a for a, b in steps}, {1})
        with self.assertRaises(InputError) as caught:
            speak(shot, Speaking("voice", shapes={"wide": ""}), self.assets)
        self.assertEqual(caught.exception.field, "mouth")

    def test_a_clip_that_is_not_there_is_said_at_its_place(self) -> None:
        with self.assertRaises(InputError) as caught:
            resolve(self._shot(clips=(PlacedClip(clip="walk"), PlacedClip(clip="run"))), 1, self.assets)
        self.assertEqual(caught.exception.field, "elements.0.clips.1.clip")
        with self.assertRaises(ValidationError):
            PlacedClip(clip="")

    def test_a_foot_that_slides_is_found_and_one_that_stands_is_not(self) -> None:
        # Its foot hangs down from the hip, which goes over the ground: it slides by as much.
        slides = self._shot(clips=(PlacedClip(clip="walk", way="goes on", blend=0),))
        found = list(_look(SetView(slides, self.assets)))
        self.assertEqual([one.code for one in found], ["sliding-feet"])
        self.assertEqual(found[0].field, "elements.0.clips")
        stands = self._shot(clips=(PlacedClip(clip="nod", way="on the spot", blend=0),))
        self.assertEqual(list(_look(SetView(stands, self.assets))), [])
