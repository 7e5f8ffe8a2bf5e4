"""Dots drawn into a picture, from the nearest to the farthest, before and behind what is opaque; what moves is drawn out by its way.

How much of a pixel a dot takes is its profile at the pixel's middle: (1 - d^2 / r^2)^2 for a soft one, which can be integrated exactly along a
straight way; dots smaller than a pixel are made as large as one and as much fainter. Drawn finely, what is small is looked at in as many places of
each pixel as it needs, as if pixels were smaller.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, kernel, parallel_kernel
from zeitbild.render.picture import NO_DEPTH
from zeitbild.render.visible.areas import Areas
from zeitbild.render.visible.identity import projection_of
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.render.world.buffers import kept
from zeitbild.snapshot.camera import Camera
from zeitbild.snapshot.dots import DotLook, Dots

_TILE = TILE
_LOOKS: dict[DotLook, int] = {"soft": 0, "disc": 1, "streak": 2}
_SOFT, _DISC, _STREAK = 0, 1, 2
#: Radius in pixels below which dots become fainter in place of smaller: the middles of pixels see as much of a soft one of that size
#: wherever it is, to 3 in 100, so that nothing twinkles that moves slowly.
SMALLEST: dict[DotLook, float] = {"soft": 1.5, "disc": 0.75, "streak": 0.75}
#: Stretches of tiles that are as full as each other.
_HANDS = 32
#: Columns of a row of pixels that are worked on at once. In a block the reds of all of them come first, then greens, blues and alphas, what is
#: seen through each, and how far its first dot is; light and what is seen through it again, behind what is opaque; how much of each is opaque, and
#: how far that is; and room for what a dot takes of each.
_LANES = 16
_GREEN, _BLUE, _ALPHA, _LEFT, _NEAR, _BEHIND = (row * _LANES for row in range(1, 7))
_SOLID, _DEPTH, _PART, _BLOCK = (row * _LANES for row in range(11, 15))
#: Numbers of a dot in its row.
_ROW = 12
#: Places along a side of a pixel in which a dot is looked at if it is drawn finely and its radius is below so many pixels.
_FINEST, _FINER = 4, 2
_FINEST_BELOW, _FINEST_MOVING_BELOW, _FINER_BELOW = 3.0, 0.75, 8.0
#: Sizes within a pixel of each other that stand for the rim of a disc that moves.
_RINGS = 8
#: Less than this of a pixel is nothing.
_LEAST = np.float32(1e-4)
#: Nothing behind is seen through less than this.
_THROUGH = np.float32(1e-3)
_ZERO, _HALF, _ONE = np.float32(0), np.float32(0.5), np.float32(1)
_NO_DEPTH = np.float32(NO_DEPTH)
_NONE, _NEXT = np.int32(0), np.int32(1)
#: After so many dots each it is asked whether a tile is full.
_ASKED = 32


@kernel
def _inside(ax, ay, bx, by, r):  # type: ignore[no-untyped-def]
    """From when to when (0 to 1) what goes from a to b is within r of the origin; (1, 0) if never."""
    dx, dy = bx - ax, by - ay
    a, b, c = dx * dx + dy * dy, ax * dx + ay * dy, ax * ax + ay * ay - r * r
    if a < 1e-12:
        return (0.0, 1.0) if c < 0 else (1.0, 0.0)
    root = b * b - a * c
    if root <= 0:
        return 1.0, 0.0
    root = math.sqrt(root)
    return max(0.0, (-b - root) / a), min(1.0, (-b + root) / a)


@kernel
def soft_along(ax, ay, bx, by, r):  # type: ignore[no-untyped-def]
    """The mean over time of a soft dot's profile at the origin, while it goes from a to b; 1 for one that rests there."""
    first, last = _inside(ax, ay, bx, by, r)
    if last <= first:
        return 0.0
    dx, dy = bx - ax, by - ay
    p0 = 1 - (ax * ax + ay * ay) / (r * r)
    p1, p2 = -2 * (ax * dx + ay * dy) / (r * r), -(dx * dx + dy * dy) / (r * r)
    total = 0.0
    for end, sign in ((last, 1.0), (first, -1.0)):
        t2 = end * end
        total += sign * (
            p0 * p0 * end
            + p0 * p1 * t2
            + (p1 * p1 + 2 * p0 * p2) * t2 * end / 3
            + p1 * p2 * t2 * t2 / 2
            + p2 * p2 * t2 * t2 * end / 5
        )
    return total


