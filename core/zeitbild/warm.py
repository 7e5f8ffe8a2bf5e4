"""Compile every kernel into the cache by rendering and writing one small frame at each quality."""

from __future__ import annotations

import hashlib
import io
import subprocess
import sys
import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image

from zeitbild.assets import AssetFolder
from zeitbild.colour.highlights import conformed, for_straight
from zeitbild.differences import sum_difference
from zeitbild.document.shot import Motion, Shot, Timing
from zeitbild.elements import kinds
from zeitbild.elements.card import Card
from zeitbild.elements.emblem import Emblem
from zeitbild.elements.floor import Floor
from zeitbild.elements.lettering import Lettering
from zeitbild.elements.model import ModelElement, PlacedClip
from zeitbild.elements.solid import Solid
from zeitbild.finishes import Finish
from zeitbild.formats import Plane, formats
from zeitbild.geometry.curves import Contour
from zeitbild.geometry.diagram import diagram_of
from zeitbild.geometry.outline import outline_of, part
from zeitbild.halves import columns_of
from zeitbild.handoff.conforming import Conforming
from zeitbild.keys import Key, Track
from zeitbild.masters import MasterStore
from zeitbild.proof import View, encode_view, show
from zeitbild.render import QUALITIES, render
from zeitbild.render.passes import passes
from zeitbild.render.shade.shading import PARTS
from zeitbild.render.visible.identity import ranks_of
from zeitbild.resolve import resolve
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.look import PixelLook
from zeitbild.snapshot.reach import Reach
from zeitbild.timing.easing import HANDLES, bezier, share_of_way, split_curve
from zeitbild.values import Placement, Turn

#: Forms between which all is used that looks at what files hold.
_READ_BACK: tuple[tuple[str, dict[str, str]], ...] = (
    ("png8", {}),
    ("png16", {}),
    ("tga", {}),
    ("exr", {}),
    ("tiff8", {"alpha": "premultiplied"}),
    ("tiff16", {"alpha": "premultiplied"}),
    ("webp", {}),
    ("h264", {}),
    ("prores4444", {}),
)


def _snapshot() -> Snapshot:
    shot = Shot(elements=(Lettering(id="word-1", word="Ab"),))
    return resolve(shot, 1, AssetFolder(Path(tempfile.gettempdir()))).at_size(96, 54)


def _partly_there() -> Snapshot:
    """A picture that is cut out, over ground that shows nothing but shadow."""
    with tempfile.TemporaryDirectory() as folder:
        assets = AssetFolder(Path(folder))
        data = io.BytesIO()
        Image.new("RGBA", (4, 4), (200, 100, 50, 128)).save(data, "PNG")
        card = Card(id="card", picture="asset:" + assets.add(data.getvalue()))
        shot = Shot(elements=(card, Floor(id="floor", placement=Placement(position=(0, -100, 0)))))
        return replace(resolve(shot, 1, assets).at_size(96, 54), occlusion=0.5)


def _moving() -> Snapshot:
    """A turning word with an open shutter, and a clear body that stands before it."""
    word = Lettering(id="word-1", word="Ab", turn=Turn(turns=1))
    plate = Solid(id="plate", surface=Finish(opacity=0.5))
    shot = Shot(elements=(word, plate), timing=Timing(last=12), motion=Motion(angle=180))
    snapshot = resolve(shot, 1, AssetFolder(Path(tempfile.gettempdir()))).at_size(96, 54)
    return replace(snapshot, occlusion=0.5, bounces=1)


def _over_itself() -> Snapshot:
    """A clear ring, whose size has keys."""
    keys = Track(keys=(Key(frame=1, value=100.0), Key(frame=3, value=200.0)))
    ring = Solid(id="ring", shape="ring", surface=Finish(opacity=0.5), moves={"width": keys})
    return resolve(Shot(elements=(ring,)), 2, AssetFolder(Path(tempfile.gettempdir()))).at_size(96, 54)


def _brought_along() -> Snapshot:
    """What ships with Zeitbild beside fonts: a drawing that lies flat with another before it, a model that plays, what is sprayed and written."""
    flat = {"drawing": "badge", "depth": 0.0, "surface": Finish(shading="unlit")}
    elements = (
        Emblem(id="one", **flat),
        Emblem(id="other", **flat, placement=Placement(position=(40, 30, 0))),
        ModelElement(id="model", model="puffin", clips=(PlacedClip(clip="waddle", start=0),)),
        kinds.get("spray").parameters(id="spray"),
        kinds.get("penwork").parameters(id="pen"),
    )
    return resolve(Shot(elements=elements), 30, AssetFolder(Path(tempfile.gettempdir()))).at_size(96, 54)


