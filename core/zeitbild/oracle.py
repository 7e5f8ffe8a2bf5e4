"""The oracle: a slow renderer that tests and the bench hold the fast one against.

Every sample of a pixel is a ray of its own, cast with the ray library's own interface, and is shaded on its own, with shadow,
occlusion and mirror rays that nobody else gets. Nothing is rasterised, shared, smoothed, guessed or left out; its only
error is the noise of its samples, and two halves of them tell how large that is. What a lit place looks like is what
``metal_rough``, ``coat`` and ``tones`` say, which tests of their own hold against published formulas; but where mirror rays are cast, highlights of
lights with a size are sums over places of the light and directions of the lobe, each with a ray of its own.
No textures, see-through surfaces or filters; nothing behind the set.
"""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
import scipy.ndimage
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from numpy.typing import NDArray

from zeitbild.kernels import kernel
from zeitbild.render.light.lighting import (
    FLAT,
    KIND,
    SHADOWS,
    SIZE,
    SUN,
    area_and_glow,
    distance_to,
    light_point,
    reach,
    with_borders,
)
from zeitbild.render.rays.mirroring import TOO_ROUGH, seen_light
from zeitbild.render.shade.metal_rough import direct_light, light_around, mirror_light
from zeitbild.render.shade.rayed import BEHIND_LIGHTS, IN_LOBES
from zeitbild.render.stage import Lighting, lighting_of, viewpoint
from zeitbild.render.world.scene import Scene, gather
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import METAL_ROUGH, SHADING
from zeitbild.snapshot.quality import QUALITIES

_Floats = NDArray[np.float32]
_LIFT = 2e-4
_FLAT = np.float32(FLAT)
#: Rays over the half sphere from each place. What is mirrored there does not grow evenly with their share, so that two of them would
#: make it darker than it is, however many samples a pixel has.
_OPEN_RAYS = 8
_direct_light, _light_around, _mirror_light, _light_point = (
    kernel(one.py_func) for one in (direct_light, light_around, mirror_light, light_point)
)


@dataclass(frozen=True, slots=True, eq=False)
class Truth:
    """beauty [H, W, 4] as ``Picture.beauty``, and the same by either half of the samples: they differ by its noise."""

    beauty: NDArray[np.float64]
    halves: tuple[NDArray[np.float64], NDArray[np.float64]]


@kernel
def _lit(points, normals, views, finish, finishes, shining, rayed, bounced, out):  # type: ignore[no-untyped-def]
    """Radiance [n, 3] of places; rayed [n, L + 5] what rays found out about each."""
    count = shining.rows.shape[0]
    for i in range(points.shape[0]):
        red, green, blue = seen_light(
            (points[i, 0], points[i, 1], points[i, 2]),
            (normals[i, 0], normals[i, 1], normals[i, 2]),
            (views[i, 0], views[i, 1], views[i, 2]),
            finish[i],
            finishes,
            shining,
            rayed,
            i,
            rayed[i, count],
            count + 1 if bounced else 0,
        )
        out[i, 0], out[i, 1], out[i, 2] = red, green, blue


def _frame(normals: _Floats) -> tuple[_Floats, _Floats]:
    """Two unit vectors across each unit normal."""
    helper = np.where(np.abs(normals[:, :1]) < 0.9, [[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]])
    a = np.cross(normals, helper)
    a /= np.linalg.norm(a, axis=1, keepdims=True)
    return a.astype(np.float32), np.cross(normals, a).astype(np.float32)


