"""Small rendered pictures of what is ready-made: finishes, light sets and surroundings on one little set."""

from __future__ import annotations

import tempfile
from functools import lru_cache
from pathlib import Path
from typing import Literal

from zeitbild.assets import AssetFolder
from zeitbild.document.shot import Backdrop, Camera, Environment, Raster, Shot, Timing
from zeitbild.elements.lettering import Lettering
from zeitbild.elements.solid import Solid
from zeitbild.errors import InputError
from zeitbild.finishes import READY_MADE, Finish, Values
from zeitbild.lights.ready_made import LIGHT_SETS
from zeitbild.proof.display import Ground, View, encode_view, show
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.surroundings import kinds as surroundings
from zeitbild.values import Placement

PreviewKind = Literal["finish", "lights", "surroundings"]
#: Pixels of a preview; twice what it is shown at.
SIZE = (144, 96)
_METAL = Values(base_colour="#d9a94e", roughness=0.16, metalness=1.0)
_MATT = Values(base_colour="#ded8cc", roughness=0.85)


def little_set(letter: Values, ball: Values, **more: object) -> Shot:
    """A bevelled letter and a ball before it."""
    own = Finish(**letter.model_dump())
    elements = (
        Lettering(id="letter", word="R", face=own, bevel=own, side=own, placement=Placement(position=(-48, 0, 0))),
        Solid(
            id="ball",
            shape="ball",
            width=130,
            height=130,
            depth=130,
            surface=Finish(**ball.model_dump()),
            placement=Placement(position=(84, -12, 40)),
        ),
    )
    return Shot(
        raster=Raster(width=SIZE[0], height=SIZE[1]),
        timing=Timing(last=1, cycle=False),
        camera=Camera(position=(60, 60, 620), look_at=(18, 0, 0), angle=28),
        elements=elements,
        **more,
    )


def _shot(kind: PreviewKind, name: str) -> Shot:
    if kind == "finish":
        for finish in READY_MADE:
            if finish.name == name:
                return little_set(finish.values, finish.values)
    if kind == "lights":
        for lights in LIGHT_SETS:
            if lights.name == name:
                return little_set(_MATT, _METAL, lights=lights.lights)
    if kind == "surroundings" and name in surroundings:
        one = surroundings.get(name)
        around = Environment(
            source=one.name,
            strength=one.strength,
            sky=one.sky,
            horizon=one.horizon or one.sky,
            floor=one.floor,
        )
        return little_set(_METAL, _METAL, lights=(), environment=around, backdrop=Backdrop(kind="surroundings"))
    raise InputError(f"there is nothing ready-made of the kind {kind[:40]!r} that is called {name[:40]!r}")


@lru_cache(maxsize=64)
def preview(kind: PreviewKind, name: str) -> bytes:
    """A PNG of SIZE; InputError if nothing ready-made is called so."""
    snapshot = resolve(_shot(kind, name), 1, AssetFolder(Path(tempfile.gettempdir())))
    picture = render(snapshot, QUALITIES["check"])
    return encode_view(show(picture, View(Ground("colour", "#3d4247"))), "png")
