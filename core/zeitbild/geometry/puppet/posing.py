"""Where the parts of a puppet are in a pose: each turns about its pivot with what it hangs on; two bones reach for a place."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.puppet.bending import MOST_BENT, Bend, bend_of
from zeitbild.geometry.puppet.rig import Rig

Floats = NDArray[np.float64]

#: Halvings by which the bend that reaches a place is found: to the last bits.
_HALVINGS = 60


@dataclass(frozen=True, slots=True)
class Posture:
    """How one part stands: turned (degrees, anticlockwise) about its pivot, moved (drawing units), stretched, bent (degrees); reach (0 to 1) is how
    much of the way its tip is at a place (drawing units, y up) for the sake of which it and what it hangs on turn, and on which side the
    joint then is (1 left, -1 right of the way there). shows: the number of its drawing that is seen alone (0: all). pivot, joint (where it
    bends) and parent are those of the part where they are not as found."""

    turn: float = 0.0
    move: tuple[float, float] = (0.0, 0.0)
    stretch: tuple[float, float] = (1.0, 1.0)
    bend: float = 0.0
    reach: float = 0.0
    reach_to: tuple[float, float] = (0.0, 0.0)
    side: int = 1
    shows: int = 0
    there: bool = True
    order: float = 0.0
    pivot: tuple[float, float] | None = None
    joint: tuple[float, float] | None = None
    parent: int | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Stood:
    """One part in a pose: what takes its points to the puppet's place [3, 3] (drawing units), how it is bent, and whether it is seen."""

    matrix: Floats
    bend: Bend | None
    seen: bool


def _shift(x: float, y: float) -> Floats:
    return np.array([[1.0, 0, x], [0, 1, y], [0, 0, 1]])


def _turned(radians: float) -> Floats:
    c, s = math.cos(radians), math.sin(radians)
    return np.array([[c, -s, 0.0], [s, c, 0], [0, 0, 1]])


def _put(matrix: Floats, point: Floats) -> Floats:
    found: Floats = matrix[:2, :2] @ point + matrix[:2, 2]
    return found


