"""Bodies that are see-through in part: what is opaque of them is drawn as if it were a body of its own."""

import unittest
from dataclasses import replace

import numpy as np

from zeitbild.geometry.mesh import Mesh
from zeitbild.render import QUALITIES, render, render_together
from zeitbild.render.data_rows import TEXTURE
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import finish_row
from zeitbild.snapshot.lights import LightSource
from zeitbild.snapshot.texture import Texture
from zeitbild.testing import IDENTITY, MATT_WHITE, quad, snapshot

_SIZE = (96, 64)
_GOES = (*IDENTITY[:3], 0.4, *IDENTITY[4:])
_ROWS = (
    finish_row((0.9, 0.2, 0.1), unlit=True, opacity=0.4),
    finish_row((0.1, 0.8, 0.3), unlit=True),
    finish_row((0.2, 0.3, 0.9), unlit=True, opacity=0.6),
    finish_row((0.9, 0.8, 0.2), unlit=True),
)


def _joined(*meshes: Mesh, closed: bool = False) -> Mesh:
    """Meshes as parts of one."""
    firsts = np.cumsum([0, *(len(mesh.vertices) for mesh in meshes[:-1])])
    parts = np.repeat(np.arange(len(meshes)), [len(mesh.triangles) for mesh in meshes]).astype(np.int32)
    triangles = [mesh.triangles + first for mesh, first in zip(meshes, firsts, strict=True)]
    return Mesh(
        np.concatenate([mesh.vertices for mesh in meshes]),
        np.concatenate(triangles).astype(np.int32),
        np.concatenate([mesh.normals for mesh in meshes]),
        parts,
        parts,
        closed,
    )


def _as_one(shot: Snapshot, *, closed: bool = False) -> Snapshot:
    """All bodies of a set, which stand as they are, as one."""
    mesh = _joined(*shot.built_meshes, closed=closed)
    rows = tuple(body.finishes[0] for body in shot.bodies)
    return replace(shot, bodies=(replace(shot.bodies[0], form=mesh, shape="all", finishes=rows),))


def _clad(shot: Snapshot, *rows: tuple[float, ...]) -> Snapshot:
    bodies = zip(shot.bodies, rows, strict=True)
    return replace(shot, bodies=tuple(replace(body, finishes=(row,)) for body, row in bodies))


def _cards() -> Snapshot:
    """Cards behind one another: clear ones before and behind opaque ones."""
    return _clad(snapshot(quad(1.9, -1.5), quad(1.2, -0.5), quad(0.8, 0.4), quad(0.5, 1.2), size=_SIZE), *_ROWS)


def _going(shot: Snapshot) -> Snapshot:
    return replace(shot, stations=(tuple(IDENTITY for _ in shot.bodies), tuple(_GOES for _ in shot.bodies)))


def _sides() -> list[Mesh]:
    """The six sides of a cube of two units, facing outwards, the front first."""
    found = []
    for axis, way in ((2, 1), (2, -1), (0, 1), (0, -1), (1, 1), (1, -1)):
        turn = np.zeros((3, 3))
        turn[axis, 2] = way
        turn[(axis + 1) % 3, 0], turn[(axis + 2) % 3, 1] = way, 1
        flat = quad(1.0, 1.0)
        found.append(replace(flat, vertices=flat.vertices @ turn.T, normals=(flat.normals @ turn.T).astype(np.float32)))
    return found


