"""What bends while the shutter is open: figures and limbs against the mean of many stills, and where the motion pass says that they go."""

import unittest
from dataclasses import replace
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.document.shot import Camera, Motion, Raster, Shot, Timing
from zeitbild.elements import ElementBase
from zeitbild.elements.model import ModelElement
from zeitbild.elements.puppet import Limb, Puppet
from zeitbild.finishes import Finish
from zeitbild.geometry.mesh import NOTHING, Mesh
from zeitbild.keys import Key, Track
from zeitbild.lights.sun import SunLight
from zeitbild.masters import frame_key
from zeitbild.masters.bundles import file_end
from zeitbild.render import QUALITIES, render
from zeitbild.render.data_rows import MOTION, POSITION, SHARE
from zeitbild.render.world.ways import bent
from zeitbild.resolve import resolve
from zeitbild.snapshot import Bent, Body
from zeitbild.testing import IDENTITY, NOWHERE, quad
from zeitbild.values import Placement

FINAL = QUALITIES["final"]
Floats = NDArray[np.float64]
_FRAME = 5


def _shot(*elements: ElementBase, angle: float = 360, **more: Any) -> Shot:
    return Shot(
        raster=Raster(width=160, height=128),
        timing=Timing(last=48),
        camera=Camera(position=(0, 0, 1100)),
        motion=Motion(angle=angle, phase=0),
        elements=elements,
        **more,
    )


def _figure(speed: float = 2.5, **more: Any) -> ModelElement:
    """The puffin beats its wings; it stands where it is."""
    return ModelElement(
        id="bird", model="puffin", size=400, clip="flap", plays="repeated", speed=speed, surface=Finish(), **more
    )


def _puppet(last: float = 120, first: float = 0) -> Puppet:
    """Its wing bends by forty degrees from frame to frame, or not at all."""

    def track(*values: float) -> Track:
        return Track(keys=tuple(Key(frame=5 + 3 * at, value=one, way="straight") for at, one in enumerate(values)))

    moves = {"limbs.wing.bend": track(first, last), "limbs.wing.turn": track(100, 100)}
    return Puppet(id="bird", drawing="puffin-parts", size=400, limbs={"wing": Limb()}, moves=moves)


def _mean(shot: Shot, count: int) -> Floats:
    """The mean of stills while the shutter is open, each resolved and drawn on its own."""
    closed = shot.model_copy(update={"motion": Motion(angle=0)})
    share = Fraction(str(shot.motion.angle)) / 360
    times = [_FRAME + share * Fraction(2 * number + 1, 2 * count) for number in range(count)]
    stills: list[Any] = [resolve(closed, time, NOWHERE) for time in times]  # type: ignore[arg-type]
    return np.mean([render(one, FINAL).beauty.astype(float) for one in stills], axis=0)  # type: ignore[no-any-return]


class Blur(unittest.TestCase):
    def _close(self, shot: Shot, *, alpha: float, colour: float) -> None:
        truth = _mean(shot, 48)
        snapshot = resolve(shot, _FRAME, NOWHERE)
        found = render(snapshot, FINAL).beauty
        still = replace(snapshot, stations=(), bodies=tuple(replace(body, bends=()) for body in snapshot.bodies))
        sharp = np.abs(render(still, FINAL).beauty - truth) * 255
        moves = sharp.max(axis=2) > 3
        self.assertGreater(int(moves.sum()), 100)
        off = np.abs(found - truth)[moves] * 255
        self.assertLess(float(off[:, 3].mean()), alpha)
        self.assertLess(float(off[:, :3].mean()), colour)
        # What stands when the shutter opens is another picture.
        self.assertGreater(float(sharp[moves].mean()), 6 * float(off.mean()))

    def test_a_figure_that_beats_its_wings(self) -> None:
        self._close(_shot(_figure()), alpha=1.6, colour=2.5)

    def test_a_figure_and_the_shadow_that_it_throws(self) -> None:
        board = ModelElement(id="board", model="buoy", placement=Placement(position=(0, 0, -400)), size=900)
        self._close(
            _shot(_figure(), board, lights=(SunLight(azimuth=20, elevation=20, size=0),)), alpha=1.6, colour=2.5
        )

    def test_a_see_through_figure(self) -> None:
        shot = _shot(_figure(wears="one finish", opacity=0.6))
        self._close(shot, alpha=1.6, colour=2.5)

    def test_a_limb_that_begins_to_bend(self) -> None:
        # Straight when the shutter opens: its outline has points enough all the same.
        self._close(_shot(_puppet()), alpha=1.6, colour=1)

    def test_a_limb_that_turns_round_and_is_mirrored(self) -> None:
        mirrored = _puppet(-150, 60).model_copy(update={"mirrored": True})
        self._close(_shot(mirrored), alpha=1.6, colour=1)