class Pose:
    """A puppet in a pose. outlines are points [n, 2] of each part (None: it paints nothing)."""

    def __init__(self, rig: Rig, postures: Mapping[int, Posture], outlines: Sequence[Floats | None]) -> None:
        self.rig, self.outlines = rig, outlines
        self.postures = [postures.get(at, _REST) for at in range(len(rig.limbs))]
        self.parents = [self._parent(at) for at in range(len(rig.limbs))]
        self.pivots = [
            limb.pivot if own.pivot is None else np.array(own.pivot)
            for limb, own in zip(rig.limbs, self.postures, strict=True)
        ]
        self.joints = [
            limb.bend if own.joint is None else np.array(own.joint)
            for limb, own in zip(rig.limbs, self.postures, strict=True)
        ]
        self.turns = [math.radians(one.turn) for one in self.postures]
        self.bends: list[float] = [one.bend for one in self.postures]
        self._placed: dict[int, Floats] = {}
        self._outer = {inner: one for one in reversed(range(len(rig.limbs))) for inner in rig.limbs[one].drawings}
        for at in range(len(rig.limbs)):
            if self.postures[at].reach > 0:
                self._reach(at)
                self._placed.clear()

    def _parent(self, at: int) -> int:
        asked = self.postures[at].parent
        found = self.rig.limbs[at].parent if asked is None else asked
        # A chain that leads back to itself hangs on nothing there.
        seen, above = {at}, found
        while above >= 0:
            if above in seen:
                return -1
            seen.add(above)
            own = self.postures[above].parent
            above = self.rig.limbs[above].parent if own is None else own
        return found

    def tip(self, at: int) -> Floats:
        """Where a part ends: as marked, or where what hangs on it turns, or its point farthest from its pivot."""
        limb = self.rig.limbs[at]
        if limb.tip is not None:
            return limb.tip
        hanging = [self.pivots[one] for one in range(len(self.rig.limbs)) if self.parents[one] == at]
        if hanging and self.joints[at] is None:
            return hanging[0]
        points = self.outlines[at]
        if points is None:
            return 2 * limb.middle - self.pivots[at]
        return np.array(points[np.argmax(((points - self.pivots[at]) ** 2).sum(axis=1))])

    def bend(self, at: int, degrees: float) -> Bend | None:
        """How a part is bent by an angle; None if it has no joint."""
        joint, points = self.joints[at], self.outlines[at]
        if joint is None or points is None or degrees == 0:
            return None
        return bend_of(joint, self.pivots[at], self.tip(at), points, degrees)

    def _local(self, at: int, turn: float) -> Floats:
        """What a part does itself."""
        own = self.postures[at]
        (wide, high), (right, up) = own.stretch, own.move
        x, y = self.pivots[at].tolist()
        cosine, sine = math.cos(turn), math.sin(turn)
        # Moved after it was turned and stretched about its pivot, written out: as products of five matrices this took a quarter of a pose.
        a, b, c, d = cosine * wide, -sine * high, sine * wide, cosine * high
        return np.array([[a, b, right + x - a * x - b * y], [c, d, up + y - c * x - d * y], [0.0, 0.0, 1.0]])

    def ends(self, at: int) -> tuple[Floats, Floats]:
        """Where a part turns and where it ends, in the pose (drawing units)."""
        tip, bend = self.tip(at), self.bend(at, self.bends[at])
        if bend is not None:
            tip = bend.put(tip[None])[0][0]
        return _put(self.placed(at), self.pivots[at]), _put(self.placed(at), tip)

    def carried(self, at: int) -> Floats:
        """Where what a part hangs on takes it."""
        parent = self.parents[at]
        if parent < 0:
            return np.eye(3)
        placed, bend = self.placed(parent), self.bend(parent, self.bends[parent])
        if bend is None:
            return placed
        point, turned = bend.put(self.pivots[at][None])
        return placed @ _shift(*point[0]) @ _turned(float(turned[0])) @ _shift(*-self.pivots[at])

    def placed(self, at: int) -> Floats:
        """What takes a part's points to where they are [3, 3]."""
        found = self._placed.get(at)
        if found is None:
            found = self._placed[at] = self.carried(at) @ self._local(at, self.turns[at])
        return found

    def _reach(self, at: int) -> None:
        """Turn a part, and the bone before it, so that its tip is where it is asked to be, or as near as it comes."""
        own = self.postures[at]
        if self.joints[at] is not None and self.outlines[at] is not None:
            self._reach_by_bending(at, own)
        elif self.parents[at] >= 0:
            self._reach_by_two(at, own)
        else:
            self._look(at, own)

    def _goal(self, at: int) -> Floats:
        """The place that is asked for, as what the part ``at`` hangs on sees it."""
        return _put(_back(self.carried(at)), np.array(self.postures[at].reach_to))

    def _look(self, at: int, own: Posture) -> None:
        """One bone alone points there."""
        pivot = self.pivots[at] + own.move
        wanted, is_now = self._goal(at) - pivot, self.tip(at) - self.pivots[at]
        self._turn(at, _between(is_now, wanted), own.reach)

    def _reach_by_bending(self, at: int, own: Posture) -> None:
        pivot, tip = self.pivots[at], self.tip(at)
        goal = self._goal(at) - own.move
        wanted = float(np.hypot(*(goal - pivot)))
        # Joint to the left of the way there: it bends to the right.
        sign = -own.side

        def reached(degrees: float) -> Floats:
            bend = self.bend(at, sign * degrees)
            return tip if bend is None else bend.put(tip[None])[0][0]

        low, high = 0.0, MOST_BENT
        for _ in range(_HALVINGS):
            middle = (low + high) / 2
            if float(np.hypot(*(reached(middle) - pivot))) > wanted:
                low = middle
            else:
                high = middle
        degrees = (low + high) / 2
        self._turn(at, _between(reached(degrees) - pivot, goal - pivot), own.reach)
        self.bends[at] += (sign * degrees - self.bends[at]) * own.reach

    def _reach_by_two(self, at: int, own: Posture) -> None:
        upper = self.parents[at]
        start, joint, tip = self.pivots[upper], self.pivots[at], self.tip(at)
        above = self.postures[upper]
        goal = _put(_back(self.carried(upper)), np.array(own.reach_to)) - above.move
        first, second = float(np.hypot(*(joint - start))), float(np.hypot(*(tip - joint)))
        far = float(np.hypot(*(goal - start)))
        if first == 0 or second == 0:
            self._turn(at, _between(tip - joint, goal - joint), own.reach)
            return
        # Law of cosines: the angle at the joint between its two bones.
        cosine = (first * first + second * second - far * far) / (2 * first * second)
        inner = math.acos(min(max(cosine, -1.0), 1.0))
        straight = _between(joint - start, tip - joint)
        turn = -own.side * (math.pi - inner) - straight
        moved = joint + _turned(turn)[:2, :2] @ (tip - joint)
        self._turn(upper, _between(moved - start, goal - start), own.reach)
        self._turn(at, turn, own.reach)

    def _turn(self, at: int, radians: float, share: float) -> None:
        """A share of the way from how a part is turned to another turn, on the shorter way."""
        self.turns[at] += _wrapped(radians - self.turns[at]) * share

    def stood(self) -> list[Stood]:
        """All parts in their order."""
        return [
            Stood(self.placed(at), self.bend(at, self.bends[at]), self._seen(at)) for at in range(len(self.rig.limbs))
        ]

    def _seen(self, at: int) -> bool:
        """Whether a part is there, and all it is inside of, and is the one that is shown where only one is."""
        while at >= 0:
            if not self.postures[at].there:
                return False
            outer = self._outer.get(at, -1)
            if outer >= 0:
                shows = self.postures[outer].shows
                if shows > 0 and self.rig.limbs[outer].drawings.index(at) + 1 != shows:
                    return False
            at = outer
        return True


_REST = Posture()


def _back(matrix: Floats) -> Floats:
    """What undoes a matrix; what is stretched to nothing counts as as large as drawn."""
    if abs(float(np.linalg.det(matrix[:2, :2]))) < 1e-12:
        return np.eye(3)
    return np.asarray(np.linalg.inv(matrix), np.float64)


def _between(one: Floats, other: Floats) -> float:
    """Radians from one way to another."""
    return _wrapped(math.atan2(other[1], other[0]) - math.atan2(one[1], one[0]))


def _wrapped(radians: float) -> float:
    return (radians + math.pi) % (2 * math.pi) - math.pi
