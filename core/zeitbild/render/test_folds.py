"""See-through bodies that lie over themselves, against a ray tracer in numpy that sorts what every sample meets."""

import unittest
from dataclasses import replace

import numpy as np

from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.solids import ring
from zeitbild.render import QUALITIES, render, render_together
from zeitbild.render.test_entangled import BLUE, GREEN, RED, SIZE, SPAN, _ball, _one_mesh, _plane, _truth, _turned
from zeitbild.render.test_entangled import _shot as entangled_shot
from zeitbild.snapshot.finish_row import finish_row
from zeitbild.testing import quad, sphere


def _torus(large: float, small: float, matrix: np.ndarray, number: int):  # type: ignore[type-arg, no-untyped-def]
    """The height of one of the up to four places (0: the lowest) at which a line along z meets a torus round y, turned by a matrix."""
    inverse = np.linalg.inv(matrix)[:3, :3]

    def height(x, y):  # type: ignore[no-untyped-def]
        # A line p + z d in the torus' own axes; (|q|^2 + R^2 - r^2)^2 = 4 R^2 (qx^2 + qz^2) is a quartic in z.
        d = inverse[:, 2]
        found = np.full(x.shape, np.nan)
        for row, column in np.argwhere(x * x + y * y <= (large + small) ** 2):
            p = inverse[:, :2] @ [x[row, column], y[row, column]]
            square = np.array([d @ d, 2 * p @ d, p @ p])
            flat = np.array([d[0] ** 2 + d[2] ** 2, 2 * (p[0] * d[0] + p[2] * d[2]), p[0] ** 2 + p[2] ** 2])
            inner = square + [0, 0, large**2 - small**2]
            roots = np.roots(np.polysub(np.polymul(inner, inner), 4 * large**2 * flat))
            real = np.sort(roots[np.abs(roots.imag) < 1e-7].real)
            if number < len(real):
                found[row, column] = real[number]
        return found

    return height


def _tube(radius: float, half: float, side: int):  # type: ignore[no-untyped-def]
    """The front or the back of a wall round the y axis, open above and below."""

    def height(x, y):  # type: ignore[no-untyped-def]
        with np.errstate(invalid="ignore"):
            return np.where(np.abs(y) <= half, side * np.sqrt(radius * radius - x * x), np.nan)

    return height


def _wall(radius: float, half: float, steps: int) -> Mesh:
    """Such a wall: no closed body."""
    angles = np.arange(steps + 1) / steps * 2 * np.pi
    outwards = np.column_stack([np.cos(angles), np.zeros(steps + 1), np.sin(angles)])
    vertices = np.concatenate([outwards * radius + [0, y, 0] for y in (-half, half)])
    at = np.arange(steps)
    triangles = np.concatenate(
        [np.column_stack([at, at + steps + 1, at + 1]), np.column_stack([at + 1, at + steps + 1, at + steps + 2])]
    ).astype(np.int32)
    normals = np.concatenate([outwards, outwards])[triangles].astype(np.float32)
    return Mesh(
        vertices, triangles, normals, np.zeros(len(triangles), np.int32), np.zeros(len(triangles), np.int32), False
    )


