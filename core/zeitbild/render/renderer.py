"""One frame: snapshot and quality in, picture out."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.environment import environment_maps, reflectance_table
from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.quality import Quality
from zeitbild.render.shading import shade
from zeitbild.render.visibility import rasterise

if TYPE_CHECKING:
    from zeitbild.resolve.snapshot import Snapshot

#: Part of every frame key: raise it whenever the same snapshot would give other pixels.
RENDERER_VERSION = 1
#: Patches of one element are numbered below this, so that patches of different elements differ.
_PATCHES_PER_ELEMENT = 64


class _Scene:
    """The snapshot's meshes as one list of triangles in the world."""

    def __init__(self, snapshot: Snapshot) -> None:
        vertices, triangles, normals, facing = [], [], [], []
        cull, patches, finish_of, finishes = [], [], [], []
        first_vertex = first_finish = 0
        for number, (element, mesh) in enumerate(zip(snapshot.elements, snapshot.meshes, strict=True)):
            matrix = np.array(element.matrix).reshape(4, 4)
            linear = matrix[:3, :3]
            world = mesh.vertices @ linear.T + matrix[:3, 3]
            order = mesh.triangles
            # Normals go through the cofactor matrix, which also holds for flattened and mirrored elements.
            cofactors = np.stack([np.cross(linear[1], linear[2]), np.cross(linear[2], linear[0]), np.cross(linear[0], linear[1])])
            turned = mesh.normals.reshape(-1, 3) @ cofactors.T.astype(np.float32)
            length = np.sqrt((turned**2).sum(axis=1, keepdims=True))
            turned = (turned / np.maximum(length, np.float32(1e-30))).reshape(-1, 3, 3)
            if np.linalg.det(linear) < 0:
                order, turned = order[:, ::-1], turned[:, ::-1] * np.float32(-1)
            flat = turned.sum(axis=1)
            flat /= np.maximum(np.sqrt((flat**2).sum(axis=1, keepdims=True)), np.float32(1e-30))
            vertices.append(world)
            triangles.append(order + np.int32(first_vertex))
            normals.append(turned)
            facing.append(flat)
            cull.append(np.full(len(order), mesh.closed))
            patches.append(mesh.patches + np.int32(number * _PATCHES_PER_ELEMENT))
            finish_of.append(mesh.parts + np.int32(first_finish))
            finishes.extend(element.finishes)
            first_vertex += len(world)
            first_finish += len(element.finishes)
        self.vertices = np.concatenate(vertices)
        self.triangles = np.ascontiguousarray(np.concatenate(triangles))
        self.normals = np.ascontiguousarray(np.concatenate(normals))
        self.facing = np.ascontiguousarray(np.concatenate(facing))
        self.cull = np.concatenate(cull)
        self.patches = np.concatenate(patches)
        self.finish_of = np.concatenate(finish_of)
        self.finishes = np.array(finishes, dtype=np.float64)


def _lay_under(beauty: NDArray[np.float32], backdrop: tuple[float, float, float]) -> None:
    """Put an opaque colour (linear) under a premultiplied picture, in place: over of Porter and Duff 1984."""
    rest = 1 - beauty[..., 3:]
    beauty[..., :3] += rest * np.asarray(backdrop, dtype=np.float32)
    beauty[..., 3] = 1


def render(snapshot: Snapshot, quality: Quality) -> Picture:
    """Render a snapshot. The same snapshot and quality give the same bytes, whatever the number of threads."""
    width, height = snapshot.width, snapshot.height
    beauty = np.zeros((height, width, 4), np.float32)
    depth = np.full((height, width), NO_DEPTH, np.float32)
    if snapshot.elements:
        camera = snapshot.camera
        scene = _Scene(snapshot)
        corners = camera.project(scene.vertices)
        maps, table = environment_maps(snapshot.environment), reflectance_table()
        right, up, forward = camera.axes
        ray_0 = forward - right * (width / 2 / camera.focal) + up * (height / 2 / camera.focal)
        suns = np.array(snapshot.suns, dtype=np.float64).reshape(-1, 6)
        with PARALLEL:
            fragments, alpha, depth = rasterise(
                corners, scene.triangles, scene.cull, scene.patches, scene.facing,
                near=camera.near, width=width, height=height, samples=quality.samples,
            )
            shade(
                fragments.pixel, fragments.triangle, fragments.share, fragments.where, fragments.counts, fragments.room,
                width, fragments.edges, scene.triangles, scene.normals, scene.finish_of, scene.finishes, camera.eye,
                right / camera.focal, -up / camera.focal, ray_0, suns, np.array(snapshot.ambient), maps, table, beauty,
            )
        beauty[..., 3] = alpha
    if snapshot.backdrop is not None:
        _lay_under(beauty, snapshot.backdrop)
    return Picture(beauty, depth)
