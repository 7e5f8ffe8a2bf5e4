"""See-through bodies that reach through one another, against a ray tracer in numpy that sorts what every sample meets."""

import unittest
from dataclasses import replace

import numpy as np

from zeitbild.geometry.mesh import Mesh
from zeitbild.render import QUALITIES, Picture, render, render_together
from zeitbild.render.shade.shading import AROUND, DIFFUSE, EMISSION, SPECULAR
from zeitbild.render.visible.entangled import entangled
from zeitbild.render.visible.pieces import Pieces, see_through_places
from zeitbild.snapshot import Role, Snapshot
from zeitbild.snapshot.finish_row import finish_row
from zeitbild.snapshot.lights import LightSource
from zeitbild.testing import quad, snapshot, sphere

RED, BLUE, GREEN = (0.9, 0.1, 0.05), (0.05, 0.2, 0.8), (0.1, 0.7, 0.2)
SIZE, SPAN = 64, 6.0


def _turned(degrees: float, axis: int = 1) -> np.ndarray:  # type: ignore[type-arg]
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    matrix = np.eye(4)
    a, b = ((1, 2), (2, 0), (0, 1))[axis]
    matrix[a, a], matrix[a, b], matrix[b, a], matrix[b, b] = c, -s, s, c
    return matrix


def _shot(*bodies: tuple[object, np.ndarray, tuple[float, float, float], float]) -> Snapshot:  # type: ignore[type-arg]
    """Unlit bodies (mesh, matrix, colour, opacity) in a parallel view along z."""
    shot = snapshot(*(mesh for mesh, *_ in bodies), size=(SIZE, SIZE), camera_span=SPAN)  # type: ignore[arg-type]
    made = tuple(
        replace(
            body,
            matrix=tuple(matrix.reshape(-1).tolist()),
            finishes=(finish_row(colour, unlit=True, opacity=opacity),),
        )
        for body, (_, matrix, colour, opacity) in zip(shot.bodies, bodies, strict=True)
    )
    return replace(shot, bodies=made)


def _truth(surfaces: list[tuple[object, tuple[float, float, float], float]], each: int = 8) -> np.ndarray:  # type: ignore[type-arg]
    """Over of Porter and Duff 1984 for each of 64 samples a pixel: surfaces (a function of x and y that gives heights, NaN where there
    is nothing; colour; opacity) sorted by their heights."""
    at = (np.arange(SIZE * each) + 0.5) / (SIZE * each) * SPAN - SPAN / 2
    x, y = np.meshgrid(at, -at)
    heights = np.stack([np.nan_to_num(height(x, y), nan=-np.inf) for height, _, _ in surfaces])  # type: ignore[operator]
    colours = np.array([[*colour, 1] for _, colour, _ in surfaces])
    opacities = np.array([opacity for _, _, opacity in surfaces])
    out = np.zeros((*x.shape, 4))
    order = np.argsort(heights, axis=0)
    for rank in range(len(surfaces)):
        which = order[rank]
        there = np.isfinite(np.take_along_axis(heights, which[None], axis=0)[0])
        part = np.where(there, opacities[which], 0)[..., None]
        out = colours[which] * part + out * (1 - part)
    return out.reshape(SIZE, each, SIZE, each, 4).mean(axis=(1, 3))


def _plane(half: float, matrix: np.ndarray):  # type: ignore[type-arg, no-untyped-def]
    inverse = np.linalg.inv(matrix)

    def height(x, y):  # type: ignore[no-untyped-def]
        # The point of the turned plane over (x, y): its own third coordinate is 0.
        z = -(inverse[2, 0] * x + inverse[2, 1] * y + inverse[2, 3]) / inverse[2, 2]
        own = [inverse[k, 0] * x + inverse[k, 1] * y + inverse[k, 2] * z + inverse[k, 3] for k in range(2)]
        return np.where((np.abs(own[0]) <= half) & (np.abs(own[1]) <= half), z, np.nan)

    return height


def _ball(radius: float, side: int):  # type: ignore[no-untyped-def]
    def height(x, y):  # type: ignore[no-untyped-def]
        with np.errstate(invalid="ignore"):
            return side * np.sqrt(radius * radius - x * x - y * y)

    return height


