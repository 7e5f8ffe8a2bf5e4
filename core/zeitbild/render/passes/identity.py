"""Who stands in each pixel: all at once as identities, or a matte for one."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.passes._base import Family, Pass, families, passes
from zeitbild.render.passes._planes import Extract, grey, missing
from zeitbild.render.picture import Picture
from zeitbild.render.visible.identity import ELEMENTS, FINISHES
from zeitbild.snapshot.names import Names


def _held(kind: int) -> Extract:
    def extract(picture: Picture) -> NDArray[np.float32]:
        if picture.identities is None:
            raise missing()
        return np.ascontiguousarray(picture.identities[:, :, kind])

    return extract


def _colours(kind: int) -> Extract:
    def shown(picture: Picture) -> NDArray[np.float32]:
        held = _held(kind)(picture)
        number = held[..., 0].astype(np.int64)
        # Steps of the golden section round the circle: neighbours in number are far apart in colour.
        hue = (number * 0.6180339887 % 1)[..., None] + np.array([0, 1 / 3, 2 / 3])
        colour = 0.55 + 0.4 * np.cos(2 * np.pi * hue)
        sums: NDArray[np.float32] = (colour * held[..., 1:]).sum(axis=2).astype(np.float32)
        return sums

    return shown


for _name, _title, _kind, _order in (
    ("identity-element", "Identity of elements", ELEMENTS, 70),
    ("identity-finish", "Identity of finishes", FINISHES, 71),
):
    passes.register(
        Pass(
            _name,
            _title,
            "Who stands in each pixel and by how much, in ranks, to make mattes from",
            "identity",
            "identity",
            _held(_kind),
            shown=_colours(_kind),
            order=_order,
        )
    )

#: How documents and file names call the matte of one element, or of one of its finishes (``matte:id/finish``).
MATTE = "matte"


def _matte(of: str) -> Extract:
    owner, _, part = of.partition("/")

    def extract(picture: Picture) -> NDArray[np.float32]:
        if picture.identities is None:
            raise missing()
        kind, wanted = (FINISHES if part else ELEMENTS), []
        finish = 0
        for place, (element, _, finishes) in enumerate(picture.names):
            if element == owner:
                wanted = [finish + at for at, (code, _) in enumerate(finishes) if code == part] if part else [place]
            finish += len(finishes)
        held = picture.identities[:, :, kind]
        # What is not in this layer covers nothing.
        chosen = np.isin(held[..., 0], np.array(wanted, np.float32)) if wanted else np.zeros(held.shape[:3], bool)
        cover: NDArray[np.float32] = np.where(chosen, held[..., 1], 0).sum(axis=2).astype(np.float32)
        return cover

    return extract


def _members(groups: Sequence[str], names: Names) -> list[Pass]:
    targets = []
    for element, title, finishes in names:
        if not finishes:
            # A group, which covers nothing.
            continue
        targets.append((element, title))
        if len(finishes) > 1:
            targets += [(f"{element}/{code}", f"{title}, {what.lower()}") for code, what in finishes]
    return [
        Pass(
            f"{MATTE}:{of}",
            f"Matte of {title}",
            "The share of each pixel that it gives alone",
            "coverage",
            "identity",
            _matte(of),
            channels=("Y",),
            shown=lambda picture, take=_matte(of): grey(take(picture)),  # type: ignore[misc]
            order=80,
        )
        for of, title in targets
    ]


families.register(
    Family(MATTE, "Matte of one element, or of one finish", "The share of each pixel that it gives alone", _members)
)
