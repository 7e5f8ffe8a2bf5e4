"""One frame: snapshot and quality in, picture out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.memory import give_back_much
from zeitbild.render.compositing import MANY, put_see_through
from zeitbild.render.data_rows import MOTION
from zeitbild.render.drawing import draw_outputs, make_empty
from zeitbild.render.moving.sweep_kernel import LANES
from zeitbild.render.moving.sweeping import shifts_of, stills_needed, stills_of, stretches_of
from zeitbild.render.outputs import Layer, View, empty_picture, output_for, view_of
from zeitbild.render.picture import Picture
from zeitbild.render.shade.shading import AROUND, DIFFUSE, EMISSION, SPECULAR
from zeitbild.render.spraying import Spraying
from zeitbild.render.view.backdrop import put_behind
from zeitbild.render.view.pixel_look import enlarge, finish_pixels
from zeitbild.render.visible.identity import numbers_of
from zeitbild.render.visible.pieces import fused_places, see_through_places, veiled_places
from zeitbild.render.visible.remembered import picture_of
from zeitbild.render.visible.rims import Rims
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import made_opaque, stops_of
from zeitbild.snapshot.look import PixelLook
from zeitbild.snapshot.pixel_filter import ONE_PIXEL
from zeitbild.snapshot.quality import Quality

#: Part of every frame key: raise it whenever the same snapshot would give other pixels.
RENDERER_VERSION = 49


def render(snapshot: Snapshot, quality: Quality, *, planes: bool = False) -> Picture:
    """Render a snapshot; with ``planes`` also what beauty is made of (``Picture.planes``).

    The same snapshot and quality give the same bytes, whatever the number of threads.
    """
    return render_together([snapshot], quality, [planes])[0]


def render_together(snapshots: Sequence[Snapshot], quality: Quality, planes: Sequence[bool]) -> list[Picture]:
    """Layers of one set, which differ only in what is shown and what held out, and in what is behind: everything but light is
    found out once. Each is what ``render`` gives alone, byte for byte.
    """
    # What the pictures before took, if they were large.
    give_back_much()
    otherwise = quality.edges_exactly or bool(snapshots[0].stations)
    if len(snapshots) > 1 and otherwise and len(veiled_places(snapshots[0])) > MANY:
        # How so many are drawn depends on what a layer shows of them: there is nothing to share.
        return [render(one, quality, planes=wanted) for one, wanted in zip(snapshots, planes, strict=True)]
    first = snapshots[0].widened()
    if first.pixels is not None:
        pictures = [_pixels(one, first.pixels, quality, wanted) for one, wanted in zip(snapshots, planes, strict=True)]
        return [_finished(*one) for one in zip(snapshots, pictures, planes, strict=True)]
    blurred, stills = bool(first.stations), 0
    # What moves fast while the shutter is open shows no fine edges.
    built = first.built(replace(quality, curve_error=max(quality.curve_error, _BLURRED)) if blurred else quality)
    if blurred:
        stills = stills_needed(built, quality)
        built = first.built(quality) if stills else built
    built, places = built.parted()
    layers = [
        Layer(tuple(one.bodies[place].role for place in places), wanted)
        for one, wanted in zip(snapshots, planes, strict=True)
    ]
    if blurred:
        pictures = _blurred(built, quality, layers, stills)
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


def _still(
    snapshot: Snapshot,
    quality: Quality,
    samples: int,
    layers: Sequence[Layer],
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
    if clear:
        areas = [_opaque_area(picture) if solid else np.zeros_like(picture.depth) for picture in pictures]
        # Nothing has a rim where nothing is opaque.
        rims = [Rims.of(one, area if solid else area[:0]) for one, area in zip(pictures, areas, strict=True)]
        spraying = Spraying(view, layers, shutter or snapshot.shutter or (0.0, 0.0), sprays, hides=bool(solid))
        drawn = partial(_still, quality=quality, samples=samples, shift=shift, hard=hard, numbers=numbers)
        put_see_through(view, solid, veiled, fused, spraying, layers, pictures, areas, rims, drawn)
        for rim, picture in zip(rims, pictures, strict=True):
            rim.join(picture)
    return pictures


def _opaque_area(picture: Picture) -> NDArray[np.float32]:
    """The area [H, W] that is opaque of a picture of nothing else."""
    return picture.beauty[..., 3] + (0 if picture.held is None else picture.held)


def _only_held(snapshot: Snapshot, layer: Layer, held: NDArray[np.float32]) -> Picture:
    """What is opaque, if all of it only hides: nothing, where it covers an area [H, W]."""
    return replace(empty_picture(snapshot, layer.planes), covered=np.zeros_like(held), held=held.copy())


def _opaque_or_kept(
    view: View, solid: Sequence[int], layers: Sequence[Layer], clear: bool, *, alone: bool
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
    view: View, solid: Sequence[int], layers: Sequence[Layer], veiled: bool, *, alone: bool = False
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
        covered = None
        if veiled:
            covered = picture.beauty[..., 3].copy() if solid else np.zeros_like(picture.depth)
        pictures.append(replace(picture, covered=covered, held=held))
    return pictures


def _blurred(snapshot: Snapshot, quality: Quality, layers: Sequence[Layer], stills: int) -> list[Picture]:
    """The mean over the time in which the shutter is open, of so many stills or, if there are to be none, of stretches; depth is that of the
    nearest surface in any moment."""
    if stills:
        stretches, samples, each = list(stills_of(snapshot, stills)), snapshot.samples_at(quality), quality
        shifts = [(0.0, 0.0)] * stills
    else:
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
    layer = Layer(tuple(body.role for body in kept.bodies), planes)
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


#: Pixels that silhouettes may be off where everything is blurred.
_BLURRED = 0.2
#: So many stretches have samples enough with half of those that they can have.
_MANY_STRETCHES = 6
