"""Puppet: a drawing whose named parts move by themselves, as cut-out figures do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, StringConstraints, model_validator

from zeitbild.caching import SizedCache
from zeitbild.drawings import SHIPPED
from zeitbild.elements._flat import FlatElement, faces
from zeitbild.elements._inlaid import FADED, inlaid
from zeitbild.elements.base import Affine, ElementKind, Mark, Posed, Worn, kinds
from zeitbild.errors import DrawingError
from zeitbild.finishes import Finish
from zeitbild.geometry.drawing.painting import drawing_at
from zeitbild.geometry.drawing.shades import Shade
from zeitbild.geometry.form import Form
from zeitbild.geometry.mesh import NOTHING
from zeitbild.geometry.puppet.bending import Bend
from zeitbild.geometry.puppet.limb_form import LimbForm, points_along
from zeitbild.geometry.puppet.posing import Pose, Posture
from zeitbild.geometry.puppet.rig import MAX_LIMBS, Rig, rig_at
from zeitbild.geometry.puppet.rig import Limb as Found
from zeitbild.shipped import ASSET, NAMED, AssetSource, file_of
from zeitbild.timing import Time
from zeitbild.timing.easing import HANDLES, STRENGTH, Way, share_of_way
from zeitbild.values import FRAME, STILL, Coordinate, Part, PartCode, Title, choice, number, wrong_at

#: Two numbers.
Pair = tuple[Coordinate, Coordinate]
_MOST_POSES, _MOST_ACTS, _MOST_STEPS = 100, 40, 100
#: Points along each edge by which the size of a limb is known, as a share of the drawing.
_FINE = 1 / 512
#: Bent forms kept for each puppet.
_FORMS = 400

_turn = number(0, "Turned", -36_000, 36_000, unit="°", slider=(-180, 180), help="Against the clock.")
_bend = number(
    0, "Bent", -170, 170, unit="°", slider=(-150, 150), help="At the point that is marked “bend” in the drawing."
)


class Stance(Part):
    """What a pose does to one part, on top of how it stands."""

    turn: float = _turn
    bend: float = _bend
    move: Pair = Field(default=(0.0, 0.0), title="Moved", json_schema_extra={"x-step": 1, "x-unit": "u"})
    stretch: Pair = Field(default=(1.0, 1.0), title="Stretched", json_schema_extra={"x-step": 0.01})
    shows: Annotated[int, Field(ge=0, le=MAX_LIMBS)] = Field(
        default=0, title="Drawing", json_schema_extra={"x-step": 1, "x-steps": True, "x-widget": "drawing"}
    )


class Limb(Part):
    """How one part of the drawing stands."""

    turn: float = _turn
    bend: float = _bend
    move: Pair = Field(default=(0.0, 0.0), title="Moved", json_schema_extra={"x-step": 1, "x-unit": "u"})
    stretch: Pair = Field(default=(1.0, 1.0), title="Stretched", json_schema_extra={"x-step": 0.01})
    shows: Annotated[int, Field(ge=-1, le=MAX_LIMBS)] = Field(
        default=-1,
        title="Drawing",
        description="Of several in it one alone, by its number; 0: all; -1: as the file has it.",
        json_schema_extra={"x-step": 1, "x-steps": True, "x-widget": "drawing"},
    )
    there: bool = Field(default=True, title="Is there")
    order: float = number(
        0,
        "Nearer",
        -1000,
        1000,
        step=1,
        slider=(-10, 10),
        help="In the order of the drawing, by so many things painted.",
    )
    reach: float = number(
        0,
        "Reaches",
        0,
        1,
        step=0.05,
        slider=(0, 1),
        help="How far it and what it hangs on turn so that its tip is at a place.",
    )
    reach_to: Pair = Field(default=(0.0, 0.0), title="For", json_schema_extra={"x-step": 1, "x-unit": "u"})
    reach_side: Literal["left", "right"] = Field(
        default="left", title="Its joint is to the", json_schema_extra={"x-widget": "choice"}
    )
    hangs_on: Annotated[str, StringConstraints(pattern=r"^(|none|[a-z][a-z0-9_]{0,39})$")] = Field(
        default="", title="Hangs on", json_schema_extra={"x-widget": "limb", **STILL}
    )
    turns_about: Literal["as found", "a point"] = Field(
        default="as found", title="Turns about", json_schema_extra={"x-widget": "choice", **STILL}
    )
    pivot: Pair = Field(
        default=(0.0, 0.0),
        title="The point",
        description="From the middle of the drawing.",
        json_schema_extra={"x-step": 1, "x-unit": "u", "x-when": {"turns_about": "a point"}, **STILL},
    )
    bends_at: Literal["as drawn", "a point"] = Field(
        default="as drawn",
        title="Bends at",
        description="As drawn: where the drawing has a mark for it.",
        json_schema_extra={"x-widget": "choice", **STILL},
    )
    joint: Pair = Field(
        default=(0.0, 0.0),
        title="The joint",
        description="From the middle of the drawing.",
        json_schema_extra={"x-step": 1, "x-unit": "u", "x-when": {"bends_at": "a point"}, **STILL},
    )


class NamedPose(Part):
    """A pose under a name: what it does to parts."""

    name: Title = Field(title="Name")
    limbs: dict[PartCode, Stance] = Field(default={}, title="Parts", max_length=MAX_LIMBS)


class Step(Part):
    """A pose in an act, so many frames after its start."""

    pose: Annotated[str, StringConstraints(max_length=120)] = Field(default="", title="Pose")
    at: Annotated[int, Field(ge=0, le=100_000)] = Field(default=0, title="At", json_schema_extra=STILL)


class Act(Part):
    """Poses one after the other, placed on the sheet: a walk, a wave, a blink."""

    name: Title = Field(default="Act", title="Name")
    steps: tuple[Step, ...] = Field(default=(), title="Poses", max_length=_MOST_STEPS)
    length: Annotated[int, Field(ge=1, le=100_000)] = Field(
        default=24, title="Length", json_schema_extra={"x-unit": "frames", "x-step": 1, **STILL}
    )
    start: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = Field(
        default=1, title="Begins at frame", json_schema_extra=FRAME
    )
    plays: Literal["once", "repeated", "back and forth"] = choice("repeated", "Plays")
    times: Annotated[int, Field(ge=0, le=100_000)] = Field(
        default=0,
        title="Times",
        description="0: on and on.",
        json_schema_extra={"x-step": 1, "x-when": {"plays": ["repeated", "back and forth"]}, **STILL},
    )
    speed: float = number(1, "Speed", 0.01, 100, step=0.1, unit="×", slider=(0.1, 4), still=True)
    way: Literal["straight", "gentle", "hold"] = choice("gentle", "From pose to pose")
    strength: float = number(1, "Strength", -10, 10, step=0.05, slider=(0, 1.5), still=True)
    ease: Annotated[int, Field(ge=0, le=10_000)] = Field(
        default=0,
        title="Comes and goes in",
        json_schema_extra={"x-unit": "frames", "x-step": 1, **STILL},
    )

    @model_validator(mode="after")
    def _in_time(self) -> Act:
        late = [one.at for one in self.steps if one.at >= self.length and self.plays != "once"]
        if late:
            raise wrong_at(
                "length", f"a pose at {late[0]} frames comes after the end of {self.length}; make the act longer"
            )
        if len({one.at for one in self.steps}) < len(self.steps):
            raise wrong_at("steps", "two poses of this act stand at one frame")
        return self


class Puppet(FlatElement):
    """A drawing that performs."""

    kind: Literal["puppet"] = "puppet"
    drawing: Annotated[str, StringConstraints(pattern=NAMED)] = Field(
        default="puffin-parts",
        title="Drawing",
        json_schema_extra={"x-widget": "file", "x-files": "drawings", "x-group": "Drawing"},
    )
    size: float = number(
        300, "Size", 0.01, 100_000, unit="u", group="Drawing", slider=(20, 1000), help="Of its larger side."
    )
    mirrored: bool = Field(default=False, title="Turned round", json_schema_extra={"x-group": "Drawing"})
    limbs: dict[PartCode, Limb] = Field(
        default={},
        title="Parts",
        max_length=MAX_LIMBS,
        description="How parts stand, where they do not stand as in the drawing.",
        json_schema_extra={"x-widget": "limbs", "x-files": "drawings", "x-of": "drawing", "x-group": "Parts"},
    )
    poses: tuple[NamedPose, ...] = Field(
        default=(), title="Poses", max_length=_MOST_POSES, json_schema_extra={"x-widget": "poses", "x-group": "Poses"}
    )
    acts: tuple[Act, ...] = Field(
        default=(), title="Acts", max_length=_MOST_ACTS, json_schema_extra={"x-widget": "acts", "x-group": "Acts"}
    )
    surface: Finish = Field(
        default_factory=lambda: Finish(shading="unlit"),
        title="All colours",
        description="How they shine; each keeps its own colour.",
        json_schema_extra={"x-group": "Finish", "x-without": ["base_colour"]},
    )

    def geometry_parameters(self) -> dict[str, Any]:
        """Only the drawing and its size: how parts stand is a pose."""
        return {"kind": self.kind, "drawing": self.drawing, "size": self.size}

    @model_validator(mode="after")
    def _named_once(self) -> Puppet:
        names = [one.name for one in self.poses]
        twice = sorted({one for one in names if names.count(one) > 1})
        if twice:
            raise wrong_at("poses", f"two poses are called {twice[0]!r}")
        for at, act in enumerate(self.acts):
            for one in act.steps:
                if one.pose and one.pose not in names:
                    raise wrong_at(f"acts.{at}.steps", f"there is no pose {one.pose!r}")
        return self


@dataclass(frozen=True, slots=True, eq=False)
class Built:
    """The parts of a puppet, points of each, the units that one of its drawing's takes, its middle, bent forms of parts, all shades that parts
    have, which of them each part has, the boxes [2, 2] over which what fills them lies (drawing units), and
    its pictures as textures name them."""

    rig: Rig
    outlines: tuple[NDArray[np.float64] | None, ...]
    scale: float
    middle: NDArray[np.float64]
    forms: SizedCache[LimbForm]
    shades: tuple[Shade, ...]
    wears: tuple[tuple[int, ...], ...]
    boxes: Mapping[Shade, NDArray[np.float64]]
    pictures: Mapping[Shade, str]


def build(element: Puppet, assets: AssetSource) -> Built:
    """The parts of the drawing, its middle at the origin."""
    path, label = file_of(element.drawing, "drawing", SHIPPED, assets, DrawingError)
    rig = rig_at(path, label)
    low, high = rig.bounds
    extent = float((high - low).max())
    outlines = tuple(None if one.drawing is None else points_along(one.drawing, extent * _FINE) for one in rig.limbs)
    drawn = [() if one.drawing is None else one.drawing.shades for one in rig.limbs]
    numbers = {shade: at for at, shade in enumerate(dict.fromkeys(shade for own in drawn for shade in own))}
    wears = tuple(tuple(numbers[shade] for shade in own) for own in drawn)
    boxes: dict[Shade, NDArray[np.float64]] = {}
    for one in rig.limbs:
        for shade, box in one.drawing.boxes.items() if one.drawing is not None else ():
            both = np.stack([box, boxes.get(shade, box)])
            boxes[shade] = np.stack([both[:, 0].min(axis=0), both[:, 1].max(axis=0)])
    pictures = drawing_at(path, label).pictures_in(boxes)
    forms = SizedCache[LimbForm](_FORMS, lambda _: 1)
    return Built(rig, outlines, element.size / extent, (low + high) / 2, forms, tuple(numbers), wears, boxes, pictures)


def _eased(way: Way, share: float) -> float:
    return share_of_way(way, STRENGTH, HANDLES, share)


def _in_act(act: Act, frame: Fraction) -> tuple[Fraction, float]:
    """How far into its poses an act is (frames), and how much of it there is."""
    since = (frame - act.start) * Fraction(str(act.speed))
    length = Fraction(act.length)
    whole = {"once": length, "repeated": length * act.times, "back and forth": 2 * length * act.times}[act.plays]
    ends = whole if act.plays == "once" or act.times else None
    if since < 0 or (ends is not None and since >= ends and act.plays != "once"):
        return Fraction(0), 0.0
    share = 1.0
    if act.ease:
        share = min(1.0, float(since / act.ease))
        if ends is not None:
            share = min(share, max(0.0, float((ends - since) / act.ease)))
        share = _eased("gentle", share)
    elif act.plays == "once" and since > length:
        # What was done once stays.
        return length, 1.0
    if act.plays == "repeated":
        since %= length
    elif act.plays == "back and forth":
        since %= 2 * length
        since = min(since, 2 * length - since)
    return min(since, length), share


def _between(act: Act, at: Fraction) -> list[tuple[str, float]]:
    """Names of the poses of an act that there are at a time in it, and the share of each."""
    steps = sorted(act.steps, key=lambda one: one.at)
    if not steps:
        return []
    times = [Fraction(one.at) for one in steps]
    names = [one.pose for one in steps]
    if act.plays == "repeated":
        # The last leads into the first.
        times = [times[-1] - act.length, *times, times[0] + act.length]
        names = [names[-1], *names, names[0]]
    if at <= times[0]:
        return [(names[0], 1.0)]
    for one, (first, last) in enumerate(zip(times, times[1:], strict=False)):
        if first <= at < last:
            share = _eased(act.way, float((at - first) / (last - first)))
            return [(names[one], 1 - share), (names[one + 1], share)]
    return [(names[-1], 1.0)]


def stances(element: Puppet, time: Time) -> dict[str, Limb]:
    """How parts stand at a time, acts on top of what is set, by their codes."""
    found = dict(element.limbs)
    poses = {one.name: one.limbs for one in element.poses}
    for act in element.acts:
        at, share = _in_act(act, time.frame)
        weighted = [(poses.get(name, {}), part * share * act.strength) for name, part in _between(act, at)]
        for limbs, weight in weighted:
            for code, stance in limbs.items() if weight else ():
                found[code] = _with(found.get(code, _AS_DRAWN), stance, weight)
    return found


_AS_DRAWN = Limb()


def _with(limb: Limb, stance: Stance, weight: float) -> Limb:
    changes: dict[str, Any] = {
        "turn": limb.turn + weight * stance.turn,
        "bend": min(max(limb.bend + weight * stance.bend, -170.0), 170.0),
        "move": tuple(own + weight * more for own, more in zip(limb.move, stance.move, strict=True)),
        "stretch": tuple(
            own * (1 + weight * (more - 1)) for own, more in zip(limb.stretch, stance.stretch, strict=True)
        ),
    }
    if stance.shows and weight >= 0.5:
        changes["shows"] = stance.shows
    return limb.model_copy(update=changes)


def _postures(element: Puppet, limbs: Mapping[str, Limb], built: Built) -> dict[int, Posture]:
    """In units of the drawing."""
    rig, scale, middle = built.rig, built.scale, built.middle

    def point(pair: Pair) -> tuple[float, float]:
        return float(pair[0] / scale + middle[0]), float(pair[1] / scale + middle[1])

    found = {}
    for at, own in enumerate(rig.limbs):
        limb = limbs.get(own.code)
        if limb is None:
            found[at] = Posture(shows=own.shows)
            continue
        parent = None
        if limb.hangs_on == "none":
            parent = -1
        elif limb.hangs_on and rig.number(limb.hangs_on) >= 0:
            parent = rig.number(limb.hangs_on)
        found[at] = Posture(
            limb.turn,
            (limb.move[0] / scale, limb.move[1] / scale),
            (limb.stretch[0], limb.stretch[1]),
            limb.bend,
            limb.reach,
            point(limb.reach_to),
            1 if limb.reach_side == "left" else -1,
            own.shows if limb.shows < 0 else limb.shows,
            limb.there,
            limb.order,
            point(limb.pivot) if limb.turns_about == "a point" else None,
            point(limb.joint) if limb.bends_at == "a point" else None,
            parent,
        )
    return found


def pose(element: Puppet, time: Time, built: Built) -> Sequence[Posed]:
    """Every part that paints something, from the lowest to the highest."""
    postures = _postures(element, stances(element, time), built)
    stood = Pose(built.rig, postures, built.outlines).stood()
    placed = np.array([own.matrix for own in stood]).reshape(-1, 3, 3)
    wholes = np.tile(np.eye(4), (len(stood), 1, 1))
    wholes[:, :2, :2] = linear = placed[:, :2, :2]
    # From each part's pivot to the puppet's middle.
    pivots = np.array([limb.pivot for limb in built.rig.limbs]).reshape(-1, 2)
    moved = (linear * pivots[:, None]).sum(axis=2) + placed[:, :2, 2]
    wholes[:, :2, 3] = (moved - built.middle) * built.scale
    if element.mirrored:
        wholes[:, 0] *= -1
    matrices = wholes.reshape(-1, 16).tolist()
    found: list[tuple[float, int, Posed]] = []
    for at, (limb, own) in enumerate(zip(built.rig.limbs, stood, strict=True)):
        if limb.drawing is None:
            continue
        name = "" if own.bend is None else repr(own.bend)
        form: Form = built.forms.get((at, name), partial(_form, built, limb, own.bend)) if own.seen else NOTHING
        bend = name if own.seen else "nothing"
        posed = Posed(form, limb.code, bend, tuple(matrices[at]), built.wears[at], flexes=own.seen)
        found.append((limb.order + postures[at].order, at, posed))
    return [body for _, _, body in sorted(found, key=lambda one: one[:2])]


def marks(element: Puppet, time: Time, built: Built) -> Sequence[Mark]:
    """Every part that is seen, by its code: the point that it turns about, its tip, and where it bends, if it does. Before them the
    puppet's plane, which has no name."""
    posed = Pose(built.rig, _postures(element, stances(element, time), built), built.outlines)
    scale, middle, side = built.scale, built.middle, -1.0 if element.mirrored else 1.0
    from_plane = np.array([[1 / scale, 0, middle[0]], [0, 1 / scale, middle[1]], [0, 0, 1]])
    to_plane = np.diag([side, 1.0, 1.0]) @ np.linalg.inv(from_plane)

    def place(point: NDArray[np.float64]) -> tuple[float, float]:
        x, y = to_plane[:2, :2] @ point + to_plane[:2, 2]
        return float(x), float(y)

    def affine(matrix: NDArray[np.float64]) -> Affine:
        a, b, c, d, e, f = (to_plane @ matrix @ from_plane)[:2].reshape(-1).tolist()
        return a, b, c, d, e, f

    found = [Mark("", ((0.0, 0.0),), affine(np.eye(3)), affine(np.eye(3)))]
    for at, (limb, stood) in enumerate(zip(built.rig.limbs, posed.stood(), strict=True)):
        if stood.seen:
            pivot, tip = posed.ends(at)
            joint = posed.joints[at]
            bends = () if joint is None else (place(stood.matrix[:2, :2] @ joint + stood.matrix[:2, 2]),)
            points = (place(pivot), place(tip), *bends)
            found.append(Mark(limb.code, points, affine(stood.matrix), affine(posed.carried(at))))
    return found