class Parted(unittest.TestCase):
    def test_as_one_body_and_as_one_for_each_finish(self) -> None:
        for moving in (False, True):
            for name, quality in QUALITIES.items():
                with self.subTest(moving=moving, quality=name):
                    apart = _going(_cards()) if moving else _cards()
                    one = replace(_as_one(apart), stations=tuple((station[0],) for station in apart.stations))
                    expected, found = render(apart, quality), render(one, quality)
                    # Flat bodies have exact shares of pixels at final, others those of 64 samples.
                    closest = 0.02 if quality.edges_exactly and not moving else 2e-6
                    np.testing.assert_allclose(found.beauty, expected.beauty, atol=closest)
                    np.testing.assert_allclose(found.depth, expected.depth, rtol=1e-6)

    def test_through_its_clear_side_a_closed_body_is_seen_from_within(self) -> None:
        rows = [finish_row((0.9, 0.9, 0.9), unlit=True, opacity=0.25)]
        rows += [finish_row((0.1 + 0.15 * side, 0.8 - 0.15 * side, 0.3), unlit=True) for side in range(5)]
        apart = _clad(snapshot(*_sides(), size=_SIZE, eye=(2.5, 1.5, 5.0)), *rows)
        for name, quality in QUALITIES.items():
            with self.subTest(quality=name):
                found, expected = (render(one, quality).beauty for one in (_as_one(apart, closed=True), apart))
                off = np.abs(found - expected).max(axis=-1)
                self.assertLess(float(off.max()), 0.025 if quality.edges_exactly else 2e-6)
                # The far wall and the floor are seen through the front.
                seen = {tuple(one) for one in np.round(found[found[..., 3] > 0.999][:, :3] * 20).astype(int).tolist()}
                self.assertGreater(len(seen), 3)

    def test_a_finish_that_is_almost_opaque_looks_as_an_opaque_one(self) -> None:
        """Light, shadows, pictures that lie on the whole, and what the passes tell."""
        picture = np.random.default_rng(4).uniform(0.2, 0.9, (8, 8, 3)).astype(np.float32)
        levels = (picture, picture.reshape(4, 2, 4, 2, 3).mean(axis=(1, 3)))
        sun = LightSource("sun", (1.2, 1.1, 1.0), direction=(0.3, -0.8, -0.5), shadows=True)
        shot = snapshot(*_sides(), quad(3.0, -2.0), size=_SIZE, eye=(2.5, 1.5, 6.0), lights=(sun,), occlusion=0.4)
        shot = replace(shot, occlusion_radius=2.0, textures=(Texture("squares", False, levels),))

        def of(opacity: float) -> Snapshot:
            first = finish_row((1, 1, 1), 0.5, maps=(1, 0, 0, 0, 0), map_width=2.0, opacity=opacity)
            other = finish_row((1, 1, 1), 0.5, maps=(1, 0, 0, 0, 0), map_width=2.0)
            return _as_one(_clad(shot, first, *[other] * 5, MATT_WHITE))

        for name, quality in QUALITIES.items():
            with self.subTest(quality=name):
                found, expected = (render(of(opacity), quality, planes=True) for opacity in (0.9999, 1.0))
                off = np.abs(found.beauty - expected.beauty).max(axis=-1)
                # Rays of what may be seen through are others.
                self.assertLess(float(off.mean()), 0.008)
                assert found.data is not None and expected.data is not None
                inside = (found.beauty[..., 3] > 0.99) & (np.abs(found.depth - expected.depth) < 1e-3)
                where, elsewhere = (one[inside][:, TEXTURE : TEXTURE + 3] for one in (found.data, expected.data))
                self.assertLess(float((np.abs(where - elsewhere).max(axis=-1) > 1e-3).mean()), 0.02)
                assert found.identities is not None and expected.identities is not None
                shares, others = (one[..., 1, :, 1].sum(axis=-1) for one in (found.identities, expected.identities))
                # Of what is clear, slivers that none of 64 samples sees are missed.
                self.assertLess(float((np.abs(shares - others) > 1e-3).mean()), 0.002)
                self.assertLess(float(np.abs(shares - others).max()), 1 / 60)

    def test_layers_rejoin(self) -> None:
        shot = _cards()
        other = _as_one(_clad(snapshot(quad(0.7, 0.0), quad(0.4, 0.8), size=_SIZE), _ROWS[2], _ROWS[1]))
        mine = _as_one(shot).bodies[0]
        shot = replace(shot, bodies=(mine, replace(other.bodies[0], id="other", shape="other", matrix=_GOES)))
        for name, quality in QUALITIES.items():
            with self.subTest(quality=name):
                whole = render(shot, quality).beauty
                layers = [
                    replace(
                        shot,
                        bodies=tuple(
                            replace(body, role="shown" if at == shown else "hold-out")
                            for at, body in enumerate(shot.bodies)
                        ),
                    )
                    for shown in (0, 1)
                ]
                together = render_together(layers, quality, [False, True])
                np.testing.assert_allclose(together[0].beauty + together[1].beauty, whole, atol=2e-6)

    def test_what_wears_but_one_kind_or_is_flat_stays_as_it_is(self) -> None:
        cards = _as_one(_cards())
        flat = _as_one(_clad(snapshot(quad(1.0), quad(0.5), size=_SIZE), _ROWS[0], _ROWS[1]))
        opaque = _as_one(_clad(_cards(), *[MATT_WHITE] * 4))
        self.assertEqual(len(cards.parted()[0].bodies), 2)
        for shot in (flat, opaque):
            parted, places = shot.parted()
            self.assertEqual((parted.bodies, places), (shot.bodies, (0,)))

    def test_a_clear_finish_that_nothing_wears_lets_nothing_through(self) -> None:
        shot = _as_one(_clad(_cards(), *[_ROWS[1]] * 4))
        body = replace(shot.bodies[0], finishes=(*shot.bodies[0].finishes, _ROWS[0]))
        (part,) = replace(shot, bodies=(body,)).parted()[0].bodies
        self.assertEqual(part.finishes, shot.bodies[0].finishes)
        self.assertEqual(part.named, (0, 1, 2, 3))


if __name__ == "__main__":
    unittest.main()
