"""A model that is posed: clips mixed, nodes placed, targets and skins applied (glTF 2.0, sections 3.7 and 3.11)."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.model.clips import Channel, Clip, slerp
from zeitbild.kernels import kernel

Floats = NDArray[np.float64]

#: What becomes of the way that a clip goes over the ground.
Way = Literal["as in the clip", "on the spot", "goes on"]


@dataclass(frozen=True, slots=True)
class Played:
    """A clip at a time of it, how much of it there is (0 to 1), and how often it was played before."""

    clip: str
    seconds: float
    share: float = 1.0
    rounds: int = 0
    way: Way = "as in the clip"


@dataclass(frozen=True, slots=True, eq=False)
class _Limb:
    """A part of the model as it was before anything moved it."""

    node: int
    skin: int
    points: Floats
    normals: Floats | None
    corners: NDArray[np.int64]
    flipped: bool
    targets: tuple[tuple[Floats | None, Floats | None], ...]
    joints: NDArray[np.int64] | None
    shares: Floats | None


@dataclass(slots=True, eq=False)
class _Node:
    """A node at a time: what it does apart, or a matrix that nothing has moved."""

    matrix: Floats | None
    translation: Floats
    rotation: Floats
    scale: Floats
    weights: Floats

    def local(self) -> Floats:
        """What it does [4, 4]."""
        if self.matrix is not None:
            return self.matrix
        made = np.eye(4)
        made[:3, :3] = _turn(self.rotation) * self.scale
        made[:3, 3] = self.translation
        return made


def _turn(quaternion: Floats) -> Floats:
    x, y, z, w = quaternion / max(float(np.linalg.norm(quaternion)), 1e-30)
    return np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )


@kernel
def skinned(points, normals, joints, shares, matrices, placed, turned):  # type: ignore[no-untyped-def]
    """Points [V, 3] and normals [V, 3] (or of no length) by the joints [V, n] that they hang on and the shares [V, n] of each; matrices
    [J, 12], row by row."""
    for v in range(points.shape[0]):
        a = b = c = d = e = f = g = h = i = j = k = m = 0.0
        for n in range(joints.shape[1]):
            share = shares[v, n]
            if share != 0.0:
                own = matrices[joints[v, n]]
                a += share * own[0]
                b += share * own[1]
                c += share * own[2]
                d += share * own[3]
                e += share * own[4]
                f += share * own[5]
                g += share * own[6]
                h += share * own[7]
                i += share * own[8]
                j += share * own[9]
                k += share * own[10]
                m += share * own[11]
        x, y, z = points[v, 0], points[v, 1], points[v, 2]
        placed[v, 0], placed[v, 1], placed[v, 2] = (
            a * x + b * y + c * z + d,
            e * x + f * y + g * z + h,
            i * x + j * y + k * z + m,
        )
        if normals.shape[0] > 0:
            x, y, z = normals[v, 0], normals[v, 1], normals[v, 2]
            turned[v, 0], turned[v, 1], turned[v, 2] = (
                a * x + b * y + c * z,
                e * x + f * y + g * z,
                i * x + j * y + k * z,
            )


class Figure:
    """Nodes, parts, skins and clips of a model. Immutable."""

    def __init__(self, plain: dict[str, Any]) -> None:
        """From what ``gltf`` gives."""
        self.parents = [int(one["parent"]) for one in plain["nodes"]]
        self.names = [str(one["name"]) for one in plain["nodes"]]
        self._rest = [
            _Node(one["matrix"], one["translation"], one["rotation"], one["scale"], one["weights"])
            for one in plain["nodes"]
        ]
        self._limbs = [
            _Limb(
                one["node"],
                one["skin"],
                one["points"],
                one["normals"],
                one["corners"],
                one["flipped"],
                tuple((by, turn) for by, turn in one["targets"]),
                one["joints"],
                _normal(one["shares"]),
            )
            for one in plain["limbs"]
        ]
        self._skins = [(list(one["joints"]), one["inverse"]) for one in plain["skins"]]
        self.clips = {
            one["name"]: Clip(one["name"], tuple(Channel(*channel) for channel in one["channels"]), one["seconds"])
            for one in plain["clips"]
        }
        #: Names of the targets of all its parts, each once, as the file has them or by their numbers.
        self.targets: list[str] = []
        self._named: list[list[str]] = []
        for one in plain["limbs"]:
            given = one["target_names"]
            names = [given[at] if at < len(given) else f"target {at + 1}" for at in range(len(one["targets"]))]
            self._named.append(names)
            self.targets += [name for name in names if name not in self.targets]

    def posed(
        self, played: Sequence[Played], shapes: Mapping[str, float], up: Floats
    ) -> list[tuple[Floats, NDArray[np.float32] | None]]:
        """Points [V, 3] and normals [T, 3, 3] of all parts, clips laid over one another in their order; shapes add to the weights of targets by
        their names. up [3] is the model's own way upwards."""
        nodes = self._mixed(played, up)
        standing = self._standing(nodes)
        found = []
        for number, limb in enumerate(self._limbs):
            weights = np.zeros(len(limb.targets))
            own = nodes[limb.node].weights[: len(weights)]
            weights[: len(own)] = own
            for at, name in enumerate(self._named[number]):
                weights[at] += shapes.get(name, 0.0)
            found.append(self._part(limb, weights, standing))
        return found

    def joints(self, played: Sequence[Played], up: Floats) -> Floats:
        """Where all nodes are [n, 3]."""
        return np.array([one[:3, 3] for one in self._standing(self._mixed(played, up))])

    def _mixed(self, played: Sequence[Played], up: Floats) -> list[_Node]:
        nodes = [_Node(one.matrix, one.translation, one.rotation, one.scale, one.weights) for one in self._rest]
        for own in played:
            clip = self.clips.get(own.clip)
            if clip is None or own.share <= 0:
                continue
            root = self._root(clip)
            for channel in clip.channels:
                node = nodes[channel.node]
                value = channel.at(own.seconds)
                if channel.path == "weights":
                    before = np.zeros(len(value))
                    before[: min(len(value), len(node.weights))] = node.weights[: len(value)]
                    node.weights = before + (value - before) * own.share
                    continue
                # What moves has no matrix (section 3.11).
                node.matrix = None
                if channel is root:
                    value = self._over_ground(channel, value, own, clip, up)
                if channel.path == "rotation":
                    node.rotation = slerp(node.rotation, value, own.share)
                elif channel.path == "translation":
                    node.translation = node.translation + (value - node.translation) * own.share
                else:
                    node.scale = node.scale + (value - node.scale) * own.share
        return nodes

    def _root(self, clip: Clip) -> Channel | None:
        """What carries a figure over the ground: the translation of the uppermost node that a clip moves so."""
        depths = self._depths()
        moving = [one for one in clip.channels if one.path == "translation"]
        return min(moving, key=lambda one: depths[one.node], default=None)

    def _depths(self) -> list[int]:
        found: list[int] = []
        for parent in self.parents:
            found.append(0 if parent < 0 else found[parent] + 1)
        return found

    def _over_ground(self, channel: Channel, value: Floats, own: Played, clip: Clip, up: Floats) -> Floats:
        """The place of what carries a figure, its way over the ground taken out or carried on."""
        if own.way == "as in the clip":
            return value
        parent = self.parents[channel.node]
        above = np.eye(3) if parent < 0 else self._standing(self._rest)[parent][:3, :3]
        upwards = np.linalg.inv(above) @ up if abs(float(np.linalg.det(above))) > 1e-12 else up
        upwards = upwards / max(float(np.linalg.norm(upwards)), 1e-30)

        def level(way: Floats) -> Floats:
            return way - upwards * float(way @ upwards)

        start = channel.at(0.0)
        if own.way == "on the spot":
            return np.asarray(value - level(value - start))
        return np.asarray(value + own.rounds * level(channel.at(clip.seconds) - start))

    def _standing(self, nodes: Sequence[_Node]) -> list[Floats]:
        found: list[Floats] = []
        for node, parent in zip(nodes, self.parents, strict=True):
            own = node.local()
            found.append(own if parent < 0 else found[parent] @ own)
        return found

    def _part(
        self, limb: _Limb, weights: Floats, standing: Sequence[Floats]
    ) -> tuple[Floats, NDArray[np.float32] | None]:
        points, normals = limb.points, limb.normals
        for (by, turn), weight in zip(limb.targets, weights, strict=True):
            if weight == 0:
                continue
            if by is not None:
                points = points + weight * by
            if turn is not None and normals is not None:
                normals = normals + weight * turn
        if limb.skin >= 0 and limb.joints is not None and limb.shares is not None:
            joints, inverse = self._skins[limb.skin]
            matrices = np.array([standing[joint] @ own for joint, own in zip(joints, inverse, strict=True)])[:, :3]
            matrices = np.ascontiguousarray(matrices).reshape(-1, 12)
            placed, turned = np.empty_like(points), np.empty_like(points)
            none = np.empty((0, 3))
            skinned(points, none if normals is None else normals, limb.joints, limb.shares, matrices, placed, turned)
            return placed, None if normals is None else _unit(turned, limb.corners)
        matrix = standing[limb.node]
        placed = points @ matrix[:3, :3].T + matrix[:3, 3]
        if normals is None:
            return placed, None
        linear = matrix[:3, :3]
        # Normals go through the cofactor matrix.
        cofactors = np.stack(
            [np.cross(linear[1], linear[2]), np.cross(linear[2], linear[0]), np.cross(linear[0], linear[1])]
        )
        turned = normals @ cofactors.T
        return placed, _unit(-turned if limb.flipped else turned, limb.corners)


def _normal(shares: Floats | None) -> Floats | None:
    if shares is None:
        return None
    total = shares.sum(axis=1, keepdims=True)
    return np.asarray(shares / np.where(total > 0, total, 1))


def _unit(normals: Floats, corners: NDArray[np.integer[Any]]) -> NDArray[np.float32]:
    out = np.empty((len(corners), 3, 3), np.float32)
    _at_corners(np.ascontiguousarray(normals, np.float64), corners, out)
    return out


@kernel
def _at_corners(normals, corners, out):  # type: ignore[no-untyped-def]
    """Normals [V, 3], one long, at the corners [T, 3] of triangles into out [T, 3, 3]."""
    for t in range(corners.shape[0]):
        for corner in range(3):
            own = normals[corners[t, corner]]
            scale = 1.0 / max(math.sqrt(own[0] * own[0] + own[1] * own[1] + own[2] * own[2]), 1e-30)
            for k in range(3):
                out[t, corner, k] = own[k] * scale