def _form(built: Built, limb: Found, bend: Bend | None) -> LimbForm:
    assert limb.drawing is not None
    pivot = float(limb.pivot[0]), float(limb.pivot[1])
    return LimbForm(limb.drawing, built.scale, pivot, built.boxes, bend)


def wear(element: Puppet, time: Time, built: Built) -> Sequence[Worn]:
    """The surface in each colour of the drawing; a gradient as a picture that lies over all of it, and pictures themselves."""
    found = []
    for shade in built.shades:
        if shade.inlay >= 0:
            # All parts have the pictures of the whole drawing.
            inlays = next(one.drawing.inlays for one in built.rig.limbs if one.drawing is not None)
            found.append(inlaid(element.drawing, shade, inlays[shade.inlay].file))
            continue
        changes: dict[str, Any] = {"base_colour": shade.colour}
        if shade.painting and element.drawing.startswith(ASSET):
            changes = {
                "base_colour": "#ffffff",
                "base_map": f"{element.drawing}#{built.pictures[shade]}",
                "map_by": "unwrapped",
            }
        fades = shade.cut and shade.painting and element.drawing.startswith(ASSET)
        found.append(Worn(0, changes, shade.alpha, cut=FADED if fades else -1.0))
    return found


kinds.register(
    ElementKind(
        "puppet",
        "Puppet",
        Puppet,
        build,
        11,
        pose=pose,
        wear=wear,
        faces=faces,
        note="a drawing whose parts move",
        marks=marks,
    )
)