class Resolving(unittest.TestCase):
    def test_only_what_bends_says_how(self) -> None:
        bodies = resolve(_shot(_puppet()), _FRAME, NOWHERE).bodies
        self.assertEqual([body.id for body in bodies if body.bends], ["bird/wing"])
        self.assertEqual([body.id for body in bodies if body.then], ["bird/wing"])
        for shot in (_shot(_puppet(0)), _shot(_puppet(), angle=0)):
            still = resolve(shot, _FRAME, NOWHERE)
            self.assertFalse(any(body.bends for body in still.bodies))
            self.assertEqual(still.stations, ())

    def test_the_key_knows_how_it_bends_and_motion_where_to(self) -> None:
        shots = [_shot(_figure(speed)) for speed in (4, 4, 2)]
        # At the first frame of the clip both stand alike.
        frames = [resolve(shot, 1, NOWHERE) for shot in shots]
        keys = [frame_key(one, "final") for one in frames]
        self.assertEqual(keys[0], keys[1])
        self.assertNotEqual(keys[0], keys[2])
        closed = [resolve(_shot(_figure(speed), angle=0), 1, NOWHERE) for speed in (4, 2)]
        self.assertEqual(*(frame_key(one, "final") for one in closed))
        self.assertNotEqual(*(file_end("data", one) for one in closed))

    def test_what_comes_in_place_of_another_thing_does_not_bend(self) -> None:
        one, other = quad(1.0), quad(2.0)
        body = Body("card", "card", one, IDENTITY, ((1.0,),), bends=(Bent("a", one), Bent("b", NOTHING)))
        self.assertEqual(body.built(one, 1.0).bends, ())
        same = replace(body, bends=(Bent("a", one), Bent("b", other)), then=Bent("c", NOTHING)).built(one, 1.0)
        self.assertEqual(len(same.bends), 2)
        self.assertIsNone(same.then)
        np.testing.assert_allclose(same.mesh_at(0.25).vertices, one.vertices * 1.25)
        np.testing.assert_allclose(same.strays(), [1, 1, 0])

    def test_how_far_a_surface_turns_in_itself(self) -> None:
        one = quad(1.0)
        turn = np.radians(12)
        linear = np.array([[np.cos(turn), -np.sin(turn), 0], [np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
        other = replace(one, vertices=one.vertices @ linear.T)
        body = Body("card", "card", one, IDENTITY, ((1.0,),), bends=(Bent("a", one), Bent("b", other), Bent("a", one)))
        self.assertAlmostEqual(bent(body), 24, places=6)
        self.assertEqual(bent(replace(body, bends=())), 0)


class Going(unittest.TestCase):
    """The motion pass against points of the figure's own skin, found by the place that a pixel shows."""

    def _skins(self, element: ElementBase) -> tuple[list[Mesh], list[Mesh]]:
        """Its bodies in the world at a frame and at the next."""
        found: list[list[Mesh]] = []
        for frame in (_FRAME, _FRAME + 1):
            snapshot = resolve(_shot(element, angle=0), frame, NOWHERE).built(FINAL)
            meshes = []
            for body in snapshot.bodies:
                matrix = np.array(body.matrix).reshape(4, 4)
                mesh = snapshot.built_meshes[snapshot.bodies.index(body)]
                meshes.append(replace(mesh, vertices=mesh.vertices @ matrix[:3, :3].T + matrix[:3, 3]))
            found.append(meshes)
        return found[0], found[1]

    def _on_screen(self, points: Floats, shot: Shot) -> Floats:
        """A pinhole at (0, 0, 1100) that looks along -z: pixels to the right and down."""
        focal = shot.raster.width / 2 / np.tan(np.radians(shot.camera.horizontal_angle) / 2)
        return points[:, :2] * np.array([focal, -focal]) / (1100 - points[:, 2:])

    def test_a_beating_wing_goes_where_its_skin_goes(self) -> None:
        element = _figure()
        now, then = self._skins(element)
        for angle in (0.0, 20.0):
            shot = _shot(element, angle=angle)
            picture = render(resolve(shot, _FRAME, NOWHERE), FINAL, planes=True)
            assert picture.data is not None
            whole = picture.data[..., SHARE] > 0.99
            places, said = (picture.data[whole][:, at : at + size] for at, size in ((POSITION, 3), (MOTION, 2)))
            corners = np.concatenate([mesh.vertices[mesh.triangles] for mesh in now])
            later = np.concatenate([mesh.vertices[mesh.triangles] for mesh in then])
            checked, largest = 0, 0.0
            for place, own in zip(places[::11], said[::11], strict=True):
                # The triangle that the place lies in, by the areas of three triangles.
                a, b, c = corners[:, 0] - place, corners[:, 1] - place, corners[:, 2] - place
                parts = np.stack([np.linalg.norm(np.cross(*two), axis=1) for two in ((b, c), (c, a), (a, b))], axis=1)
                full = np.linalg.norm(np.cross(b - a, c - a), axis=1)
                at = int(np.argmin(parts.sum(axis=1) - full))
                shares = parts[at] / parts[at].sum()
                ends = [self._on_screen((shares @ mesh[at])[None], shot)[0] for mesh in (corners, later)]
                off = float(np.linalg.norm(ends[1] - ends[0] - own))
                if angle == 0:
                    self.assertLess(off, 0.02)
                largest = max(largest, float(np.linalg.norm(own)))
                # A shutter that is open shows its middle, some frames further: nearly the same way.
                checked += off < (0.02 if angle == 0 else 1.0)
            self.assertGreater(checked, 0.9 * len(places[::11]))
            if angle == 0:
                self.assertGreater(largest, 10)

    def test_a_mirrored_limb_goes_the_other_way(self) -> None:
        def motion(puppet: Puppet) -> Floats:
            picture = render(resolve(_shot(puppet, angle=0), _FRAME, NOWHERE), FINAL, planes=True)
            assert picture.data is not None
            return picture.data[..., MOTION : MOTION + 2].astype(float)

        puppet = _puppet()
        plain, mirrored = motion(puppet), motion(puppet.model_copy(update={"mirrored": True}))[:, ::-1]
        self.assertGreater(float(np.abs(plain).max()), 3)
        # But for pixels of which two things have nearly the same share.
        off = np.abs(mirrored - plain * [-1, 1]).max(axis=2)
        self.assertLess(float((off > 0.05).mean()), 0.001)
