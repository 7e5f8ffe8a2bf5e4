"""What tests share."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from zeitbild.assets import AssetFolder
from zeitbild.document.shot import Layer, Raster, Shot, Timing
from zeitbild.elements.lettering import Lettering
from zeitbild.geometry.mesh import Mesh
from zeitbild.snapshot import Body, Matrix, Snapshot
from zeitbild.snapshot.lights import LightSource
from zeitbild.snapshot.surroundings import EnvironmentLight
from zeitbild.values import Turn

NOWHERE = AssetFolder(Path("nowhere"))
DARK = EnvironmentLight(0.0, (1, 1, 1), (1, 1, 1), 0.0, 0.0)
EVEN = EnvironmentLight(1.0, (1, 1, 1), (1, 1, 1), 0.0, 0.0, horizon=(1, 1, 1), formula="gradient")
AMBIENT = LightSource("ambient", (1.0, 1.0, 1.0))
IDENTITY = tuple(float(value) for value in np.eye(4).reshape(-1))
MATT_WHITE = (1.0, 1.0, 1.0, 1.0, 0.0)


def small_shot(**more: Any) -> Shot:
    """A tiny spinning word."""
    word = Lettering(id="word-1", word="Zb", turn=Turn(turns=1))
    fields: dict[str, Any] = {
        "raster": Raster(width=96, height=54),
        "timing": Timing(last=6),
        "elements": (word,),
        "layers": (Layer(name="sign", passes=("beauty", "matte", "depth")),),
        **more,
    }
    return Shot(**fields)


def sphere(radius: float, bands: int = 128) -> Mesh:
    """A latitude-longitude sphere with exact normals; its silhouette is inside the true one by radius (pi/bands)^2/2."""
    theta = np.linspace(0, math.pi, bands + 1)
    phi = np.arange(2 * bands) * math.pi / bands
    unit = np.stack(
        [
            np.outer(np.sin(theta), np.cos(phi)),
            np.outer(np.cos(theta), np.ones_like(phi)),
            np.outer(np.sin(theta), np.sin(phi)),
        ],
        axis=2,
    ).reshape(-1, 3)
    row, column = np.meshgrid(np.arange(bands), np.arange(2 * bands), indexing="ij")
    a, b = row * 2 * bands + column, row * 2 * bands + (column + 1) % (2 * bands)
    c, d = a + 2 * bands, b + 2 * bands
    triangles = np.concatenate([np.stack([a, b, d], 2).reshape(-1, 3), np.stack([a, d, c], 2).reshape(-1, 3)]).astype(
        np.int32
    )
    zeros = np.zeros(len(triangles), np.int32)
    return Mesh(unit * radius, triangles, unit[triangles].astype(np.float32), zeros, zeros, True)


def quad(half: float, z: float = 0.0) -> Mesh:
    """A square in the plane z, facing +z, seen from both sides."""
    corners = np.array([[-half, -half, z], [half, -half, z], [half, half, z], [-half, half, z]])
    normals = np.broadcast_to(np.array([0, 0, 1], np.float32), (2, 3, 3)).copy()
    zeros = np.zeros(2, np.int32)
    return Mesh(corners, np.array([[0, 1, 2], [0, 2, 3]], np.int32), normals, zeros, zeros, False)


def snapshot(
    *meshes: Mesh,
    size: tuple[int, int] = (256, 256),
    angle: float = 40,
    eye: tuple[float, float, float] = (0, 0, 10),
    **more: object,
) -> Snapshot:
    """A bare snapshot of meshes in the world's own place."""
    bodies = tuple(Body(str(at), str(at), mesh, IDENTITY, (MATT_WHITE,)) for at, mesh in enumerate(meshes))
    plain = Snapshot(size[0], size[1], eye, (0, 0, 0), angle, (), DARK, None, bodies)
    return replace(plain, **more)  # type: ignore[arg-type]


def going(shot: Snapshot, *after: Matrix) -> Snapshot:
    """The same whose bodies stand so one frame later."""
    return replace(shot, bodies=tuple(replace(body, after=then) for body, then in zip(shot.bodies, after, strict=True)))


def dressed(shot: Snapshot, *finishes: tuple[float, ...], matrix: Matrix = IDENTITY) -> Snapshot:
    """The same with one finish for each body, all of them in one place."""
    bodies = tuple(
        replace(body, finishes=(row,), matrix=matrix) for body, row in zip(shot.bodies, finishes, strict=True)
    )
    return replace(shot, bodies=bodies)


_EMPTY = np.empty


def holding(number: float, whole: int) -> Any:
    """``numpy.empty`` whose memory holds a number, or a whole one where it holds such."""

    def empty(*arguments: Any, **more: Any) -> Any:
        made = _EMPTY(*arguments, **more)
        made.fill(number if made.dtype.kind == "f" else whole if made.dtype.kind in "iu" else whole > 1)
        return made

    return empty
