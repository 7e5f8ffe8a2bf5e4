"""What the light of beauty is the sum of, part by part and group of lights by group of lights."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.passes._base import Family, Pass, families, passes
from zeitbild.render.passes._planes import Extract, light_part, missing
from zeitbild.render.picture import Picture
from zeitbild.render.shade.shading import AROUND, BEHIND, DIFFUSE, EMISSION, SPECULAR
from zeitbild.snapshot.names import Names

for _name, _title, _note, _column, _order in (
    ("diffuse", "Diffuse", "Matt light of all lights", DIFFUSE, 20),
    ("specular", "Specular", "Highlights of all lights", SPECULAR, 21),
    ("environment", "Environment", "Light of the surroundings, ambient light and what mirrors show", AROUND, 22),
    ("emission", "Emission", "Light of surfaces that glow or take no light", EMISSION, 23),
    ("backdrop", "Backdrop", "What is seen of the backdrop", BEHIND, 24),
):
    passes.register(Pass(_name, _title, _note, "light", "light", light_part(_column), sums=True, order=_order))

#: How documents and file names call the light of a group.
GROUP = "light"


def _group(name: str) -> Extract:
    def extract(picture: Picture) -> NDArray[np.float32]:
        if picture.planes is None and not picture.groups:
            raise missing()
        # Lights that are off, or left out of a layer, give nothing.
        own = picture.groups.get(name)
        light = np.zeros((*picture.depth.shape, 3), np.float32) if own is None else own
        return np.concatenate([light, picture.beauty[..., 3:]], axis=2)

    return extract


def _members(groups: Sequence[str], names: Names) -> list[Pass]:
    return [
        Pass(
            f"{GROUP}:{name}",
            f"Light of {name}",
            "Diffuse and specular light of these lights alone",
            "light",
            "groups",
            _group(name),
            order=30,
        )
        for name in dict.fromkeys(groups)
    ]


families.register(Family(GROUP, "Light of one group", "Diffuse and specular light of these lights alone", _members))
