"""What is see-through, put over pictures of what is opaque: by lists of fragments, or from far to near."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.data_rows import SHARE
from zeitbild.render.outputs import Layer, View
from zeitbild.render.picture import Picture
from zeitbild.render.sheets import Opaque, Sheets, over_one_another
from zeitbild.render.spraying import Spraying
from zeitbild.render.veils import put_veils
from zeitbild.render.visible.areas import Areas, Before
from zeitbild.render.visible.entangled import Surface, Weights, distinct, entangled, surface_of, weights_of
from zeitbild.render.visible.folds import MOST_DEEP
from zeitbild.render.visible.pieces import groups_apart
from zeitbild.render.visible.remembered import picture_of
from zeitbild.render.visible.rims import Rims
from zeitbild.render.visible.see_through import add, lay_over, weaken
from zeitbild.snapshot import Role, Snapshot

#: So many see-through bodies, in as many groups each of which would be drawn by itself, are many.
MANY = 6


def put_see_through(
    view: View,
    solid: Sequence[int],
    veiled: Sequence[int],
    fused: Sequence[tuple[int, ...]],
    spraying: Spraying,
    layers: Sequence[Layer],
    pictures: Sequence[Picture],
    areas: Sequence[NDArray[np.float32]],
    rims: Sequence[Rims],
    drawn: partial[list[Picture]],
) -> None:
    """Put what is see-through over the pictures of layers, in place: bodies at some places, groups of which only a share is left, and
    dots. areas [H, W] of each layer are opaque; drawn draws a snapshot as this one is drawn."""
    if veiled and not (fused or spraying.left or view.catches_shadows(veiled)) and _by_lists(view):
        _put_listed(view, solid, veiled, layers, pictures, rims, empty=not solid)
        return
    # From far to near.
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
    opaque = Opaque(view, solid, layers)
    sheets = None
    if not by_lists and min(len(levels), len(veiled)) > MANY and not (fused or spraying.left):
        every = [place for unit in units for place in unit]
        if (sheets := _peeled(view, solid, every, roles, layers, opaque)) is not None:
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
            _through_one_another(view, solid, group[0], pictures, areas, layers, rims, opaque)
            continue
        gives = [role == "shown" for role in roles[group[0][0]]]
        wanted = any(g and one.planes for g, one in zip(gives, layers, strict=True))
        if sheets is None:
            sheets = Sheets(view, solid, own, any(gives), wanted, opaque=opaque)
        front, own_areas = over_one_another(sheets)
        sheets = None
        for number, (picture, area, giving, rim) in enumerate(zip(pictures, areas, gives, rims, strict=True)):
            rim.begin(picture, area, own_areas)
            lay_over(front, picture, own_areas, area, gives=giving)
            rim.lay_over(front, own_areas, gives=giving, opaque=opaque.before(own_areas, number))
        # Given back before the next is drawn.
        del front
    if listed:
        _put_listed(view, solid, listed, layers, pictures, rims)
    spraying.put(-np.inf, pictures, areas, rims)


def _put_listed(
    view: View,
    solid: Sequence[int],
    places: Sequence[int],
    layers: Sequence[Layer],
    pictures: Sequence[Picture],
    rims: Sequence[Rims],
    *,
    empty: bool = False,
) -> None:
    """Put see-through bodies over the pictures of layers, in place, by lists of their fragments; empty: nothing is in them yet."""
    PARALLEL.breathe()
    shown = [[layer.roles[view.pieces.body(place)] == "shown" for place in places] for layer in layers]
    solid_shown = [[layer.roles[place] == "shown" for place in solid] for layer in layers]
    put_veils(view, solid, places, shown, pictures, rims, solid_shown=solid_shown, empty=empty)


def _by_lists(view: View, levels: int = 0) -> bool:
    """Whether see-through bodies, in so many groups, are put over pictures by lists of their fragments (``veils``). Those of a few have
    exact edges and more places where their light changes, for who hands off; what is blurred is drawn in other ways."""
    if view.hard or view.snapshot.stations:
        return False
    return not view.quality.edges_exactly or levels > MANY


def _as_one(
    snapshot: Snapshot,
    solid: Sequence[int],
    members: Sequence[int],
    drawn: partial[list[Picture]],
    pictures: Sequence[Picture],
    areas: Sequence[NDArray[np.float32]],
    layers: Sequence[Layer],
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
        layer = Layer(tuple(body.role for body in bodies), planes)
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
        rim.begin(picture, area, own)
        lay_over(front, picture, own, area, gives=gives)
        rim.lay_over(front, own, gives=gives)
        if shown and not gives:
            # Of what is there this layer shows only a part; the rest hides what is behind it.
            part, _ = alone(shown, layer.planes, area)
            rim.add(part, pictures[number])


def _through_one_another(
    view: View,
    solid: Sequence[int],
    unit: Sequence[int],
    pictures: Sequence[Picture],
    areas: Sequence[NDArray[np.float32]],
    layers: Sequence[Layer],
    rims: Sequence[Rims],
    opaque: Opaque,
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
        rims[number].begin(picture, areas[number], *(one.areas for one in surfaces))
        weaken(picture, weights[number].behind)
    fronts: list[list[tuple[int, Picture, Areas, Before | None]]] = [[] for _ in pictures]
    for place in unit:
        shown = [layer.roles[place] == "shown" for layer in layers]
        planes = any(gives and layer.planes for gives, layer in zip(shown, layers, strict=True))
        own = [at for at, surface in enumerate(surfaces) if surface.body == place]
        sides: Iterator[tuple[Picture, Areas, bool] | None] = iter([None] * len(own))
        if any(shown):
            sides = Sheets(view, solid, [place], True, planes, opaque=opaque, everywhere=True).near_to_far()
        for at, side in zip(own, sides, strict=True):
            for number, (picture, gives) in enumerate(zip(pictures, shown, strict=True)):
                weight = weights[number].surfaces[at]
                if gives and side is not None:
                    add(side[0], picture, side[1], weight)
                    own_before = opaque.before(side[1], number)
                    fronts[number].append((at, rims[number].taken(side[0]), replace(side[1], opaque=()), own_before))
                elif picture.held is not None:
                    picture.held[:] += surfaces[at].alpha * weight
            # Given back before the next is drawn.
            del side
    for number, (layer, rim) in enumerate(zip(layers, rims, strict=True)):
        gives_light = [layer.roles[surface.body] == "shown" for surface in surfaces]
        rim.through_one_another(surfaces, gives_light, fronts[number])


def _peeled(
    view: View,
    solid: Sequence[int],
    places: Sequence[int],
    roles: Mapping[int, tuple[Role, ...]],
    layers: Sequence[Layer],
    opaque: Opaque,
) -> Sheets | None:
    """Surfaces of all see-through bodies, to be drawn one behind the other however many bodies they are of; None where that would not be
    right or not worth while: if layers have them in other roles, any is flat, or too many lie over one another."""
    own = roles[places[0]]
    if any(roles[place] != own or view.pieces.plane(place) >= 0 for place in places):
        return None
    gives = [role == "shown" for role in own]
    wanted = any(g and one.planes for g, one in zip(gives, layers, strict=True))
    sheets = Sheets(view, solid, places, any(gives), wanted, opaque=opaque, mixed=True)
    return sheets if sheets.count() <= MOST_DEEP else None
