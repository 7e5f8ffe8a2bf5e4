"""One frame: snapshot and quality in, picture out."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.data_rows import MOTION, SHARE
from zeitbild.render.drawing import draw_outputs, make_empty
from zeitbild.render.light.dots import lit_dots
from zeitbild.render.moving.sweep_kernel import LANES
from zeitbild.render.moving.sweeping import shifts_of, stretches_of
from zeitbild.render.outputs import View, empty_picture, output_for, view_of
from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.shade.shading import AROUND, DIFFUSE, EMISSION, SPECULAR
from zeitbild.render.sheets import Sheets, over_one_another
from zeitbild.render.veils import put_veils
from zeitbild.render.view.backdrop import put_behind
from zeitbild.render.view.pixel_look import enlarge, finish_pixels
from zeitbild.render.visible.dots import drawn_dots
from zeitbild.render.visible.entangled import Surface, Weights, distinct, entangled, surface_of, weights_of
from zeitbild.render.visible.folds import MOST_DEEP
from zeitbild.render.visible.identity import numbers_of
from zeitbild.render.visible.pieces import fused_places, groups_apart, see_through_places, veiled_places
from zeitbild.render.visible.remembered import picture_of
from zeitbild.render.visible.rims import Rims
from zeitbild.render.visible.see_through import Areas, add, lay_over, weaken
from zeitbild.render.world.buffers import kept
from zeitbild.snapshot import Role, Snapshot
from zeitbild.snapshot.finish_row import made_opaque, stops_of
from zeitbild.snapshot.look import PixelLook
from zeitbild.snapshot.pixel_filter import ONE_PIXEL
from zeitbild.snapshot.quality import Quality

#: Part of every frame key: raise it whenever the same snapshot would give other pixels.
RENDERER_VERSION = 31


def render(snapshot: Snapshot, quality: Quality, *, planes: bool = False) -> Picture:
    """Render a snapshot; with ``planes`` also what beauty is made of (``Picture.planes``).

    The same snapshot and quality give the same bytes, whatever the number of threads.
    """
    return render_together([snapshot], quality, [planes])[0]


def render_together(snapshots: Sequence[Snapshot], quality: Quality, planes: Sequence[bool]) -> list[Picture]:
    """Layers of one set, which differ only in what is shown and what held out, and in what is behind: everything but light is
    found out once. Each is what ``render`` gives alone, byte for byte.
    """
    otherwise = quality.edges_exactly or bool(snapshots[0].stations)
    if len(snapshots) > 1 and otherwise and len(veiled_places(snapshots[0])) > _MANY:
        # How so many are drawn depends on what a layer shows of them: there is nothing to share.
        return [render(one, quality, planes=wanted) for one, wanted in zip(snapshots, planes, strict=True)]
    first = snapshots[0].widened()
    if first.pixels is not None:
        pictures = [_pixels(one, first.pixels, quality, wanted) for one, wanted in zip(snapshots, planes, strict=True)]
        return [_finished(*one) for one in zip(snapshots, pictures, planes, strict=True)]
    # What moves while the shutter is open shows no fine edges.
    blurred = bool(first.stations)
    built = first.built(replace(quality, curve_error=max(quality.curve_error, _BLURRED)) if blurred else quality)
    layers = [
        _Layer(tuple(body.role for body in one.bodies), wanted) for one, wanted in zip(snapshots, planes, strict=True)
    ]
    if blurred:
        pictures = _blurred(built, quality, layers)
    else:
        pictures = _still(built, quality, built.samples_at(quality), layers)
    return [_finished(*one) for one in zip(snapshots, pictures, planes, strict=True)]


def _finished(snapshot: Snapshot, picture: Picture, planes: bool) -> Picture:
    """A picture filtered, with its backdrop behind it."""
    if snapshot.pixels is None and snapshot.filter != ONE_PIXEL:
        picture = picture.map(snapshot.filter.apply)
    picture = replace(picture, margin=snapshot.margin, names=snapshot.names if planes else ())
    # What has something behind it everywhere is clear nowhere.
    return replace(picture, covered=None) if put_behind(snapshot, picture) else picture


@dataclass(frozen=True, slots=True)
class _Layer:
    """What a layer is of a set: what each body is to it, and whether it wants to know what beauty is made of."""

    roles: tuple[Role, ...]
    planes: bool


def _still(
    snapshot: Snapshot,
    quality: Quality,
    samples: int,
    layers: Sequence[_Layer],
    *,
    shift: tuple[float, float] = (0.0, 0.0),
    hard: bool = False,
    numbers: list[tuple[int, int]] | None = None,
    shutter: tuple[float, ...] | None = None,
    alone: bool = False,
    held: NDArray[np.float32] | None = None,
) -> list[Picture]:
    """Layers of the set at one moment or in a stretch of open shutter (if it has stations), nothing behind them; shift moves a
    stretch's samples, in pixels; hard gives pixels whole; shutter is that of the stretch where it is not that of the snapshot. Of a
    layer that is drawn alone nothing is found out about what hides it (``draw_outputs``); held [H, W] is the area that what is opaque
    covers, where it is known already: if all of that only hides, it need not be drawn.

    numbers are those of ``identity.numbers_of``, if bodies were left out before.
    """
    if numbers is None:
        numbers = numbers_of(snapshot)
    bodies = snapshot.bodies
    if not any(body.role != "unseen" for body in bodies):
        return [empty_picture(snapshot, layer.planes) for layer in layers]
    view = view_of(snapshot, quality, samples, shift, hard, numbers)
    fused = fused_places(snapshot)
    veiled = tuple(place for place in see_through_places(snapshot) if not bodies[place].fades)
    solid = [
        place
        for place, one in enumerate(bodies)
        if place not in veiled and not one.fades and one.role != "unseen" and one.dots is None
    ]
    sprays = [place for place, one in enumerate(bodies) if one.dots is not None and one.role != "unseen"]
    clear = bool(veiled or fused or sprays)
    if held is not None and not any(layer.roles[place] == "shown" for layer in layers for place in solid):
        pictures = [_only_held(snapshot, layer, held) for layer in layers]
    else:
        pictures = _opaque_or_kept(view, solid, layers, clear, alone=alone)
    spraying = _Spraying(view, layers, shutter or snapshot.shutter or (0.0, 0.0), sprays, hides=bool(solid))
    areas = [
        picture.beauty[..., 3] + (0 if picture.held is None else picture.held) if clear else picture.beauty[..., 3]
        for picture in pictures
    ]
    rims = []
    if clear:
        # Nothing has a rim where nothing is opaque.
        rims = [Rims.of(one, area if solid else area[:0]) for one, area in zip(pictures, areas, strict=True)]
    if veiled and not (fused or sprays or view.catches_shadows(veiled)) and _by_lists(view):
        _put_listed(view, solid, veiled, layers, pictures, rims, empty=not solid)
    else:
        drawn = partial(_still, quality=quality, samples=samples, shift=shift, hard=hard, numbers=numbers)
        _put_in_order(view, solid, veiled, fused, spraying, layers, pictures, areas, rims, drawn)
    for rim, picture in zip(rims, pictures, strict=False):
        rim.join(picture)
    return pictures


def _put_listed(
    view: View,
    solid: Sequence[int],
    places: Sequence[int],
    layers: Sequence[_Layer],
    pictures: Sequence[Picture],
    rims: Sequence[Rims],
    *,
    empty: bool = False,
) -> None:
    """Put see-through bodies over the pictures of layers, in place, by lists of their fragments; empty: nothing is in them yet."""
    PARALLEL.breathe()
    shown = [[layer.roles[view.pieces.body(place)] == "shown" for place in places] for layer in layers]
    put_veils(view, solid, places, shown, pictures, rims, empty=empty)


def _put_in_order(
    view: View,
    solid: Sequence[int],
    veiled: Sequence[int],
    fused: Sequence[tuple[int, ...]],
    spraying: _Spraying,
    layers: Sequence[_Layer],
    pictures: Sequence[Picture],
    areas: Sequence[NDArray[np.float32]],
    rims: Sequence[Rims],
    drawn: partial[list[Picture]],
) -> None:
    """Put what is see-through over the pictures of layers, in place, from far to near: bodies, groups of which only a share is left, and
    dots. areas [H, W] of each layer are opaque; drawn draws a snapshot as this one is drawn (``_still``)."""
    snapshot = view.snapshot
    roles = {place: tuple(layer.roles[place] for layer in layers) for place in veiled}
    units, owners = view.pieces.take_apart(entangled(snapshot, veiled), view.triangle_owners)
    view = replace(view, triangle_owners=owners)
    roles |= {piece: roles[view.pieces.body(piece)] for unit in units for piece in unit}
    units = view.pieces.among(units, fused)
    # Each of them is drawn by itself.
    alone_ones = {place: unit for unit in fused for place in unit}
    # Whatever layers show of them: layers that are put together again must have been drawn in one way.
    levels = groups_apart(snapshot, units, dict.fromkeys(roles) | alone_ones, view.pieces)
    by_lists = _by_lists(view, len(levels))
    if not by_lists and len(set(roles.values())) > 1:
        levels = groups_apart(snapshot, units, roles | alone_ones, view.pieces)
    sheets = None
    if not by_lists and min(len(levels), len(veiled)) > _MANY and not (fused or spraying.left):
        every = [place for unit in units for place in unit]
        if (sheets := _peeled(view, solid, every, roles, layers)) is not None:
            levels = [[tuple(every)]]
    listed: list[int] = []

    for group in levels:
        nearest = min(view.pieces.mean_away(unit) for unit in group)
        own = [place for unit in group for place in unit]
        apart = group[0] in fused or view.catches_shadows(own)
        if listed and (apart or spraying.any_behind(nearest)):
            _put_listed(view, solid, listed, layers, pictures, rims)
            listed.clear()
        spraying.put(nearest, pictures, areas, rims)
        if by_lists and not apart:
            listed += own
            continue
        if group[0] in fused:
            _as_one(snapshot, solid, group[0], drawn, pictures, areas, layers, rims)
            continue
        if len(group[0]) > 1 and sheets is None:
            _through_one_another(view, solid, group[0], pictures, areas, layers, rims)
            continue
        gives = [role == "shown" for role in roles[group[0][0]]]
        wanted = any(g and one.planes for g, one in zip(gives, layers, strict=True))
        if sheets is None:
            sheets = Sheets(view, solid, [place for unit in group for place in unit], any(gives), wanted)
        front, own_areas = over_one_another(sheets)
        sheets = None
        for picture, area, giving, rim in zip(pictures, areas, gives, rims, strict=True):
            rim.begin(picture)
            lay_over(front, picture, own_areas, area, gives=giving)
            rim.lay_over(front, own_areas, gives=giving, picture=picture)
        # Given back before the next is drawn.
        del front
    if listed:
        _put_listed(view, solid, listed, layers, pictures, rims)
    spraying.put(-np.inf, pictures, areas, rims)


def _by_lists(view: View, levels: int = 0) -> bool:
    """Whether see-through bodies, in so many groups, are put over pictures by lists of their fragments (``veils``). Those of a few have
    exact edges and more places where their light changes, for who hands off; what is blurred is drawn in other ways."""
    if view.hard or view.snapshot.stations:
        return False
    return not view.quality.edges_exactly or levels > _MANY


class _Spraying:
    """Bodies of dots that are still to be put over pictures of layers, from the farthest to the nearest."""

    def __init__(
        self, view: View, layers: Sequence[_Layer], shutter: tuple[float, ...], places: Sequence[int], *, hides: bool
    ) -> None:
        self.view, self.layers, self.shutter = view, layers, shutter
        snapshot = view.snapshot
        away = {place: view.pieces.mean_away([place]) for place in places}
        self.left = sorted(places, key=lambda place: away[place])
        self.away = away
        size = snapshot.height, snapshot.width
        # That of all that is opaque, whatever a layer shows of it.
        opaque = places and hides
        self.depth = kept("whole depth", size, np.float32).copy() if opaque else np.empty((0, 0), np.float32)

    def any_behind(self, away: float) -> bool:
        """Whether any of them is farther away."""
        return bool(self.left) and self.away[self.left[-1]] > away

    def put(
        self,
        nearer_than: float,
        pictures: Sequence[Picture],
        areas: Sequence[NDArray[np.float32]],
        rims: Sequence[Rims],
    ) -> None:
        """Put those that are farther away than something over the pictures, in place."""
        while self.any_behind(nearer_than):
            place = self.left.pop()
            PARALLEL.breathe()
            for number, (picture, area, rim) in enumerate(zip(pictures, areas, rims, strict=True)):
                self._put(place, self.layers[number], picture, area, rim)

    def _put(self, place: int, layer: _Layer, picture: Picture, area: NDArray[np.float32], rim: Rims) -> None:
        body, snapshot = self.view.snapshot.bodies[place], self.view.snapshot
        assert body.dots is not None
        share = math.prod(one for _, one in body.fades)
        opens, closes = self.shutter
        matrix = np.array(body.matrix).reshape(4, 4)
        dots = lit_dots(body.dots, matrix, snapshot) if body.dots.lit else body.dots
        drawn = drawn_dots(
            dots, matrix, snapshot.camera, self.view.shift, (opens, closes), share, area, self.depth, NO_DEPTH
        )
        numbers = self.view.numbers[int(np.flatnonzero(self.view.owners == place)[0])]
        gives = layer.roles[place] == "shown"
        for one in drawn:
            whole = _picture_of_dots(snapshot, one.light, one.depth, numbers, layer.planes)
            rim.begin(picture)
            lay_over(whole, picture, one.areas, area, gives=gives)
            rim.lay_over(whole, one.areas, gives=gives, picture=picture)


def _picture_of_dots(
    snapshot: Snapshot,
    light: NDArray[np.float32],
    nearest: NDArray[np.float32],
    numbers: NDArray[np.int32],
    planes: bool,
) -> Picture:
    """A picture of dots, whose light stands among what glows: no surface tells anything of them but its number."""
    picture = replace(empty_picture(snapshot, planes), beauty=light, depth=nearest)
    if picture.planes is not None and picture.identities is not None:
        picture.planes[..., EMISSION : EMISSION + 3] = light[..., :3]
        there = light[..., 3] > 0
        for kind in range(2):
            picture.identities[there, kind, 0, 0] = numbers[kind]
            picture.identities[there, kind, 0, 1] = light[there, 3]
    return picture


def _as_one(
    snapshot: Snapshot,
    solid: Sequence[int],
    members: Sequence[int],
    drawn: partial[list[Picture]],
    pictures: Sequence[Picture],
    areas: Sequence[NDArray[np.float32]],
    layers: Sequence[_Layer],
    rims: Sequence[Rims],
) -> None:
    """Put the bodies of a group of which only a share is left over the pictures of layers, in place, as one: they are drawn as if all of it
    were there, with everything opaque held out, and laid over what is behind them by the share. areas [H, W] of each are opaque."""
    share = np.float32(snapshot.bodies[members[0]].fades[0][1])

    def alone(shown: frozenset[int], planes: bool, area: NDArray[np.float32]) -> tuple[Picture, Areas]:
        """Some of the members; what is opaque, in an area [H, W], and the others, are held out."""
        bodies = []
        for place, body in enumerate(snapshot.bodies):
            if place in members:
                bodies.append(replace(body.faded(body.fades[1:]), role="shown" if place in shown else "hold-out"))
            else:
                bodies.append(replace(body, role="hold-out" if place in solid else "unseen"))
        layer = _Layer(tuple(body.role for body in bodies), planes)
        own = replace(snapshot, bodies=tuple(bodies))

        # Its share may be what a hand changes now.
        by = layer, drawn.keywords
        whole = picture_of(own, by, area, lambda: drawn(own, layers=[layer], alone=True, held=area)[0])
        alpha = whole.beauty[..., 3]
        before = np.zeros_like(alpha) if whole.held is None else whole.held
        seen = alpha if whole.covered is None else np.maximum(alpha, np.minimum(whole.covered, 1 - before))
        where = Areas(np.array(seen), np.array(before))
        front = replace(whole, covered=None, held=None).map(lambda values: np.multiply(values, share, out=values))
        if front.identities is not None:
            front.identities[..., 1] *= share
        if front.data is not None:
            front.data[..., SHARE] *= share
        return front, where

    every = frozenset(members)
    for number, (picture, area, layer, rim) in enumerate(zip(pictures, areas, layers, rims, strict=True)):
        PARALLEL.breathe()
        shown = frozenset(place for place in members if layer.roles[place] == "shown")
        front, own = alone(every, layer.planes, area)
        gives = shown == every
        rim.begin(picture)
        lay_over(front, picture, own, area, gives=gives)
        rim.lay_over(front, own, gives=gives, picture=picture)
        if shown and not gives:
            # Of what is there this layer shows only a part; the rest hides what is behind it.
            part, _ = alone(shown, layer.planes, area)
            if picture.held is not None:
                picture.held[:] -= part.beauty[..., 3]
            rim.add(part, pictures[number])


def _through_one_another(
    view: View,
    solid: Sequence[int],
    unit: Sequence[int],
    pictures: Sequence[Picture],
    areas: Sequence[NDArray[np.float32]],
    layers: Sequence[_Layer],
    rims: Sequence[Rims],
) -> None:
    """Put see-through bodies that reach through one another over the pictures of layers, in place; areas [H, W] of each are those that
    are opaque."""
    surfaces: list[Surface] = []
    for place in unit:
        for picture, own_areas, is_far in Sheets(view, solid, [place], False, False, everywhere=True).near_to_far():
            surfaces.append(surface_of(picture, own_areas, place, far=is_far))
    weights: dict[int, Weights] = {}
    for area, equal in distinct(areas):
        weights |= dict.fromkeys(equal, weights_of(surfaces, area))
    for number, picture in enumerate(pictures):
        rims[number].begin(picture)
        weaken(picture, weights[number].behind)
    fronts: list[list[tuple[int, Picture, Areas]]] = [[] for _ in pictures]
    for place in unit:
        shown = [layer.roles[place] == "shown" for layer in layers]
        planes = any(gives and layer.planes for gives, layer in zip(shown, layers, strict=True))
        own = [at for at, surface in enumerate(surfaces) if surface.body == place]
        sides: Iterator[tuple[Picture, Areas, bool] | None] = iter([None] * len(own))
        if any(shown):
            sides = Sheets(view, solid, [place], True, planes, everywhere=True).near_to_far()
        for at, side in zip(own, sides, strict=True):
            for number, (picture, gives) in enumerate(zip(pictures, shown, strict=True)):
                weight = weights[number].surfaces[at]
                if gives and side is not None:
                    add(side[0], picture, side[1], weight)
                    fronts[number].append((at, rims[number].taken(side[0]), side[1]))
                elif picture.held is not None:
                    picture.held[:] += surfaces[at].alpha * weight
            # Given back before the next is drawn.
            del side
    for number, (picture, layer, rim) in enumerate(zip(pictures, layers, rims, strict=True)):
        gives_light = [layer.roles[surface.body] == "shown" for surface in surfaces]
        rim.through_one_another(surfaces, weights[number].behind, gives_light, fronts[number], picture)


def _only_held(snapshot: Snapshot, layer: _Layer, held: NDArray[np.float32]) -> Picture:
    """What is opaque, if all of it only hides: nothing, where it covers an area [H, W]."""
    return replace(empty_picture(snapshot, layer.planes), covered=np.zeros_like(held), held=held.copy())


def _opaque_or_kept(
    view: View, solid: Sequence[int], layers: Sequence[_Layer], clear: bool, *, alone: bool
) -> list[Picture]:
    """The opaque bodies as each layer has them: kept, while all that changes is what may be seen through and throws no shadow on them."""
    snapshot = view.snapshot
    rays = any(one.shadows for one in snapshot.lights) or snapshot.occlusion > 0 or snapshot.bounces > 0
    # Dots are hidden by the depth of this very drawing.
    sprays = any(one.dots is not None for one in snapshot.bodies)
    if rays or sprays or len(layers) > 1:
        return _opaque(view, solid, layers, clear, alone=alone)
    bodies = (
        one if place in solid else replace(one, finishes=(), whole=(), fades=())
        for place, one in enumerate(snapshot.bodies)
    )
    by = tuple(layers), view.quality, view.samples, view.shift, view.hard, clear, alone, tuple(solid)
    nothing = np.empty((0, 0), np.float32)
    own = replace(snapshot, bodies=tuple(bodies))
    return [picture_of(own, by, nothing, lambda: _opaque(view, solid, layers, clear, alone=alone)[0])]


def _opaque(
    view: View, solid: Sequence[int], layers: Sequence[_Layer], veiled: bool, *, alone: bool = False
) -> list[Picture]:
    """The opaque bodies as each layer has them."""
    holds_out = any("hold-out" in layer.roles for layer in layers)
    outputs = []
    for layer in layers:
        weights = None
        if holds_out and "hold-out" in layer.roles:
            weights = view.of_finishes({place: 1 if layer.roles[place] == "shown" else -1 for place in solid})
        outputs.append(output_for(view, layer.planes, weights, weights is None or bool((weights >= 0).any())))
    if solid:
        drawn = view.stage.drawing(view.triangles_of(solid))
        areas = draw_outputs(view, drawn, outputs, alone=alone and outputs[0].some and outputs[0].lit)
    else:
        # Nothing is opaque: nothing needs to be drawn to know how that looks.
        for output in outputs:
            make_empty(output.picture)
        areas = [None] * len(outputs)
    pictures = []
    for output, layer, own in zip(outputs, layers, areas, strict=True):
        picture = output.picture
        held = None
        if "hold-out" in layer.roles:
            held = np.zeros_like(picture.depth) if own is None else own.before
        covered = picture.beauty[..., 3].copy() if veiled else None
        pictures.append(replace(picture, covered=covered, held=held))
    return pictures


def _peeled(
    view: View,
    solid: Sequence[int],
    places: Sequence[int],
    roles: Mapping[int, tuple[Role, ...]],
    layers: Sequence[_Layer],
) -> Sheets | None:
    """Surfaces of all see-through bodies, to be drawn one behind the other however many bodies they are of; None where that would not be
    right or not worth while: if layers have them in other roles, any is flat, or too many lie over one another."""
    own = roles[places[0]]
    if any(roles[place] != own or view.pieces.plane(place) >= 0 for place in places):
        return None
    gives = [role == "shown" for role in own]
    wanted = any(g and one.planes for g, one in zip(gives, layers, strict=True))
    sheets = Sheets(view, solid, places, any(gives), wanted, mixed=True)
    return sheets if sheets.count() <= MOST_DEEP else None


def _blurred(snapshot: Snapshot, quality: Quality, layers: Sequence[_Layer]) -> list[Picture]:
    """The mean over the time in which the shutter is open; depth is that of the nearest surface in any moment."""
    stretches = list(stretches_of(snapshot, quality))
    shifts = shifts_of(len(stretches))
    # What stands still has as many samples as in a still picture, and more.
    samples = LANES if len(stretches) < _MANY_STRETCHES else LANES // 2
    # Stretches share out rays as they do samples.
    each = replace(quality, rays=max(1, quality.rays // min(len(stretches), 2)), edges_exactly=False)
    totals: list[Picture] = []
    middle: list[Picture] = []
    opens, closes = snapshot.shutter or (0.0, 0.0)
    for number, (stretch, shift) in enumerate(zip(stretches, shifts, strict=True)):
        PARALLEL.breathe()
        part = tuple(opens + (closes - opens) * (number + more) / len(stretches) for more in (0, 1))
        pictures = _still(stretch, each, samples, layers, shift=shift, shutter=part)
        if number == len(stretches) // 2:
            middle = pictures
        if not totals:
            totals = pictures
        else:
            for total, picture in zip(totals, pictures, strict=True):
                _add(total, picture)
    share = np.float32(1 / len(stretches))
    means = [total.map(lambda values: np.multiply(values, share, out=values)) for total in totals]
    return [replace(mean, identities=own.identities, data=own.data) for mean, own in zip(means, middle, strict=True)]


def _add(total: Picture, picture: Picture) -> None:
    """Add a picture to others, in place."""
    np.add(total.beauty, picture.beauty, out=total.beauty)
    np.minimum(total.depth, picture.depth, out=total.depth)
    if total.planes is not None and picture.planes is not None:
        np.add(total.planes, picture.planes, out=total.planes)
    for name, values in total.groups.items():
        np.add(values, picture.groups[name], out=values)
    for mine, own in ((total.covered, picture.covered), (total.held, picture.held)):
        if mine is not None and own is not None:
            np.add(mine, own, out=mine)


def _pixels(snapshot: Snapshot, look: PixelLook, quality: Quality, planes: bool) -> Picture:
    """The small raster of the pixel look, enlarged. It looks the same at every quality but for its rays."""
    small = snapshot.at_raster(snapshot.width // look.enlarge, snapshot.height // look.enlarge).built(quality)
    kept, numbers = _belonging(small)
    layer = _Layer(tuple(body.role for body in kept.bodies), planes)
    (picture,) = _still(kept, quality, 16, [layer], hard=True, numbers=numbers)
    finish_pixels(look, picture.beauty, picture.depth)
    if picture.planes is not None:
        # What palette and outline change is light of its own: beauty stays the sum of its parts.
        parts = (DIFFUSE, SPECULAR, AROUND, EMISSION)
        lit = np.sum([picture.planes[..., first : first + 3] for first in parts], axis=0)
        picture.planes[..., EMISSION : EMISSION + 3] += picture.beauty[..., :3] - lit
    if picture.data is not None:
        # Counted in the small raster's pixels so far.
        picture.data[..., MOTION : MOTION + 2] *= look.enlarge
    large = picture.map(lambda values: enlarge(values, look.enlarge))
    identities, data = (
        None if one is None else enlarge(one, look.enlarge) for one in (picture.identities, picture.data)
    )
    return replace(large, depth=enlarge(picture.depth, look.enlarge), identities=identities, data=data, covered=None)


def _belonging(snapshot: Snapshot) -> tuple[Snapshot, list[tuple[int, int]]]:
    """The snapshot without what is more see-through than not, and the rest opaque: a pixel belongs or does not.

    Also the numbers of what is left (``identity.numbers_of``).
    """

    def hides(place: int) -> bool:
        return any(stops_of(finish) >= 0.5 for finish in snapshot.bodies[place].finishes)

    places = tuple(place for place in range(len(snapshot.bodies)) if hides(place))
    kept = snapshot.only(places)
    opaque = tuple(
        replace(one, finishes=tuple(made_opaque(row) for row in one.finishes), fades=(), whole=())
        for one in kept.bodies
    )
    numbers = zip(
        numbers_of(snapshot), [at for at, body in enumerate(snapshot.bodies) for _ in body.finishes], strict=True
    )
    return replace(kept, bodies=opaque), [number for number, place in numbers if place in places]


#: So many see-through bodies, in as many groups each of which would be drawn by itself, are many.
_MANY = 6
#: Pixels that silhouettes may be off where everything is blurred.
_BLURRED = 0.2
#: So many stretches have samples enough with half of those that they can have.
_MANY_STRETCHES = 6