class _World:
    """The set for rays and shading."""

    def __init__(self, snapshot: Snapshot) -> None:
        self.scene: Scene = gather(snapshot)
        self.light: Lighting = lighting_of(snapshot)
        self.places = self.scene.vertices[self.scene.triangles].astype(np.float32)
        self.embree = EmbreeScene(robust=True)
        self.mesh = TriangleMesh(self.embree, self.places)
        flat = np.cross(self.places[:, 1] - self.places[:, 0], self.places[:, 2] - self.places[:, 0])
        self.flat = (flat / np.maximum(np.linalg.norm(flat, axis=1, keepdims=True), 1e-30)).astype(np.float32)

    def hit(self, origins: _Floats, ways: _Floats) -> dict[str, Any]:
        found: dict[str, Any] = self.embree.run(np.ascontiguousarray(origins), np.ascontiguousarray(ways), output=1)
        return found

    def blocked(self, origins: _Floats, ways: _Floats, far: _Floats) -> NDArray[np.bool_]:
        if not len(origins):
            return np.zeros(0, bool)
        found = self.embree.run(
            np.ascontiguousarray(origins),
            np.ascontiguousarray(ways),
            np.ascontiguousarray(far, np.float32),
            query="OCCLUDED",
        )
        hidden: NDArray[np.bool_] = np.asarray(found) != -1
        return hidden

    def normals_at(self, triangle: NDArray[np.int64], u: _Floats, v: _Floats) -> _Floats:
        corner = self.scene.normals[triangle]
        mixed = corner[:, 0] * (1 - u - v)[:, None] + corner[:, 1] * u[:, None] + corner[:, 2] * v[:, None]
        unit: _Floats = (mixed / np.maximum(np.linalg.norm(mixed, axis=1, keepdims=True), 1e-30)).astype(np.float32)
        return unit


@kernel
def _towards(light, points, places, ways, far):  # type: ignore[no-untyped-def]
    for i in range(points.shape[0]):
        x, y, z, d = _light_point(light, points[i, 0], points[i, 1], points[i, 2], places[i, 0], places[i, 1])
        ways[i, 0], ways[i, 1], ways[i, 2], far[i] = x, y, z, d


def _on_light(light: _Floats, count: int, random: np.random.Generator) -> _Floats:
    """Random places on a light, area for area, in units of its half extents."""
    if light[KIND] == 2.0:
        return random.uniform(-1, 1, (count, 2)).astype(np.float32)
    if light[KIND] > 2.0 or light[SIZE] > 0:
        turn, far = random.uniform(0, 2 * math.pi, count), np.sqrt(random.uniform(0, 1, count))
        return np.stack([far * np.cos(turn), far * np.sin(turn)], axis=1).astype(np.float32)
    return np.zeros((count, 2), np.float32)


def _seen_lights(
    world: _World,
    points: _Floats,
    normals: _Floats,
    flats: _Floats,
    finish: NDArray[np.int32],
    each: int,
    random: np.random.Generator,
) -> _Floats:
    """Share [n, L] of each light that is seen from lifted points, by so many rays."""
    lights = world.light.shining.rows
    seen = np.ones((len(points), len(lights)), np.float32)
    for number, light in enumerate(lights):
        if light[SHADOWS] == 0:
            continue
        cast, clear = np.zeros(len(points)), np.zeros(len(points))
        for _ in range(each):
            ways, far = np.empty_like(points), np.empty(len(points), np.float32)
            _towards(light, points, _on_light(light, len(points), random), ways, far)
            wanted = (
                ((ways * flats).sum(axis=1) > 1e-3)
                & ((ways * normals).sum(axis=1) > 0)
                & (world.light.shining.touched[number, finish] > 0)
            )
            hidden = world.blocked(points[wanted], ways[wanted], far[wanted] * np.float32(0.999))
            cast[wanted] += 1
            clear[wanted] += ~hidden
        some = cast > 0
        seen[some, number] = clear[some] / cast[some]
    return seen


def _openness(
    world: _World,
    points: _Floats,
    normals: _Floats,
    flats: _Floats,
    radius: float,
    each: int,
    random: np.random.Generator,
) -> _Floats:
    cast, clear = np.zeros(len(points)), np.zeros(len(points))
    a, b = _frame(normals)
    for _ in range(each):
        turn, square = random.uniform(0, 2 * math.pi, len(points)), random.uniform(0, 1, len(points))
        x, y, z = np.sqrt(square) * np.cos(turn), np.sqrt(square) * np.sin(turn), np.sqrt(1 - square)
        ways = (x[:, None] * a + y[:, None] * b + z[:, None] * normals).astype(np.float32)
        wanted = (ways * flats).sum(axis=1) > 1e-3
        hidden = world.blocked(points[wanted], ways[wanted], np.full(int(wanted.sum()), radius, np.float32))
        cast[wanted] += 1
        clear[wanted] += ~hidden
    return np.where(cast > 0, clear / np.maximum(cast, 1), 1).astype(np.float32)