class ThroughOneAnother(unittest.TestCase):
    def _compare(self, shot: Snapshot, truth: np.ndarray, mean: float, worst: float) -> None:  # type: ignore[type-arg]
        for quality in ("check", "final"):
            off = np.abs(render(shot, QUALITIES[quality]).beauty - truth)
            covered = truth[..., 3] > 0
            self.assertLess(float(off[covered].mean()) * 255, mean, quality)
            self.assertLess(float(off.max()), worst if quality == "final" else 2 * worst, quality)

    def test_two_cards_that_cross(self) -> None:
        one, other = _turned(35), _turned(-50)
        for opacities in ((0.5, 0.5), (0.8, 0.3)):
            shot = _shot((quad(2), one, RED, opacities[0]), (quad(2), other, BLUE, opacities[1]))
            truth = _truth([(_plane(2, one), RED, opacities[0]), (_plane(2, other), BLUE, opacities[1])])
            self._compare(shot, truth, 0.6, 0.08)

    def test_three_cards_through_one_line_and_one_across(self) -> None:
        matrices = [_turned(20), _turned(-40), _turned(70, 0) @ _turned(10)]
        colours = (RED, BLUE, GREEN)
        shot = _shot(*((quad(2), own, colour, 0.5) for own, colour in zip(matrices, colours, strict=True)))
        truth = _truth([(_plane(2, own), colour, 0.5) for own, colour in zip(matrices, colours, strict=True)])
        # The most where all three cross in one pixel.
        self._compare(shot, truth, 0.9, 0.16)

    def test_a_card_through_a_ball(self) -> None:
        card = _turned(40)
        shot = _shot((sphere(1.5, 128), np.eye(4), RED, 0.4), (quad(2.4), card, BLUE, 0.6))
        truth = _truth([(_ball(1.5, 1), RED, 0.4), (_ball(1.5, -1), RED, 0.4), (_plane(2.4, card), BLUE, 0.6)])
        self._compare(shot, truth, 0.9, 0.12)

    def test_before_something_opaque_that_they_reach_through(self) -> None:
        one, other = _turned(35), _turned(-50)
        shot = _shot((quad(2), one, RED, 0.5), (quad(2), other, BLUE, 0.5), (quad(1.2, 0.3), np.eye(4), GREEN, 1.0))
        wall = np.eye(4)
        wall[2, 3] = 0.3
        truth = _truth([(_plane(2, one), RED, 0.5), (_plane(2, other), BLUE, 0.5), (_plane(1.2, wall), GREEN, 1.0)])
        self._compare(shot, truth, 0.9, 0.15)

    def test_what_lies_apart_or_behind_one_another_is_no_unit(self) -> None:
        flat = np.eye(4)
        behind, beside = np.eye(4), _turned(30)
        behind[2, 3], beside[0, 3] = -1, 8
        shot = _shot((quad(2), flat, RED, 0.5), (quad(2), behind, BLUE, 0.5), (quad(2), beside, GREEN, 0.5))
        places = see_through_places(shot)
        self.assertEqual({len(unit) for unit in entangled(shot, places)}, {1})
        crossed = _shot((quad(2), _turned(20), RED, 0.5), (quad(2), _turned(-20), BLUE, 0.5))
        places = see_through_places(crossed)
        self.assertEqual([len(unit) for unit in entangled(crossed, places)], [2])
        # Very many take turns by their middles, as long as nothing better is there.
        many = _shot(*((quad(2), _turned(5.0 * number), RED, 0.5) for number in range(14)))
        self.assertEqual({len(unit) for unit in entangled(many, see_through_places(many))}, {1})

    def test_planes_add_up_and_identities_are_shares(self) -> None:
        crossed = _shot((quad(2), _turned(20), RED, 0.5), (quad(2), _turned(-20), BLUE, 0.5))
        picture = render(crossed, QUALITIES["final"], planes=True)
        # What is asked for beside beauty changes nothing of it.
        np.testing.assert_array_equal(picture.beauty, render(crossed, QUALITIES["final"]).beauty)
        assert picture.planes is not None and picture.identities is not None and picture.data is not None
        total = sum(picture.planes[..., first : first + 3] for first in (DIFFUSE, SPECULAR, AROUND, EMISSION))
        np.testing.assert_allclose(total, picture.beauty[..., :3], atol=1e-5)
        row = picture.identities[SIZE // 2, :, 0]
        left, right = (dict(row[at].tolist()) for at in (20, 44))
        # Nearer to us is the one whose side comes forward: it gives a half, the other a quarter.
        self.assertAlmostEqual(left[0.0] + left[1.0], 0.75, places=5)
        self.assertEqual({round(one, 4) for one in (left[0.0], right[0.0])}, {0.25, 0.5})
        self.assertTrue((picture.depth[picture.beauty[..., 3] > 0] < 1e9).all())

    def test_layers_of_one_set_are_the_same_together_and_alone(self) -> None:
        crossed = _shot(
            (quad(2), _turned(20), RED, 0.5), (quad(2), _turned(-20), BLUE, 0.5), (quad(1, 1), np.eye(4), GREEN, 1.0)
        )

        def layer(*roles: Role) -> Snapshot:
            bodies = zip(crossed.bodies, roles, strict=True)
            return replace(crossed, bodies=tuple(replace(body, role=role) for body, role in bodies))

        for layers in (
            [layer("shown", "shown", "hold-out"), layer("hold-out", "hold-out", "shown")],
            [layer("shown", "hold-out", "hold-out"), layer("hold-out", "shown", "shown")],
        ):
            both = render_together([*layers, crossed], QUALITIES["final"], [False, True, False])
            for one, alone in zip(both, [*layers, crossed], strict=True):
                # Sums in another order where pixels get more places.
                np.testing.assert_allclose(one.beauty, render(alone, QUALITIES["final"]).beauty, rtol=0, atol=1e-7)
            joined = both[0].beauty + both[1].beauty
            self.assertLess(float(np.abs(joined - both[2].beauty).max()), 1 / 255)


def _moved(mesh: Mesh, matrix: np.ndarray) -> Mesh:  # type: ignore[type-arg]
    turn = matrix[:3, :3]
    return replace(
        mesh,
        vertices=mesh.vertices @ turn.T + matrix[:3, 3],
        normals=(mesh.normals @ turn.T.astype(np.float32)).astype(np.float32),
    )


def _one_mesh(*meshes: Mesh) -> Mesh:
    """Meshes as one, as the letters of a word are."""
    firsts = np.cumsum([0, *(len(mesh.vertices) for mesh in meshes)])
    patches = np.cumsum([0, *(int(mesh.patches.max()) + 1 for mesh in meshes)])
    return Mesh(
        np.concatenate([mesh.vertices for mesh in meshes]),
        np.concatenate([mesh.triangles + first for mesh, first in zip(meshes, firsts, strict=False)]).astype(np.int32),
        np.concatenate([mesh.normals for mesh in meshes]),
        np.concatenate([mesh.parts for mesh in meshes]),
        np.concatenate([mesh.patches + first for mesh, first in zip(meshes, patches, strict=False)]).astype(np.int32),
        all(mesh.closed for mesh in meshes),
    )


class InPieces(unittest.TestCase):
    """Letters of one see-through word are seen through one another."""

    def test_cards_of_one_body_one_behind_the_other(self) -> None:
        places = []
        for z, x, degrees in ((-1.5, -0.6, 10), (0.0, 0.2, -15), (1.2, 0.7, 25)):
            matrix = _turned(degrees)
            matrix[0, 3], matrix[2, 3] = x, z
            places.append(matrix)
        # Their upper edges lie in one row of pixels, of which each samples its own share.
        truth = _truth([(_plane(1.2, one), RED, 0.5) for one in places], 16)
        inside = np.isin(np.round(truth[..., 3], 4), [0.5, 0.75, 0.875])
        for order in ((0, 1, 2), (2, 0, 1)):
            mesh = _one_mesh(*(_moved(quad(1.2), places[number]) for number in order))
            for quality, mean, worst in (("check", 1.2, 0.2), ("final", 0.6, 0.1)):
                off = np.abs(render(_shot((mesh, np.eye(4), RED, 0.5)), QUALITIES[quality]).beauty - truth)
                self.assertLess(float(off[truth[..., 3] > 0].mean()) * 255, mean, quality)
                self.assertLess(float(off.max()), worst, quality)
                self.assertLess(float(off[inside].max()), 1e-6, quality)

    def test_as_if_each_piece_were_a_body_of_its_own(self) -> None:
        # Balls, of which both sides are seen, before and behind an opaque card, in perspective.
        far, near = np.eye(4), np.eye(4)
        far[:3, 3], near[:3, 3] = (-0.3, 0.2, -1.6), (0.4, 0.0, 1.3)
        balls, card = [_moved(sphere(1.0), far), _moved(sphere(1.0), near)], quad(0.5)
        row = finish_row(RED, 0.4, 0.0, opacity=0.4)

        def picture(*meshes: Mesh, quality: str) -> Picture:
            shot = snapshot(*meshes, card, lights=(LightSource("sun", (1.0, 1.0, 1.0), direction=(0.2, -0.3, -1)),))
            bodies = [replace(body, finishes=(row,)) for body in shot.bodies[:-1]]
            bodies.append(replace(shot.bodies[-1], finishes=(finish_row(GREEN, 0.5, 0.0),)))
            return render(replace(shot, bodies=tuple(bodies)), QUALITIES[quality], planes=quality == "final")

        for quality in ("check", "final"):
            whole, apart = picture(_one_mesh(*balls), quality=quality), picture(*balls, quality=quality)
            np.testing.assert_array_equal(whole.beauty, apart.beauty)
            np.testing.assert_array_equal(whole.depth, apart.depth)
            if whole.planes is not None and apart.planes is not None:
                np.testing.assert_array_equal(whole.planes, apart.planes)

    def test_with_the_eye_inside_one_and_others_out_of_the_picture(self) -> None:
        places = []
        for x, z in ((0.0, 10.0), (0.0, 0.0), (40.0, 0.0), (0.0, 30.0)):
            matrix = np.eye(4)
            matrix[0, 3], matrix[2, 3] = x, z
            places.append(matrix)
        # The eye stands at 10: in the first ball, before the second; the third is beside the picture, the last behind the eye.
        balls = [_moved(sphere(1.0), own) for own in places]
        row = finish_row(RED, unlit=True, opacity=0.5)

        def picture(*meshes: Mesh) -> np.ndarray:  # type: ignore[type-arg]
            shot = snapshot(*meshes, size=(96, 64))
            return render(
                replace(shot, bodies=tuple(replace(body, finishes=(row,)) for body in shot.bodies)), QUALITIES["final"]
            ).beauty

        whole = picture(_one_mesh(*balls))
        np.testing.assert_array_equal(whole, picture(*balls))
        # The inside of one ball is one surface; both sides of the other are three quarters of what is left.
        self.assertAlmostEqual(float(whole[0, 0, 3]), 0.5, places=5)
        self.assertAlmostEqual(float(whole[32, 48, 3]), 0.5 + 0.5 * 0.75, places=5)

    def test_what_is_one_or_of_very_many_pieces_stays_whole(self) -> None:
        cards = []
        for number in range(100):
            matrix = np.eye(4)
            matrix[:2, 3] = (number % 10 - 4.5) / 2, (number // 10 - 4.5) / 2
            cards.append(_moved(quad(0.2), matrix))
        for mesh, expected in ((sphere(1.0), 1), (_one_mesh(*cards), 1), (_one_mesh(*cards[:9]), 9)):
            pieces = Pieces(_shot((mesh, np.eye(4), RED, 0.5)))
            units, owners = pieces.take_apart([(0,)], np.zeros(len(mesh.triangles), np.int64))
            self.assertEqual(len(units), expected)
            self.assertEqual(set(owners.tolist()), {piece for unit in units for piece in unit})
            self.assertEqual({pieces.body(piece) for unit in units for piece in unit}, {0})