@kernel
def _find(shapes, onto, begins, ends, middle, near, limits, streak, found, inside):  # type: ignore[no-untyped-def]
    """Where dots are in a picture: found [n, 6] gets where each begins and ends in pixels, its radius there and its distance, inside [n]
    whether anything of it may be seen.

    shapes are places, ways, tails [n, 3], radii and opacities [n] in units; onto [4, 4] leads from those to (x w, y w, w, distance), pixels;
    middle, begins and ends are how many ways (and the last of them how many tails) from its place it is seen; near the least
    distance of it and its ends where there is perspective; limits are the picture's size, the least radius, and pixels to a unit at distance
    1, or at any distance.
    """
    places, ways, tails, radii, opacities = shapes
    width, height, smallest, focal, parallel = limits
    at = np.empty((3, 4))
    for n in range(places.shape[0]):
        for row in range(4):
            own = onto[row, 0] * places[n, 0] + onto[row, 1] * places[n, 1] + onto[row, 2] * places[n, 2] + onto[row, 3]
            way = onto[row, 0] * ways[n, 0] + onto[row, 1] * ways[n, 1] + onto[row, 2] * ways[n, 2]
            at[0, row], at[1, row], at[2, row] = own + begins * way, own + ends * way, own + middle * way
            if streak:
                at[1, row] += onto[row, 0] * tails[n, 0] + onto[row, 1] * tails[n, 1] + onto[row, 2] * tails[n, 2]
        away = at[2, 3]
        ax, ay, bx, by = at[0, 0] / at[0, 2], at[0, 1] / at[0, 2], at[1, 0] / at[1, 2], at[1, 1] / at[1, 2]
        radius = radii[n] * (focal if parallel else focal / max(away, 1e-12))
        reach = max(radius, smallest) + 1
        # What is no number is in no picture.
        inside[n] = (
            (parallel or (away > near and at[0, 2] > near and at[1, 2] > near))
            and opacities[n] > _LEAST
            and radius > 0
            and max(ax, bx) + reach > 0
            and min(ax, bx) - reach < width
            and max(ay, by) + reach > 0
            and min(ay, by) - reach < height
        )
        found[n, 0], found[n, 1], found[n, 2], found[n, 3], found[n, 4], found[n, 5] = ax, ay, bx, by, radius, away


@kernel
def _lay_out(which, found, shapes, colours, limits, streak, finely, rows, boxes, counts):  # type: ignore[no-untyped-def]
    """Rows [m, 12] of some dots as ``_draw`` takes them, drawn finely or not; the columns and rows of tiles that each may reach into, boxes [m, 4]
    (from, from, to, to); and how many reach into each, counts [tiles]."""
    _, _, _, radii, opacities = shapes
    width, height, smallest, _, _ = limits
    columns = (int(width) + _TILE - 1) // _TILE
    for m in range(which.shape[0]):
        n = which[m]
        ax, ay, bx, by, radius = found[n, 0], found[n, 1], found[n, 2], found[n, 3], found[n, 4]
        held = max(radius, smallest)
        # As much light as before: of a streak its width alone is too small.
        gain = radius / held if streak else (radius / held) * (radius / held)
        for k in range(4):
            rows[m, k] = found[n, k]
        rows[m, 4], rows[m, 5], rows[m, 6], rows[m, 7] = held, gain * opacities[n], found[n, 5], max(radii[n], 1e-9)
        for k in range(3):
            rows[m, 8 + k] = colours[n, k]
        rows[m, 11] = 1
        if finely and held < _FINER_BELOW:
            # What is drawn out is smooth along its way.
            rests = not streak and ax == bx and ay == by
            rows[m, 11] = _FINEST if held < (_FINEST_BELOW if rests else _FINEST_MOVING_BELOW) else _FINER
        reach = held + 1
        boxes[m, 0] = int(max(min(ax, bx) - reach, 0.0)) // _TILE
        boxes[m, 1] = int(max(min(ay, by) - reach, 0.0)) // _TILE
        boxes[m, 2] = int(min(max(ax, bx) + reach, width - 1.0)) // _TILE
        boxes[m, 3] = int(min(max(ay, by) + reach, height - 1.0)) // _TILE
        for row in range(boxes[m, 1], boxes[m, 3] + 1):
            for column in range(boxes[m, 0], boxes[m, 2] + 1):
                counts[row * columns + column] += 1


