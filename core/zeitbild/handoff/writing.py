"""One frame of one layer: master to files, each read back from disk."""

from __future__ import annotations

import hashlib
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from zeitbild.colour.highlights import for_straight
from zeitbild.document.shot import Shot
from zeitbild.errors import StorageError
from zeitbild.formats import Plane
from zeitbild.handoff.recipes import Recipe
from zeitbild.naming.plan import file_name
from zeitbild.naming.rule import NamingRule
from zeitbild.render.passes import passes
from zeitbild.render.picture import Picture
from zeitbild.storage import write_new


@dataclass(frozen=True, slots=True)
class FileRecord:
    """A written file: relative path, what it is, its checksum, and what reading it back found.

    beyond and clipped count its pixels that had more light than their alpha holds, and more than white.
    """

    path: str
    layer: str
    pass_name: str
    frame: int
    bytes: int
    sha256: str
    bits: int
    worst: float
    allowed: float
    written: bool
    beyond: int = 0
    clipped: int = 0

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return asdict(self)


def write_frame(
    shot: Shot,
    layer: str,
    frame: int,
    picture: Picture,
    recipe: Recipe,
    *,
    version: int,
    folder: Path,
    depth_range: tuple[float, float],
) -> list[FileRecord]:
    """Write all passes of a cell below ``folder`` and read each back from disk.

    StorageError if a file cannot be written, stands there with other content, or does not hold what it should.
    """
    rule = NamingRule.parse(shot.naming)
    form = recipe.format
    records = []
    beyond = clipped = 0
    if form.ends_at_white:
        # Beauty and matte alike, so that the alpha of both is one.
        held = for_straight(picture.beauty, picture.covered, shot.sampling.highlights, shot.sampling.beyond_alpha)
        picture, beyond, clipped = replace(picture, beauty=held.pixels), held.beyond, held.clipped
    for pass_name in shot.layer(layer).passes:
        which = passes.get(pass_name)
        plane = Plane(which.role, which.extract(picture), depth_range, shot.timing.fraction, frame)
        relative = file_name(rule, shot, layer, pass_name, version, frame, form.extension)
        data = form.encode(plane)
        path = folder / relative
        written = write_new(path, data)
        try:
            found = form.read_back(path, plane)
            if not found.holds:
                raise StorageError(
                    f"{relative} does not hold what was rendered: off by {found.worst:.3g} where {found.allowed:.3g} is "
                    f"allowed, {found.stray} pixels with colour under zero alpha"
                )
        except StorageError:
            # What was written just now and is wrong must not stand in the way of another try.
            if written:
                path.unlink(missing_ok=True)
            raise
        on_disk = path.read_bytes()
        records.append(
            FileRecord(
                relative,
                layer,
                pass_name,
                frame,
                len(on_disk),
                hashlib.sha256(on_disk).hexdigest(),
                found.bits,
                round(found.worst, 6),
                found.allowed,
                written,
                beyond if which.role == "colour" else 0,
                clipped if which.role == "colour" else 0,
            )
        )
    return records
