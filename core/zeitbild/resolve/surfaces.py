"""Finishes of the document as the renderer's numbers."""

from __future__ import annotations

from zeitbild.colour import decode_hex
from zeitbild.document.shot import Shot
from zeitbild.elements import ElementBase
from zeitbild.elements.base import AssetSource
from zeitbild.finishes import MAPS, Values
from zeitbild.render.finish_row import finish_row
from zeitbild.render.texels import Texture
from zeitbild.resolve.texture import texture


class Textures:
    """The textures that the finishes of a set name, each once, numbered from 1."""

    def __init__(self, assets: AssetSource) -> None:
        self._assets, self._found = assets, dict[tuple[str, bool], Texture]()

    def number(self, named: str, plain: bool) -> int:
        """Number of an uploaded file ``asset:...``, 0 for none; InputError if it is missing or broken."""
        if not named:
            return 0
        key = (named.removeprefix("asset:"), plain)
        if key not in self._found:
            self._found[key] = texture(*key, self._assets)
        return list(self._found).index(key) + 1

    def all(self) -> tuple[Texture, ...]:
        """All of them, in the order of their numbers."""
        return tuple(self._found.values())


def _finish(finish: Values, textures: Textures) -> tuple[float, ...]:
    red, green, blue = (value * finish.emission for value in decode_hex(finish.emission_colour))
    maps = [
        textures.number(getattr(finish, f"{what}_map"), plain)
        for what, plain in MAPS
        if finish.shading == "metal-rough" or (finish.shading == "unlit" and what in ("base", "emission"))
    ]
    if finish.shading == "unlit":
        maps = [maps[0], 0, 0, 0, maps[1]]
    tones = [(tone.above, decode_hex(tone.colour)) for tone in finish.tones]
    return finish_row(
        decode_hex(finish.base_colour),
        finish.roughness,
        finish.metalness,
        (red, green, blue),
        coat=finish.coat,
        coat_roughness=finish.coat_roughness,
        tones=tones if finish.shading == "tone bands" else (),
        softness=finish.softness,
        unlit=finish.shading == "unlit",
        opacity=finish.opacity,
        maps=maps or (0, 0, 0, 0, 0),
        map_box=finish.map_by == "all sides",
        map_width=finish.map_width,
        map_turn=finish.map_turn,
    )


def finishes_of(shot: Shot, element: ElementBase, textures: Textures) -> tuple[tuple[float, ...], ...]:
    """Numbers of an element's finishes, the shared ones looked up (the document holds only names that are there)."""
    shared = {finish.name: finish.values for finish in shot.finishes}
    return tuple(_finish(shared[one.named] if one.named else one, textures) for one in element.finishes())