@kernel
def _sort(boxes, columns, firsts, members):  # type: ignore[no-untyped-def]
    """The numbers of those that reach into each tile, in their order."""
    used = firsts.copy()
    for m in range(boxes.shape[0]):
        for row in range(boxes[m, 1], boxes[m, 3] + 1):
            for column in range(boxes[m, 0], boxes[m, 2] + 1):
                tile = row * columns + column
                members[used[tile]] = m
                used[tile] += 1


@kernel
def _part(look, ax, ay, bx, by, r):  # type: ignore[no-untyped-def]
    """How much of a pixel (0..1) at the origin a dot of radius r takes that goes from a to b, in pixels; of a streak those are its head and its end."""
    if look == _STREAK:
        # Full at its head, nothing at its tail.
        dx, dy = bx - ax, by - ay
        square = dx * dx + dy * dy
        at = 0.0 if square < 1e-12 else min(max(-(ax * dx + ay * dy) / square, 0.0), 1.0)
        off = math.sqrt((ax + at * dx) ** 2 + (ay + at * dy) ** 2)
        return min(max(r * (1 - 0.7 * at) + 0.5 - off, 0.0), 1.0) * (1 - at)
    rests = ax == bx and ay == by
    if look == _SOFT and not rests:
        return soft_along(ax, ay, bx, by, r)
    if look == _SOFT:
        inner = max(1 - (ax * ax + ay * ay) / (r * r), 0.0)
        return inner * inner
    if rests:
        return min(max(r + 0.5 - math.sqrt(ax * ax + ay * ay), 0.0), 1.0)
    # Its rim is as soft as that of one that rests: discs of several sizes see it so.
    total = 0.0
    for ring in range(_RINGS):
        first, last = _inside(ax, ay, bx, by, max(r - 0.5 + (ring + 0.5) / _RINGS, 0.0))
        total += max(last - first, 0.0)
    return total / _RINGS


@kernel
def _part_of_places(look, ax, ay, bx, by, r, sides):  # type: ignore[no-untyped-def]
    """The same, of ``sides`` by ``sides`` places in the pixel, each as if it were a pixel of its own."""
    total = 0.0
    for row in range(sides):
        y = row + 0.5 - 0.5 * sides
        for column in range(sides):
            x = column + 0.5 - 0.5 * sides
            total += _part(look, ax * sides - x, ay * sides - y, bx * sides - x, by * sides - y, r * sides)
    return total / (sides * sides)