class OverThemselves(unittest.TestCase):
    def _compare(self, shot, truth: np.ndarray, mean: float, worst: float) -> None:  # type: ignore[type-arg, no-untyped-def]
        for quality in ("check", "final"):
            off = np.abs(render(shot, QUALITIES[quality]).beauty - truth)
            covered = truth[..., 3] > 0
            self.assertLess(float(off[covered].mean()) * 255, mean, quality)
            self.assertLess(float(off.max()), worst if quality == "final" else 2 * worst, quality)

    def test_a_ring_shows_its_tube_through_itself(self) -> None:
        matrix = _turned(25, 0)
        shot = entangled_shot((ring(4.0, 1.2, 4.0, 24, 16), matrix, RED, 0.4))
        truth = _truth([(_torus(1.4, 0.6, matrix, number), RED, 0.4) for number in range(4)], 4)
        # Four surfaces one behind the other are somewhere.
        self.assertAlmostEqual(float(truth[..., 3].max()), 1 - 0.6**4, places=4)
        self._compare(shot, truth, 1.2, 0.1)

    def test_a_hollow_ball_and_an_open_wall(self) -> None:
        hollow = _one_mesh(sphere(1.8, 96), sphere(1.0, 96))
        truth = _truth([(_ball(radius, side), BLUE, 0.3) for radius in (1.8, 1.0) for side in (1, -1)])
        shot = entangled_shot((hollow, np.eye(4), BLUE, 0.3))
        self._compare(shot, truth, 0.9, 0.08)
        # Of two colours, of which each sphere has one: their sides do not take turns.
        parts = np.repeat([0, 1], len(hollow.triangles) // 2).astype(np.int32)
        rows = tuple(finish_row(colour, unlit=True, opacity=0.3) for colour in (BLUE, RED))
        shot = entangled_shot((replace(hollow, parts=parts), np.eye(4), BLUE, 0.3))
        body = replace(shot.bodies[0], finishes=rows)
        colours = [(BLUE, 1.8), (BLUE, 1.8), (RED, 1.0), (RED, 1.0)]
        truth = _truth([(_ball(own, side), one, 0.3) for (one, own), side in zip(colours, (1, -1, 1, -1), strict=True)])
        self._compare(replace(shot, bodies=(body,)), truth, 0.9, 0.08)
        wall = entangled_shot((_wall(1.5, 1.1, 256), np.eye(4), GREEN, 0.5))
        self._compare(wall, _truth([(_tube(1.5, 1.1, side), GREEN, 0.5) for side in (1, -1)]), 0.9, 0.08)

    def test_through_a_card_and_before_something_opaque(self) -> None:
        matrix, across, stands = _turned(25, 0), _turned(70, 0), np.eye(4)
        stands[:3, 3] = 0.4, 0.3, -0.2
        torus = [(_torus(1.4, 0.6, matrix, number), RED, 0.4) for number in range(4)]
        shot = entangled_shot(
            (ring(4.0, 1.2, 4.0, 24, 16), matrix, RED, 0.4),
            (quad(1.5), across, BLUE, 0.6),
            (quad(0.8), stands, GREEN, 1.0),
        )
        truth = _truth([*torus, (_plane(1.5, across), BLUE, 0.6), (_plane(0.8, stands), GREEN, 1.0)], 4)
        self._compare(shot, truth, 1.6, 0.25)

    def test_very_many_that_reach_through_one_another(self) -> None:
        random = np.random.default_rng(5)
        bodies, surfaces = [], []
        for _ in range(30):
            middle, colour = random.uniform(-2, 2, 3), tuple(random.uniform(0, 1, 3).tolist())
            matrix, opacity = np.eye(4), float(random.choice([0.2, 0.5, 0.9]))
            matrix[:3, 3] = middle
            bodies.append((sphere(0.5, 48), matrix, colour, opacity))
            for side in (1, -1):

                def height(x, y, middle=middle, side=side):  # type: ignore[no-untyped-def]
                    return middle[2] + _ball(0.5, side)(x - middle[0], y - middle[1])

                surfaces.append((height, colour, opacity))
        truth = _truth(surfaces)
        for quality, mean in (("check", 2.0), ("final", 1.2)):
            off = np.abs(render(entangled_shot(*bodies), QUALITIES[quality]).beauty - truth)[truth[..., 3] > 0]
            self.assertLess(float(off.mean()) * 255, mean, quality)
            # The most in pixels in which several of them end.
            self.assertLess(float(np.quantile(off, 0.999)), 0.2, quality)
        # A layer that shows them all is the same beside one that holds some of them out.
        shot = entangled_shot(*bodies)
        some = tuple(replace(body, role="hold-out" if at % 2 else "shown") for at, body in enumerate(shot.bodies))
        layers = [shot, replace(shot, bodies=some)]
        both = render_together(layers, QUALITIES["check"], [False, True])
        for one, alone in zip(both, layers, strict=True):
            np.testing.assert_array_equal(one.beauty, render(alone, QUALITIES["check"]).beauty)

    def test_depth_is_that_of_the_nearest_and_layers_rejoin(self) -> None:
        matrix = _turned(25, 0)
        shot = entangled_shot((ring(4.0, 1.2, 4.0, 24, 16), matrix, RED, 0.4), (quad(0.9), np.eye(4), GREEN, 1.0))
        alone = replace(shot, bodies=shot.bodies[:1])
        at = (np.arange(SIZE) + 0.5) / SIZE * SPAN - SPAN / 2
        x, y = np.meshgrid(at, -at)
        every = [_torus(1.4, 0.6, matrix, number)(x, y) for number in range(4)]
        heights = np.max(np.nan_to_num(every, nan=-np.inf), axis=0)
        picture = render(alone, QUALITIES["final"])
        inside = picture.beauty[..., 3] > 0.6
        # The camera's distance from the middle is what a card there has.
        middle = float(render(replace(shot, bodies=shot.bodies[1:]), QUALITIES["final"]).depth[SIZE // 2, SIZE // 2])
        # But for pixels in which the nearer tube ends.
        off = np.abs((picture.depth + heights)[inside] - middle)
        self.assertLess(float(np.quantile(off, 0.9)), 0.15)
        first = replace(shot, bodies=(shot.bodies[0], replace(shot.bodies[1], role="hold-out")))
        second = replace(shot, bodies=(replace(shot.bodies[0], role="hold-out"), shot.bodies[1]))
        one, other, both = render_together([first, second, shot], QUALITIES["final"], [True, False, False])
        self.assertLess(float(np.abs(one.beauty + other.beauty - both.beauty).max()), 1 / 255)
        assert one.planes is not None
        parts = sum(one.planes[..., k : k + 3] for k in (0, 3, 6, 9))
        np.testing.assert_allclose(parts, one.beauty[..., :3], atol=1e-5)
