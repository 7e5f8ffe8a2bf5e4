"""See-through bodies put over others by lists of their fragments, against a ray tracer in numpy that sorts what every sample meets."""

import unittest
from dataclasses import replace

import numpy as np

from zeitbild.render import QUALITIES, render
from zeitbild.render.visible.sampling import sample_offsets
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import finish_row, opacity_of
from zeitbild.testing import quad, snapshot

WIDTH, HEIGHT = 48, 32


def _cards(seed: int, clear: int, opaque: int, *, span: float = 0.0, flat: bool = False) -> Snapshot:
    """Unlit cards that lean every way, in front of a camera on the z axis; flat ones all lie in one plane."""
    random = np.random.default_rng(seed)
    halves = random.uniform(0.6, 2.2, clear + opaque)
    shot = snapshot(*(quad(float(half)) for half in halves), size=(WIDTH, HEIGHT), camera_span=span)
    bodies = []
    tilt = random.uniform(-0.8, 0.8, 3)
    for number, body in enumerate(shot.bodies):
        lean = tilt if flat else random.uniform(-1.2, 1.2, 3)
        matrix = np.eye(4)
        for axis, angle in enumerate(lean):
            turn, (a, b) = np.eye(4), ((1, 2), (2, 0), (0, 1))[axis]
            turn[a, a] = turn[b, b] = np.cos(angle)
            turn[a, b], turn[b, a] = -np.sin(angle), np.sin(angle)
            matrix = matrix @ turn
        middle = random.uniform(-1.5, 1.5, 3)
        matrix[:3, 3] = matrix[:3, :3] @ [middle[0], middle[1], 0] if flat else middle
        colour = tuple(random.uniform(0, 1, 3).tolist())
        opacity = float(random.choice([0.15, 0.5, 0.9])) if number < clear else 1.0
        finish = finish_row(colour, unlit=True, opacity=opacity)
        bodies.append(replace(body, matrix=tuple(matrix.reshape(-1).tolist()), finishes=(finish,)))
    return replace(shot, bodies=tuple(bodies))


def _truth(shot: Snapshot, count: int, *, by_place: bool = False) -> dict[str, np.ndarray]:  # type: ignore[type-arg]
    """Over of Porter and Duff 1984 for each sample of each pixel; by_place: what comes later lies over what comes before."""
    camera = shot.camera
    offsets = sample_offsets(count)
    rows, columns, number = np.meshgrid(np.arange(HEIGHT), np.arange(WIDTH), np.arange(count), indexing="ij")
    x = (columns + offsets[number, 0] - WIDTH / 2) / camera.focal
    y = -(rows + offsets[number, 1] - HEIGHT / 2) / camera.focal
    right, up, forward = camera.axes
    across = x[..., None] * right + y[..., None] * up
    origins = camera.eye + across if camera.parallel else np.broadcast_to(camera.eye, across.shape)
    ways = np.broadcast_to(forward, across.shape) if camera.parallel else forward + across
    away, colours = [], []
    for place, (body, mesh) in enumerate(zip(shot.bodies, shot.built_meshes, strict=True)):
        matrix = np.array(body.matrix).reshape(4, 4)
        inverse, half = np.linalg.inv(matrix), float(mesh.vertices.max())
        start = origins @ inverse[:3, :3].T + inverse[:3, 3]
        way = ways @ inverse[:3, :3].T
        distance = -start[..., 2] / way[..., 2]
        at = start + way * distance[..., None]
        inside = (np.abs(at[..., :2]) <= half).all(axis=-1) & (distance > 0)
        away.append(np.where(inside, -place if by_place else distance, np.inf))
        finish = body.finishes[0]
        colours.append([*finish[:3], opacity_of(finish)])
    depths, rows_of = np.stack(away), np.array(colours)
    order = np.argsort(-depths, axis=0)
    light = np.zeros((*x.shape, 4))
    for which in order:
        there = np.isfinite(np.take_along_axis(depths, which[None], axis=0)[0])
        alpha = np.where(there, rows_of[which, 3], 0)[..., None]
        light = np.concatenate([rows_of[which, :3], np.ones((*x.shape, 1))], axis=-1) * alpha + light * (1 - alpha)
    return {
        "beauty": light.mean(axis=2),
        "covered": np.isfinite(depths).any(axis=0).mean(axis=2),
        "depth": depths.min(axis=(0, 3)),
    }


class Lists(unittest.TestCase):
    def _compare(self, shot: Snapshot, worst: float, *, by_place: bool = False) -> None:
        for name in ("rough", "check"):
            quality = QUALITIES[name]
            truth = _truth(shot, quality.samples, by_place=by_place)
            picture = render(shot, quality)
            off = np.abs(picture.beauty - truth["beauty"])
            self.assertLess(float(off.max()), worst, name)
            assert picture.covered is not None
            self.assertLess(float(np.abs(picture.covered - truth["covered"]).max()), 1e-6, name)

    def test_every_sample_of_cards_through_one_another(self) -> None:
        for seed in range(8):
            for span in (0.0, 6.0):
                with self.subTest(seed=seed, span=span):
                    self._compare(_cards(seed, 9, 0, span=span), 3e-4)

    def test_before_behind_and_between_opaque_ones(self) -> None:
        for seed in range(8):
            for span in (0.0, 6.0):
                with self.subTest(seed=seed, span=span):
                    self._compare(_cards(seed, 7, 1, span=span), 3e-4)


if __name__ == "__main__":
    unittest.main()