@kernel
def _put_row(blocks, first, last, dot, from_middle, meets):  # type: ignore[no-untyped-def]
    """Put a row of a dot that rests into that of a tile, blocks [columns / LANES, BLOCK], from column ``first`` to ``last``.

    dot is whether it is soft, its radius, strength, distance, radius in units, colour and whether it covers; from_middle are how far
    column 0 is to the right of its middle, and the row below it.
    """
    soft, r, strength, away, deep, red, green, blue, covers = dot
    off, down = from_middle
    below, square, reach = down * down, _ONE / (r * r), r + _HALF
    for number in range(first // _LANES, last // _LANES + 1):
        # The same for so many columns at once, without a branch: zeros where there is nothing.
        block = blocks[number]
        begins = off + np.float32(number * _LANES)
        for lane in range(_LANES):
            across = begins + np.float32(lane)
            far = across * across + below
            if soft:
                inner = max(_ONE - far * square, _ZERO)
                part = inner * inner * strength
            else:
                part = min(max(reach - np.float32(math.sqrt(far)), _ZERO), _ONE) * strength
            block[_PART + lane] = part if part >= _LEAST else _ZERO
        if meets:
            for lane in range(_LANES):
                part, is_solid, left_over, near = (
                    block[_PART + lane],
                    block[_SOLID + lane],
                    block[_BEHIND + _LEFT + lane],
                    block[_NEAR + lane],
                )
                # Where it meets something opaque it goes into it over its own depth.
                before = min(max(_HALF + _HALF * (block[_DEPTH + lane] - away) / deep, _ZERO), _ONE)
                before = before if is_solid > _ZERO else _ONE
                share = part * (_ONE - before)
                share = share if is_solid < _ONE else _ZERO
                given = left_over * share
                block[_BEHIND + lane] += given * red
                block[_BEHIND + _GREEN + lane] += given * green
                block[_BEHIND + _BLUE + lane] += given * blue
                block[_BEHIND + _ALPHA + lane] += given * covers
                block[_BEHIND + _LEFT + lane] = left_over * (_ONE - share * covers)
                block[_NEAR + lane] = min(near, away) if share > _ZERO else near
                block[_PART + lane] = part * before
        for lane in range(_LANES):
            part, left_over, near = block[_PART + lane], block[_LEFT + lane], block[_NEAR + lane]
            part = part if left_over > _THROUGH else _ZERO
            given = left_over * part
            block[lane] += given * red
            block[_GREEN + lane] += given * green
            block[_BLUE + lane] += given * blue
            block[_ALPHA + lane] += given * covers
            block[_LEFT + lane] = left_over * (_ONE - part * covers)
            block[_NEAR + lane] = min(near, away) if part > _ZERO else near


@kernel
def _is_full(here, rows):  # type: ignore[no-untyped-def]
    """Whether nothing farther away is seen through any pixel of a tile's first rows."""
    for row in range(rows):
        for number in range(here.shape[1]):
            block, clear = here[row, number], np.int32(0)
            for lane in range(_LANES):
                clear += _NEXT if block[_LEFT + lane] > _THROUGH else _NONE
            if clear > 0:
                return False
    return True


@parallel_kernel
def _draw(  # type: ignore[no-untyped-def]
    order,
    firsts,
    members,
    rows,
    look,
    plus,
    fade,
    solid,
    depth,
    front,
    behind,
    nearest,
    areas,
):
    """front and behind [H, W, 4]: dots before what is opaque, and those behind it (or of no length: nothing is opaque), premultiplied, of whose
    light ``fade`` is left; nearest [H, W] the distance of the first, or NO_DEPTH. areas are those [H, W] in which dots are seen before what is
    opaque and what of that they do not cover, and the same of those behind it. All of them are filled in the tiles of order, and nowhere else.

    rows [n, 12] has all that is known of a dot in one place, since they are fetched in any order: where it begins and ends in pixels, its radius,
    strength, distance, radius in units, and colour; solid [H, W] is the area that is opaque, depth [H, W] how far.
    """
    height, width = nearest.shape
    seen, before_it, far_seen, far_before = areas
    columns = (width + _TILE - 1) // _TILE
    covers = _ZERO if plus else _ONE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        x0, y0 = (tile % columns) * _TILE, (tile // columns) * _TILE
        x1, y1 = min(width, x0 + _TILE), min(height, y0 + _TILE)
        here = np.zeros((_TILE, _TILE // _LANES, _BLOCK), np.float32)
        for lane in range(_LANES):
            here[:, :, _LEFT + lane] = here[:, :, _BEHIND + _LEFT + lane] = _ONE
            here[:, :, _NEAR + lane] = _NO_DEPTH
        # Beyond the picture nobody sees anything.
        for x in range(x1 - x0, _TILE):
            here[:, x // _LANES, _LEFT + x % _LANES] = _ZERO
        meets = False
        # What is farther away than this is hidden in all of the tile.
        wall = np.float32(np.inf)
        if behind.shape[0] > 0:
            whole, farthest = True, _ZERO
            for y in range(y0, y1):
                for x in range(x0, x1):
                    block, lane = here[y - y0, (x - x0) // _LANES], (x - x0) % _LANES
                    block[_SOLID + lane], block[_DEPTH + lane] = solid[y, x], depth[y, x]
                    meets, whole = meets or solid[y, x] > _ZERO, whole and solid[y, x] >= _ONE
                    farthest = max(farthest, depth[y, x])
            wall = farthest if whole else wall
        for k in range(firsts[tile], firsts[tile + 1]):
            asked = (k - firsts[tile]) % _ASKED == _ASKED - 1 and (not meets or wall < np.inf)
            if asked and _is_full(here, y1 - y0):
                break
            own_row = rows[members[k]]
            ax, ay, bx, by = float(own_row[0]), float(own_row[1]), float(own_row[2]), float(own_row[3])
            r = float(own_row[4])
            strength, away, deep = own_row[5], own_row[6], own_row[7]
            if away >= wall + deep:
                continue
            red, green, blue = own_row[8], own_row[9], own_row[10]
            rests, sides = look != _STREAK and ax == bx and ay == by, int(own_row[11])
            at_middles = rests and sides == 1
            reach = (r if look == _SOFT else r + 0.5) if at_middles else r + 1.0
            top = max(y0, math.floor(min(ay, by) - reach))
            bottom = min(y1 - 1, math.ceil(max(ay, by) + reach))
            dot = look == _SOFT, own_row[4], strength, away, deep, red, green, blue, covers
            for y in range(top, bottom + 1):
                down = y + 0.5 - ay
                half = reach
                if rests:
                    rest = reach * reach - down * down
                    if rest <= 0:
                        continue
                    half = math.sqrt(rest)
                # The middles of pixels that it may reach.
                left = max(x0, math.ceil(min(ax, bx) - half - 0.5)) - x0
                right = min(x1 - 1, math.floor(max(ax, bx) + half - 0.5)) - x0
                if at_middles:
                    if left <= right:
                        from_middle = np.float32(x0 + 0.5 - ax), np.float32(down)
                        _put_row(here[y - y0], left, right, dot, from_middle, meets)
                    continue
                for x in range(left, right + 1):
                    px, py = x0 + x + 0.5, y + 0.5
                    way = ax - px, ay - py, bx - px, by - py
                    part = _part(look, *way, r) if sides == 1 else _part_of_places(look, *way, r, sides)
                    part = np.float32(part) * strength
                    if part < _LEAST:
                        continue
                    before = _ONE
                    block, lane = here[y - y0, x // _LANES], x % _LANES
                    if meets and block[_SOLID + lane] > _ZERO:
                        before = np.float32(min(max(0.5 + 0.5 * (block[_DEPTH + lane] - away) / deep, 0.0), 1.0))
                    for first in (0, _BEHIND):
                        share = part * (before if first == 0 else _ONE - before)
                        left_over = block[first + _LEFT + lane]
                        if share > _ZERO and (left_over > _THROUGH if first == 0 else block[_SOLID + lane] < _ONE):
                            given = left_over * share
                            block[first + lane] += given * red
                            block[first + _GREEN + lane] += given * green
                            block[first + _BLUE + lane] += given * blue
                            block[first + _ALPHA + lane] += given * covers
                            block[first + _LEFT + lane] = left_over * (_ONE - share * covers)
                            block[_NEAR + lane] = min(block[_NEAR + lane], away)
        for y in range(y0, y1):
            for x in range(x0, x1):
                block, lane = here[y - y0, (x - x0) // _LANES], (x - x0) % _LANES
                total = block[lane] + block[_GREEN + lane] + block[_BLUE + lane] + block[_ALPHA + lane]
                seen[y, x], before_it[y, x] = (_ONE if total > _ZERO else _ZERO), _ZERO
                for c in range(4):
                    front[y, x, c] = block[c * _LANES + lane] * fade
                nearest[y, x] = block[_NEAR + lane]
                if behind.shape[0] == 0:
                    continue
                if total <= _ZERO:
                    before_it[y, x] = solid[y, x]
                total = block[_BEHIND + lane] + block[_BEHIND + _GREEN + lane] + block[_BEHIND + _BLUE + lane]
                total += block[_BEHIND + _ALPHA + lane]
                rest = _ONE - solid[y, x]
                far_seen[y, x], far_before[y, x] = (rest if total > _ZERO else _ZERO), solid[y, x]
                for c in range(4):
                    behind[y, x, c] = block[_BEHIND + c * _LANES + lane] * rest * fade


@dataclass(frozen=True, slots=True, eq=False)
class Drawn:
    """Dots in a picture: light [H, W, 4], premultiplied, and where it is; depth [H, W] of the nearest dot anywhere. Until the next are
    drawn, and only in the tiles of areas."""

    light: NDArray[np.float32]
    areas: Areas
    depth: NDArray[np.float32]

    def everywhere(self) -> Drawn:
        """The same with nothing in all other tiles."""
        light, depth = np.zeros_like(self.light), np.full_like(self.depth, NO_DEPTH)
        columns = -(-depth.shape[1] // TILE)
        for tile in self.areas.tiles_in(depth.shape):
            y, x = int(tile) // columns * TILE, int(tile) % columns * TILE
            here = slice(y, y + TILE), slice(x, x + TILE)
            light[here], depth[here] = self.light[here], self.depth[here]
        return Drawn(light, self.areas, depth)


def drawn_dots(
    dots: Dots,
    matrix: NDArray[np.float64],
    camera: Camera,
    shift: tuple[float, float],
    shutter: tuple[float, float],
    share: float,
    solid: NDArray[np.float32],
    depth: NDArray[np.float32],
    *,
    finely: bool = False,
) -> list[Drawn]:
    """Dots of a body that stands at matrix [4, 4], in the order in which they are to be laid over a picture: those behind what is opaque (if
    anything is: solid [H, W] is its area, depth [H, W] how far it is, of no length: nothing is), and those before it. shutter: from when to when
    (frames from the frame on) they are seen; share: how much of all together is left (0..1); ``finely``: small ones are looked at in several places
    of each pixel. Call it outside of ``PARALLEL``."""
    height, width = solid.shape
    scale = abs(float(np.linalg.det(matrix[:3, :3]))) ** (1 / 3)
    opens, closes = shutter
    streak = dots.look == "streak"
    # A streak goes from its head as the shutter closes to its tail as it opens.
    begins, ends = (closes, opens) if streak else (opens, closes)
    shapes = (
        *(np.ascontiguousarray(one) for one in (dots.places, dots.ways, dots.tails)),
        dots.radii * scale,
        dots.opacities,
    )
    smallest = SMALLEST[dots.look] / (_FINEST if finely else 1)
    limits = float(width), float(height), smallest, camera.focal, camera.parallel
    count = len(dots.radii)
    found, inside = kept("dots found", (count, 6), np.float64), kept("dots inside", (count,), np.bool_)
    onto = _onto(camera, matrix, shift)
    _find(shapes, onto, begins, ends, (opens + closes) / 2, camera.near, limits, streak, found, inside)
    which = _near_to_far(found[:, 5], np.flatnonzero(inside[:count]))
    if not len(which):
        return []
    columns, rows = -(-width // TILE), -(-height // TILE)
    rows_of_dots = kept("dots rows", (len(which), _ROW), np.float32)
    boxes, counts = kept("dots boxes", (len(which), 4), np.int32), np.zeros(columns * rows, np.int64)
    _lay_out(which, found, shapes, dots.colours, limits, streak, finely, rows_of_dots, boxes, counts)
    firsts = np.concatenate([[0], np.cumsum(counts)])
    members = kept("dots members", (int(firsts[-1]),), np.int64)
    _sort(boxes, columns, firsts[:-1], members)
    fullest = np.argsort(-counts, kind="stable")[: int((counts > 0).sum())]
    # Threads get stretches of equal length: each of them as full as the others.
    order = np.concatenate([fullest[first::_HANDS] for first in range(_HANDS)])
    size, meets = (height, width), len(depth) > 0
    front, nearest = kept("dots front", (*size, 4), np.float32), kept("dots nearest", size, np.float32)
    behind = kept("dots behind", (*size, 4) if meets else (0, 0, 4), np.float32)
    near = [kept(f"dots near {one}", size, np.float32) for one in range(2)]
    far = [kept(f"dots far {one}", size if meets else (0, 0), np.float32) for one in range(2)]
    look = _LOOKS[dots.look]
    with PARALLEL:
        into = front, behind, nearest, (*near, *far)
        _draw(order, firsts, members, rows_of_dots, look, dots.plus, np.float32(share), solid, depth, *into)
    drawn = [Drawn(front, Areas(near[0], near[1], order), nearest)]
    if meets:
        drawn.insert(0, Drawn(behind, Areas(far[0], far[1], order), nearest))
    return drawn


def _onto(camera: Camera, matrix: NDArray[np.float64], shift: tuple[float, float]) -> NDArray[np.float64]:
    """What leads from places of a body at matrix [4, 4] to (x w, y w, w, distance) [4, 4]: pixels of ``Camera.project``, units."""
    forward = camera.axes[2]
    return np.vstack([projection_of(camera, shift), [*forward, -forward @ camera.eye]]) @ matrix


def _near_to_far(away: NDArray[np.float64], which: NDArray[np.int64]) -> NDArray[np.int64]:
    """Some of those that are so far away, from the nearest to the farthest; of two at one distance the first."""
    # Numbers in whose order distances are, which no two have: sorting those needs no care for the order of equal ones.
    bits = away[which].astype(np.float32).view(np.uint32)
    keys = np.where(bits >> np.uint32(31), ~bits, bits | np.uint32(1 << 31)).astype(np.uint64) << np.uint64(32)
    return which[(np.sort(keys | np.arange(len(which), dtype=np.uint64)) & np.uint64(2**32 - 1)).astype(np.int64)]
