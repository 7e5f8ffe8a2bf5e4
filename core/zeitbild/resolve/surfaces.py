"""Finishes of the document as the renderer's numbers."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from zeitbild.colour import decode_hex
from zeitbild.document.shot import Shot
from zeitbild.elements.base import PictureReading, Worn
from zeitbild.errors import InputError, LimitError
from zeitbild.finishes import TEXTURES, Values
from zeitbild.finishes.finish import is_cut
from zeitbild.resolve.texture import texture
from zeitbild.shipped import AssetSource
from zeitbild.snapshot.finish_row import ALL_SIDES, FRONT, ROUND_BALL, ROUND_COLUMN, UNWRAPPED, finish_row
from zeitbild.snapshot.texture import Texture

#: Textures that a way of shading takes.
_TAKEN = {
    "metal-rough": ("base", "roughness", "metalness", "normal", "emission"),
    "unlit": ("base", "emission"),
    "tone bands": (),
    "shadow only": (),
}
_LIES = {
    "front": FRONT,
    "all sides": ALL_SIDES,
    "round a ball": ROUND_BALL,
    "round a column": ROUND_COLUMN,
    "unwrapped": UNWRAPPED,
}
#: Alpha that counts as all of it.
_WHOLE = 1 - 1 / 512
#: Pixels of all textures of a set at their full size: 200 MB with their smaller versions.
MAX_TEXELS = 16 * 1024 * 1024


#: What tells textures apart: the file's digest, whether its values are numbers, how it is read, whether its alpha is meant.
_Key = tuple[str, bool, PictureReading | None, bool]


class Textures:
    """The textures that the finishes of a set name, each once, numbered from 1."""

    def __init__(self, assets: AssetSource) -> None:
        self._assets, self._found = assets, dict[_Key, Texture]()

    def number(self, named: str, plain: bool, reading: PictureReading | None = None, alpha: bool = False) -> int:
        """Number of an uploaded file ``asset:...``, or of what lies inside one (``#`` and a number), 0 for none; the rest as ``texture``
        takes it.

        InputError if it is missing or broken, LimitError beyond MAX_TEXELS in a set.
        """
        if not named:
            return 0
        key = (named.removeprefix("asset:"), plain, reading, alpha)
        return self._numbered(key, lambda: texture(*key, self._assets))

    def _numbered(self, key: _Key, make: Callable[[], Texture]) -> int:
        if key not in self._found:
            self._found[key] = make()
            if sum(one.levels[0].shape[0] * one.levels[0].shape[1] for one in self.all()) > MAX_TEXELS:
                raise LimitError(
                    f"the textures of this set have more than {MAX_TEXELS / 1e6:.0f} million pixels, which a worker's "
                    "memory does not hold; use smaller ones"
                )
        return list(self._found).index(key) + 1

    def own(self, picture: Texture) -> int:
        """Number of a picture that a kind made itself."""
        return self._numbered((picture.digest, True, None, True), lambda: picture)

    def all(self) -> tuple[Texture, ...]:
        """All of them, in the order of their numbers."""
        return tuple(self._found.values())


def _finish(finish: Values, place: str, textures: Textures, worn: Worn) -> tuple[float, ...]:
    """Numbers of a finish; an InputError about a texture names its field below ``place``."""
    cut, reading = worn.cut, worn.reading
    red, green, blue = (value * finish.emission for value in decode_hex(finish.emission_colour))

    def number(what: str, plain: bool, reading: PictureReading | None = None, alpha: bool = False) -> int:
        try:
            return textures.number(getattr(finish, f"{what}_map"), plain, reading, alpha)
        except InputError as error:
            error.field = f"{place}.{what}_map"
            raise

    taken = _TAKEN[finish.shading]
    maps = [
        number(what, plain, reading if what == "base" else None) if what in taken else 0 for what, plain in TEXTURES
    ]
    # How much is there does not depend on how it answers light.
    alpha = 0
    if cut >= 0:
        alpha = number("base", True, reading, True) if worn.picture is None else textures.own(worn.picture)
    elif is_cut(finish.base_map):
        alpha = number("base", True, None, True)
        shares = textures.all()[alpha - 1].levels
        # Pictures that could be clear anywhere often are nowhere.
        alpha, cut = (0, -1.0) if float(shares[0].min()) > _WHOLE else (alpha, float(shares[-1].mean()))
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
        shadow_only=finish.shading == "shadow only",
        mirror=finish.mirror,
        opacity=finish.opacity,
        maps=maps,
        map_lies=_LIES[finish.map_by],
        map_width=finish.map_width,
        map_turn=finish.map_turn,
        alpha_map=alpha,
        stops=cut * finish.opacity if alpha else None,
    )


def finishes_of(shot: Shot, number: int, textures: Textures, worn: Sequence[Worn]) -> tuple[tuple[float, ...], ...]:
    """Numbers of what the parts of an element of a shot wear, shared finishes looked up (the document names only what is there)."""
    surfaces = shot.elements[number].surfaces()
    shared = {finish.name: at for at, finish in enumerate(shot.finishes)}

    def row(one: Worn) -> tuple[float, ...]:
        surface = surfaces[one.number]
        values: Values = surface.finish
        path = f"elements.{number}.{surface.path}"
        if surface.finish.named:
            at = shared[surface.finish.named]
            values, path = shot.finishes[at].values, f"finishes.{at}.values"
        if one.changes or one.opacity != 1:
            values = values.model_copy(update=dict(one.changes))
            values = values.model_copy(update={"opacity": values.opacity * one.opacity})
        return _finish(values, path, textures, one)

    return tuple(row(one) for one in worn)