def _facets(
    normals: _Floats, square: NDArray[np.float64], u: NDArray[np.float64], v: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Facets of roughness to the fourth [n] about unit normals [n, 3], by two numbers from 0 to 1 each (GGX: Walter and others 2007, equations 35 and
    36): half vectors [n, 3], and their cosines [n] with the normals."""
    cosine = np.sqrt((1 - u) / (1 + (square - 1) * u))
    sine = np.sqrt(np.maximum(0, 1 - cosine**2))
    a, b = _frame(normals)
    across, along = sine * np.cos(2 * math.pi * v), sine * np.sin(2 * math.pi * v)
    return across[:, None] * a + along[:, None] * b + cosine[:, None] * normals, cosine


def _mirrored(
    snapshot: Snapshot,
    world: _World,
    points: _Floats,
    normals: _Floats,
    flats: _Floats,
    views: _Floats,
    finish: NDArray[np.int32],
    random: np.random.Generator,
) -> _Floats:
    """One mirror ray a place: radiance that it met, and whether it met anything, both times how much it counts [n, 4]."""
    out = np.zeros((len(points), 4), np.float32)
    light = world.light
    rough = light.finishes[finish, 3]
    u, v = random.uniform(0, 1, len(points)), random.uniform(0, 1, len(points))
    square = rough.astype(np.float64) ** 4
    half, cosine = _facets(normals, square, u, v)
    # They count by how much the view sees of them and how little they shadow.
    ways = (2 * (views * half).sum(axis=1, keepdims=True) * half - views).astype(np.float32)
    alive = np.flatnonzero((rough <= TOO_ROUGH) & ((ways * flats).sum(axis=1) > 1e-3))
    n_v, n_l = ((normals[alive] * one[alive]).sum(axis=1).clip(1e-3, 1).astype(np.float64) for one in (views, ways))
    v_h = (views[alive] * half[alive]).sum(axis=1).clip(0, 1)
    square = square[alive]
    roots = n_l * np.sqrt(n_v**2 * (1 - square) + square) + n_v * np.sqrt(n_l**2 * (1 - square) + square)
    row = light.finishes[finish[alive]].astype(np.float64)
    # Of a metal its base colour straight ahead, 4 % of what is none; the rest as Schlick has it.
    straight, fifth = 0.04 + row[:, 4, None] * (row[:, :3] - 0.04), ((1 - v_h) ** 5)[:, None]
    reflected = straight + (1 - straight) * fifth
    plain, aslant = _reflected(n_v, square)
    weights = (
        (2 * n_l * v_h / (cosine[alive] * roots))[:, None] * reflected / (straight * plain[:, None] + aslant[:, None])
    )
    flow = weights.astype(np.float32)
    weights = flow.mean(axis=1)
    origins, ways = points[alive], ways[alive]
    taken = np.zeros((len(alive), 3), np.float32)
    for bounce in range(snapshot.bounces):
        if not len(alive):
            break
        found = world.hit(origins, ways)
        met = found["primID"] >= 0
        alive, origins, ways, flow, taken = alive[met], origins[met], ways[met], flow[met], taken[met]
        triangle, far = found["primID"][met].astype(np.int64), found["tfar"][met].astype(np.float32)
        facing = world.normals_at(triangle, found["u"][met].astype(np.float32), found["v"][met].astype(np.float32))
        facing *= np.where((facing * ways).sum(axis=1) > 0, -1, 1)[:, None].astype(np.float32)
        flat = world.flat[triangle]
        flat = flat * np.where((flat * facing).sum(axis=1) < 0, -1, 1)[:, None].astype(np.float32)
        place = origins + far[:, None] * ways
        own = world.scene.finish_of[triangle]
        lifted = (place + flat * (_LIFT * np.maximum(far, 1))[:, None]).astype(np.float32)
        rayed = np.ones((len(alive), len(light.shining.rows) + 5), np.float32)
        rayed[:, : len(light.shining.rows)] = _seen_lights(world, lifted, facing, flat, own, 1, random)
        radiance = np.empty((len(alive), 3), np.float32)
        _lit(
            place,
            facing,
            -ways,
            own,
            light.finishes,
            light.shining,
            rayed,
            False,
            radiance,
        )
        out[alive, :3] += flow * (radiance - taken)
        if bounce == 0:
            out[alive, 3] = weights[met]
        on = light.finishes[own, 3] <= TOO_ROUGH
        alive, place, facing, ways, own, flow, lifted = (
            one[on] for one in (alive, place, facing, ways, own, flow, lifted)
        )
        taken, shares = np.zeros((len(alive), 3), np.float32), np.zeros((len(alive), 3), np.float32)
        for i in range(len(alive) if bounce + 1 < snapshot.bounces else 0):
            values = _mirror_light(tuple(facing[i]), tuple(-ways[i]), own[i], light.finishes, light.shining)
            taken[i], shares[i] = values[:3], values[3:6]
        flow = flow * shares
        ways = ways - 2 * (ways * facing).sum(axis=1, keepdims=True) * facing
        origins = lifted
    return out


@kernel
def _meets(light, points, ways, far):  # type: ignore[no-untyped-def]
    """How far [n] rays from points along ways [n, 3] meet a light, 0 where they do not."""
    for i in range(points.shape[0]):
        far[i] = distance_to(light, points[i, 0], points[i, 1], points[i, 2], ways[i, 0], ways[i, 1], ways[i, 2])


@kernel
def _strengths(light, points, normals, out):  # type: ignore[no-untyped-def]
    """How strong [n] a light is at points [n, 3]: of suns and balls what a white surface that faces them radiates, of flat ones their radiance."""
    for i in range(points.shape[0]):
        found = reach(light, points[i, 0], points[i, 1], points[i, 2], normals[i, 0], normals[i, 1], normals[i, 2])
        out[i] = found[1] if light[0] < _FLAT else area_and_glow(light)[1] if found[0] > 0 else 0


def _mirrored_lights(
    world: _World,
    points: _Floats,
    normals: _Floats,
    flats: _Floats,
    views: _Floats,
    finish: NDArray[np.int32],
    random: np.random.Generator,
) -> _Floats:
    """Highlights [n, 3] of the lights that have a size, where something may stand before them: of each place one ray to a place on the light and one
    of a facet's mirror direction, each counted by how likely it was beside the other (balance heuristic: Veach and Guibas 1995)."""
    out = np.zeros((len(points), 3))
    lights, touched = world.light.shining.rows, world.light.shining.touched
    row = world.light.finishes[finish].astype(np.float64)
    square = np.maximum(row[:, 3] ** 2, 1e-3) ** 2
    n, v = normals.astype(np.float64), views.astype(np.float64)
    n_v = (n * v).sum(axis=1).clip(1e-3, 1)
    plain, aslant = _reflected(n_v, square)
    straight = 0.04 + row[:, 4, None] * (row[:, :3] - 0.04)
    # What is mirrored more than once (Turquin 2019).
    more = 1 + straight * (1 / np.minimum(plain + aslant, 1) - 1)[:, None]
    lit = row[:, SHADING] == METAL_ROUGH

    def facets(ways: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """What is reflected of radiance from there times the cosine [n, 3], and how likely facets lead there (GGX: Walter and others 2007)."""
        half = v + ways
        half /= np.maximum(np.linalg.norm(half, axis=1, keepdims=True), 1e-9)
        n_h, v_h, n_l = (n * half).sum(axis=1).clip(0, 1), (v * half).sum(axis=1).clip(1e-6, 1), (n * ways).sum(axis=1)
        spread = square / (math.pi * (n_h**2 * (square - 1) + 1) ** 2)
        held = n_l.clip(1e-6, 1)
        roots = held * np.sqrt(n_v**2 * (1 - square) + square) + n_v * np.sqrt(held**2 * (1 - square) + square)
        fifth = ((1 - v_h) ** 5)[:, None]
        reflected = (straight + (1 - straight) * fifth) * more * (0.5 * spread / roots * held)[:, None]
        return np.where((n_l > 0)[:, None], reflected, 0), spread * n_h / (4 * v_h)

    u, turn = random.uniform(0, 1, len(points)), random.uniform(0, 1, len(points))
    half, _ = _facets(normals, square, u, turn)
    by_facet = (2 * (v * half).sum(axis=1, keepdims=True) * half - v).astype(np.float32)
    for number in np.flatnonzero(with_borders(lights)):
        light = lights[number]
        strong = np.empty(len(points), np.float32)
        _strengths(light, points, normals, strong)
        wanted = lit & (touched[number, finish] > 0) & (strong > 0)
        across, up = light[10:13].astype(np.float64), light[13:16].astype(np.float64)
        by_place, far = np.empty_like(points), np.empty(len(points), np.float32)
        _towards(light, points, _on_light(light, len(points), random), by_place, far)
        for ways, of_light in ((by_place, True), (by_facet, False)):
            own = ways.astype(np.float64)
            away = far
            if not of_light:
                away = np.empty(len(points), np.float32)
                _meets(light, points, ways, away)
            # How likely a place of the light is chosen in this direction, and its radiance.
            if light[KIND] == SUN:
                lean = -(own * light[4:7]).sum(axis=1)
                area = math.pi * (across @ across)
                likely = 1 / (area * np.maximum(lean, 1e-6) ** 3)
                radiance = strong / math.sin(light[SIZE]) ** 2
            elif light[KIND] < FLAT:
                to = light[1:4] - points
                distance2 = (to.astype(np.float64) ** 2).sum(axis=1)
                lean = (own * to).sum(axis=1) / np.sqrt(distance2)
                likely = distance2 / (math.pi * light[SIZE] ** 2 * np.maximum(lean, 1e-6) ** 3)
                radiance = strong * distance2 / light[SIZE] ** 2
            else:
                lean = np.abs(own @ np.cross(across, up)) / (np.linalg.norm(across) * np.linalg.norm(up))
                area = np.linalg.norm(across) * np.linalg.norm(up) * (4 if light[KIND] == FLAT else math.pi)
                likely = away.astype(np.float64) ** 2 / (area * np.maximum(lean, 1e-9))
                radiance = strong.astype(np.float64)
            there = wanted & (away > 0) & ((own * flats).sum(axis=1) > 1e-3) & ((own * normals).sum(axis=1) > 0)
            clear = there.copy()
            clear[there] = ~world.blocked(points[there], ways[there], away[there] * np.float32(0.999))
            reflected, by_chance = facets(own)
            weight = np.where(clear, radiance / np.maximum(likely + by_chance, 1e-30), 0)
            out += reflected * weight[:, None] * light[7:10]
    return out.astype(np.float32)


_COSINES, _SQUARES = np.linspace(1e-3, 1, 41), np.linspace(0, 1, 31) ** 4


@lru_cache(maxsize=1)
def _lobes() -> NDArray[np.float64]:
    """What a lobe reflects of even light [2, cosine of normal and view, roughness]: for each share of it that is reflected straight ahead, and
    besides (Schlick's fifth power); the means of the weights above, by a hundred thousand facets each."""
    side = (np.arange(320) + 0.5) / 320
    u, turn = (one.ravel() for one in np.meshgrid(side, side * math.pi))
    found = np.empty((2, len(_COSINES), len(_SQUARES)))
    for row, n_v in enumerate(_COSINES):
        for column, square in enumerate(_SQUARES):
            n_h = np.sqrt((1 - u) / (1 + (square - 1) * u))
            v_h = np.maximum(n_v * n_h + math.sqrt(1 - n_v**2) * np.sqrt(1 - n_h**2) * np.cos(turn), 0)
            n_l = np.maximum(2 * v_h * n_h - n_v, 0)
            roots = n_l * math.sqrt(n_v**2 * (1 - square) + square) + n_v * np.sqrt(n_l**2 * (1 - square) + square)
            weight, fifth = 2 * n_l * v_h / np.maximum(n_h * roots, 1e-12), (1 - v_h) ** 5
            found[:, row, column] = (weight * (1 - fifth)).mean(), (weight * fifth).mean()
    return found


def _reflected(
    n_v: NDArray[np.float64], square: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The same at cosines [n] and roughness to the fourth [n]."""
    at = [(n_v - 1e-3) / (1 - 1e-3) * 40, np.clip(square, 0, 1) ** 0.25 * 30]
    plain, aslant = (scipy.ndimage.map_coordinates(one, at, order=1, mode="nearest") for one in _lobes())
    return np.maximum(plain, 1e-3), aslant


def _pass(snapshot: Snapshot, world: _World, number: int, samples: int, seed: int) -> NDArray[np.float64]:
    """One sample of every pixel [H, W, 4]."""
    random = np.random.default_rng((seed, number))
    camera, light = snapshot.camera, world.light
    width, height = snapshot.width, snapshot.height
    side = math.isqrt(samples)
    # One cell of the pixel each time; where in it is chance.
    cell_y, cell_x = divmod(number % (side * side), side)
    x = np.arange(width)[None, :] + (cell_x + random.uniform(0, 1, (height, width))) / side
    y = np.arange(height)[:, None] + (cell_y + random.uniform(0, 1, (height, width))) / side
    right, up, forward = camera.axes
    across, down = (x - width / 2) / camera.focal, (y - height / 2) / camera.focal
    if camera.parallel:
        origins = (camera.eye + across[..., None] * right - down[..., None] * up).reshape(-1, 3)
        ways = np.broadcast_to(forward, origins.shape)
    else:
        ways = (forward + across[..., None] * right - down[..., None] * up).reshape(-1, 3)
        ways = ways / np.linalg.norm(ways, axis=1, keepdims=True)
        origins = np.broadcast_to(camera.eye, ways.shape)
    found = world.hit(origins.astype(np.float32), ways.astype(np.float32))
    met = np.flatnonzero(found["primID"] >= 0)
    out = np.zeros((height * width, 4))
    if not len(met):
        return out.reshape(height, width, 4)
    triangle = found["primID"][met].astype(np.int64)
    u, v = found["u"][met].astype(np.float32), found["v"][met].astype(np.float32)
    corner = world.places[triangle]
    points = corner[:, 0] * (1 - u - v)[:, None] + corner[:, 1] * u[:, None] + corner[:, 2] * v[:, None]
    views = -ways[met].astype(np.float32)
    normals = world.normals_at(triangle, u, v)
    normals *= np.where((normals * views).sum(axis=1) < -0.2, -1, 1)[:, None].astype(np.float32)
    flats = world.flat[triangle]
    flats = flats * np.where((flats * normals).sum(axis=1) < 0, -1, 1)[:, None].astype(np.float32)
    eye = viewpoint(camera)
    away = np.linalg.norm(points - eye[:3], axis=1) if eye[3] > 0 else np.full(len(points), width / camera.focal)
    lifted = (points + flats * (_LIFT * away)[:, None]).astype(np.float32)
    finish = world.scene.finish_of[triangle]
    count = len(light.shining.rows)
    bordered = np.flatnonzero(with_borders(light.shining.rows)) if snapshot.bounces else ()
    rayed = np.ones((len(met), count + BEHIND_LIGHTS + IN_LOBES * len(bordered)), np.float32)
    rayed[:, count + 1 :] = 0
    # Nothing of them is mirrored: highlights of their own are added below.
    rayed[:, count + BEHIND_LIGHTS :: IN_LOBES] = 1
    rayed[:, :count] = _seen_lights(world, lifted, normals, flats, finish, 1, random)
    if snapshot.occlusion > 0:
        seen = _openness(world, lifted, normals, flats, snapshot.occlusion_radius, _OPEN_RAYS, random)
        rayed[:, count] = 1 - snapshot.occlusion * (1 - seen)
    if snapshot.bounces:
        met_by_mirror = _mirrored(snapshot, world, lifted, normals, flats, views, finish, random)
        rayed[:, count + 1 : count + BEHIND_LIGHTS] = met_by_mirror
    radiance = np.empty((len(met), 3), np.float32)
    _lit(
        points.astype(np.float32),
        normals,
        views,
        finish,
        light.finishes,
        light.shining,
        rayed,
        snapshot.bounces > 0,
        radiance,
    )
    if len(bordered):
        radiance += _mirrored_lights(world, lifted, normals, flats, views, finish, random)
    out[met, :3], out[met, 3] = radiance, 1
    return out.reshape(height, width, 4)


def truth(snapshot: Snapshot, samples: int = 64, seed: int = 1) -> Truth:
    """What a snapshot looks like, by so many samples a pixel (a square number); meshes as fine as at final.

    A still set: moments of an open shutter are averaged by whoever asks for them.
    """
    snapshot = snapshot.built(QUALITIES["final"])
    world = _World(snapshot)
    halves = [np.zeros((snapshot.height, snapshot.width, 4)) for _ in range(2)]
    with ThreadPoolExecutor(2) as pool:
        for number, one in enumerate(pool.map(lambda n: _pass(snapshot, world, n, samples, seed), range(samples))):
            halves[(number + number // math.isqrt(samples)) % 2] += one * (2 / samples)
    return Truth((halves[0] + halves[1]) / 2, (halves[0], halves[1]))
