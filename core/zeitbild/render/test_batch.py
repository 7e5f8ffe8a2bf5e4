"""Fragments shaded in batches against the same fragments one by one: not a bit may differ."""

import unittest

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel
from zeitbild.render.light.environment import environment_maps
from zeitbild.render.light.lighting import SHADOWS, Shining, has_borders, light_rows
from zeitbild.render.light.reflectance import reflectance_table
from zeitbild.render.shade import batch
from zeitbild.render.shade.metal_rough import direct_light, light_around
from zeitbild.render.shade.rayed import IN_LOBES
from zeitbild.snapshot.finish_row import FINISH_ROW, OWNER
from zeitbild.snapshot.lights import LightSource
from zeitbild.snapshot.surroundings import EnvironmentLight

COUNT = 50
LIGHTS = (
    LightSource("sun", (1.0, 0.9, 0.8), direction=(0.3, -0.8, -0.52)),
    LightSource("sun", (0.4, 0.5, 0.9), direction=(0.0, 0.0, -1.0), size=0.05),
    LightSource("sphere", (2.0, 1.0, 0.5), position=(1.0, 2.0, 3.0), size=0.4, reach=2.0),
    LightSource("sphere", (1.0, 1.0, 1.0), position=(-1.0, 0.0, 3.0), direction=(0.0, 0.0, -1.0), cone=(0.9, 0.7)),
    LightSource(
        "rectangle",
        (1.0, 1.0, 2.0),
        position=(0.0, 3.0, 1.0),
        direction=(0.0, -1.0, 0.0),
        across=(1.0, 0.0, 0.0),
        up=(0.0, 0.0, 0.5),
    ),
)
STUDIO = EnvironmentLight(0.8, (1.0, 0.9, 0.8), (0.2, 0.2, 0.3), 1.0, 30.0)

_direct_light, _light_around = kernel(direct_light.py_func), kernel(light_around.py_func)
#: No light is left out.
_EVERY = np.empty(0, np.uint8)
_take_finishes, _prepare_light, _light_directly, _light_from_around = (
    batch.take_finishes,
    batch.prepare_light,
    batch.light_directly,
    batch.light_from_around,
)


@kernel
def _all_at_once(rows, whole, used, finishes, shining, rayed, bounced):  # type: ignore[no-untyped-def]
    _take_finishes(rows, whole, used, False, finishes, shining)
    _prepare_light(rows, whole, used, shining.table)
    _light_directly(rows, whole, used, shining, rayed, _EVERY)
    _light_from_around(rows, whole, used, shining, rayed, bounced)


def _units(random: np.random.Generator) -> NDArray[np.float32]:
    ways = random.normal(size=(COUNT, 3))
    return (ways / np.linalg.norm(ways, axis=1)[:, None]).astype(np.float32)


class Batches(unittest.TestCase):
    def setUp(self) -> None:
        random = np.random.default_rng(11)
        self.points, self.normals = random.uniform(-1, 1, (COUNT, 3)).astype(np.float32), _units(random)
        # Most look at us, some away, as normals of bent surfaces at a rim do.
        views = self.normals + 1.2 * _units(random)
        self.views = (views / np.linalg.norm(views, axis=1)[:, None]).astype(np.float32)
        self.finishes = np.zeros((5, FINISH_ROW), np.float32)
        self.finishes[:, :5] = random.uniform(0, 1, (5, 5))
        self.finishes[:, 3:5] = ((0, 1), (0.3, 1), (0.6, 0), (1, 0), (0.45, 0.5))
        self.finishes[:, OWNER] = (0, 1, 2, 3, 1)
        self.finish_of = random.integers(0, 5, COUNT)
        ambients = random.uniform(0, 0.3, (5, 3)).astype(np.float32)
        self.touched = np.ones((len(LIGHTS), 5), np.uint8)
        self.touched[0, 1] = self.touched[3] = 0
        maps, table = environment_maps(STUDIO).reshape(-1), reflectance_table().reshape(-1)
        self.shining = Shining(light_rows(LIGHTS), self.touched, ambients, maps, table)
        self.seen = random.uniform(0, 1, (COUNT, len(LIGHTS) + 5)).astype(np.float32)
        self.seen[::4, len(LIGHTS)] = 1

    def _compare(self, rayed: NDArray[np.float32], bounced: bool) -> None:
        rows = np.full((batch.ROWS, batch.BATCH), np.float32(0.5))
        rows[batch.BEND : batch.BEND + 3] = 0
        whole = np.full((batch.WHOLE_ROWS, batch.BATCH), -1, np.int32)
        for first, values in ((batch.POINT, self.points), (batch.NORMAL, self.normals), (batch.VIEW, self.views)):
            rows[first : first + 3, :COUNT] = values.T
        whole[batch.FRAGMENT, :COUNT], whole[batch.FINISH, :COUNT] = np.arange(COUNT), self.finish_of
        _all_at_once(rows, whole, COUNT, self.finishes, self.shining, rayed, bounced)
        self.assertGreater(float(rows[batch.HIGH : batch.HIGH + 3, :COUNT].max()), 0.1)
        for i in range(COUNT):
            point, normal, view = (tuple(one[i]) for one in (self.points, self.normals, self.views))
            own = int(self.finish_of[i])
            direct = _direct_light(point, normal, view, own, self.finishes, self.shining, rayed, i)
            np.testing.assert_array_equal(rows[batch.MATT : batch.MATT + 6, i], np.array(direct, np.float32))
            openness = rayed[i, len(LIGHTS)] if len(rayed) else np.float32(1)
            first = len(LIGHTS) + 1 if bounced else 0
            around = _light_around(normal, view, own, self.finishes, self.shining, openness, rayed, i, first)
            found = rows[batch.FROM_AROUND : batch.FROM_AROUND + 3, i]
            np.testing.assert_array_equal(found, np.array(around, np.float32))
            self.assertEqual(rows[batch.OPENNESS, i], openness)

    def test_without_rays(self) -> None:
        self._compare(np.empty((0, len(LIGHTS) + 5), np.float32), False)

    def test_with_shadows_and_occlusion(self) -> None:
        self._compare(self.seen, False)

    def test_with_mirror_rays(self) -> None:
        self._compare(self.seen, True)

    def test_with_what_lobes_see_of_lights(self) -> None:
        self.shining.rows[:, SHADOWS] = 1
        count = sum(has_borders.py_func(row) for row in self.shining.rows)
        self.assertEqual(count, 3)
        whole = np.random.default_rng(5).uniform(0, 1, (COUNT, IN_LOBES * count)).astype(np.float32)
        # Where little of the lobe tells, less is known; what is seen is a part of what there is.
        whole[:, ::2] *= 0.06
        whole[:, 1::2] *= whole[:, ::2]
        whole[::5] = 0
        self._compare(np.concatenate([self.seen, whole], axis=1), True)

    def test_a_light_that_nothing_sees_adds_nothing(self) -> None:
        self.touched[:] = 0
        rows = np.zeros((batch.ROWS, batch.BATCH), np.float32)
        whole = np.zeros((batch.WHOLE_ROWS, batch.BATCH), np.int32)
        rows[batch.NORMAL + 2], rows[batch.VIEW + 2] = 1, 1
        _all_at_once(rows, whole, COUNT, self.finishes, self.shining, np.empty((0, 10), np.float32), False)
        self.assertEqual(float(np.abs(rows[batch.MATT : batch.MATT + 6]).max()), 0)