def warm() -> None:
    """Touch every kernel once with the types that real work uses."""
    snapshot = replace(_snapshot(), occlusion=0.5, bounces=1)
    for quality in QUALITIES.values():
        picture = render(snapshot, quality, planes=True)
        ring = _over_itself()
        render(ring, quality)
    # Shadows with soft borders.
    soft = tuple(replace(one, size=0.05, shadows=True) for one in snapshot.lights)
    render(replace(snapshot, lights=soft), QUALITIES["final"])
    # It may only hide, too.
    held_out = tuple(replace(one, role="hold-out") for one in ring.bodies)
    render(replace(ring, bodies=held_out), QUALITIES["rough"])
    render(replace(snapshot, pixels=PixelLook(2)), QUALITIES["rough"])
    render(replace(snapshot, backdrop=(0.1, 0.2, 0.3)), QUALITIES["rough"])
    for name in ("rough", "final"):
        render(_moving(), QUALITIES[name])
    partly = _partly_there()
    render(partly, QUALITIES["rough"])
    render(partly.only((0,)), QUALITIES["rough"])
    for blend in ("linear", "encoded"):
        encode_view(show(picture, View(blend=blend)), "jpeg")  # type: ignore[arg-type]
    for form in formats:
        for one in passes:
            if form.carries(one.role):
                spread = tuple(one.spread(Reach())) if one.spread is not None else ()
                plane = Plane(one.role, one.extract(picture), one.name, channels=one.channels, spread=spread)
                with tempfile.TemporaryDirectory() as folder:
                    writer = form.open(Path(folder) / "warm", "pass", {})
                    writer.add([plane])
                    writer.close()


def warm_rest() -> None:
    """What is called now and then: compiled beforehand all the same, for whoever compiles keeps a server from answering."""
    picture = render(_brought_along(), QUALITIES["final"], planes=True)
    # Outlines that meet, and those that rounding tangles.
    square = np.array([(0.0, 0.0), (2.0, 0.0), (2.0, 2.0), (0.0, 2.0)])
    outline = outline_of([Contour.of_polyline(square), Contour.of_polyline(square + 1)])
    # Bevels that meet.
    if outline is not None:
        diagram_of(outline)
    part(np.zeros((3, 2)), np.array([1, 2, 0]))
    for_straight(picture.beauty, picture.covered, "rolled off", "alpha raised")
    conformed(picture.beauty, "rolled off")
    with tempfile.TemporaryDirectory() as folder:
        store = MasterStore(Path(folder))
        store.save(hashlib.sha256().hexdigest(), picture)
        store.load(hashlib.sha256().hexdigest())
    for corner in (0, 1):
        columns = columns_of(picture.beauty[corner:, corner:], range(3), (3,))
        if picture.identities is not None:
            ranks_of(picture.identities[corner:, corner:])
    halves = [columns[k].view(np.float16) for k in range(3)]
    sum_difference([halves] * len(PARTS), halves)
    bezier(HANDLES, 0.5)
    share_of_way("gentle", 0.5, HANDLES, 0.5)
    split_curve(HANDLES, 0.5)
    Conforming(ground=(0.0, 0.0, 0.0)).laid(Plane("colour", picture.beauty, "beauty"))
    plane = Plane("colour", np.full_like(picture.beauty, 0.5), "beauty")
    for name, options in _READ_BACK:
        form = formats.get(name)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / f"warm.{form.extension}"
            writer = form.open(path, "pass", options)
            writer.add([plane])
            writer.close()
            for _ in form.read_back(path, [[plane]], "pass", options):
                pass


def compile_all() -> None:
    """Fill an empty cache in half the time: what draws tiles and follows rays is compiled by a process of its own."""
    other = subprocess.Popen([sys.executable, "-m", "zeitbild.warm", "tiles and rays"])
    render(_snapshot(), QUALITIES["rough"], planes=True)
    render(replace(_moving(), occlusion=0.0, bounces=0), QUALITIES["rough"])
    if other.wait():
        raise SystemExit("the kernels that draw tiles and follow rays could not be compiled")
    warm()
    warm_rest()


def compile_tiles_and_rays() -> None:
    """Compile the kernels that draw tiles at the finer qualities, and those that follow rays; none that shades."""
    from zeitbild.kernels import PARALLEL
    from zeitbild.render.rays.secondary import cast_rays
    from zeitbild.render.stage import lighting_of, stage_of
    from zeitbild.render.visible.visibility import rasterise

    snapshot = replace(_snapshot(), occlusion=0.5, bounces=1)
    built = snapshot.built(QUALITIES["check"])
    stage, camera = stage_of(built), snapshot.camera
    scene = stage.scene
    depth = np.empty((snapshot.height, snapshot.width), np.float32)
    own, sides = np.ones(len(scene.triangles), np.uint8), np.full(depth.shape, 2, np.uint8)
    for name, passed in (("rough", 1), ("check", 1), ("final", 1), ("check", 0), ("final", 0)):
        with PARALLEL:
            fragments, _, drawing = rasterise(
                camera.project(scene.vertices),
                np.ones(len(scene.vertices)),
                scene.triangles,
                scene.cull,
                scene.patches,
                scene.facing,
                near=camera.near,
                least_w=camera.near,
                width=snapshot.width,
                height=snapshot.height,
                samples=QUALITIES[name].samples,
                edges_exactly=QUALITIES[name].edges_exactly,
                depth=depth,
                own=own,
                passed=passed,
            )
            if QUALITIES[name].edges_exactly:
                drawing.again(sides)
    with PARALLEL:
        cast_rays(built, QUALITIES["check"], stage, lighting_of(built), fragments, depth)


if __name__ == "__main__":
    compile_tiles_and_rays() if sys.argv[1:] else compile_all()
