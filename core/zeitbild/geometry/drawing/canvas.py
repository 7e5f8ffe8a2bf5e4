"""How the paint of a drawing lies over other paint: pieces that lie beside one another, groups that let something through as one, masks."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal, TypeAlias

import manifold3d
import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import LimitError
from zeitbild.geometry.curves import CurvedContour, Points
from zeitbild.geometry.drawing.blending import over
from zeitbild.geometry.drawing.masks import shows
from zeitbild.geometry.drawing.mixing import LONGEST, gradient_layer, inlay_layer, laid_over, mixed_layer, plain_layer
from zeitbild.geometry.drawing.styles import CLEAR

#: Regions, and points of all that hides something, counted for each that it hides, at most.
MAX_REGIONS, _MOST_HIDDEN = 20_000, 20_000_000
#: Edges of pictures over other paint that are mixed with it; and how much of one is there in the mean.
MOST_EDGES, _EDGE = 200, 0.5
#: What a filter made is no piece of its own over what is at most so many times larger: its pixels would be too few there.
_LARGE = 0.25
#: Paint at least so opaque hides all that is below it.
_HIDES = 1 - 1 / 512
Ink: TypeAlias = manifold3d.CrossSection
#: Of a picture's edge, where less than half of it is there and where more is.
Cut = Literal["", "weak", "strong"]


class ManyEdgesError(Exception):
    """More edges of pictures over other paint than are mixed with it."""


@dataclass(frozen=True, slots=True, eq=False)
class Filled:
    """Closed contours, y up, with their fill rule and the numbers of the clips that cut them."""

    contours: tuple[CurvedContour, ...]
    even_odd: bool
    clips: tuple[int, ...]

    @classmethod
    def of(cls, plain: dict[str, Any]) -> Filled:
        """From what ``read_drawing`` gives."""
        curves = np.asarray(plain["curves"], np.float64) * (1.0, -1.0)
        straight, starts = np.asarray(plain["straight"], bool), np.asarray(plain["starts"], np.int64)
        cuts = starts[1:]
        contours = zip(np.split(curves, cuts), np.split(straight, cuts), strict=True) if len(starts) else ()
        return cls(tuple(CurvedContour(*one) for one in contours), bool(plain["even_odd"]), tuple(plain["clips"]))

    @property
    def box(self) -> Points | None:
        """Lower left and upper right corner [2, 2] around its curves; None if it has none."""
        if not self.contours:
            return None
        points = np.concatenate([contour.curves.reshape(-1, 2) for contour in self.contours])
        return np.stack([points.min(axis=0), points.max(axis=0)])


@dataclass(frozen=True, slots=True)
class Fill:
    """What fills an outline beside its colour; see ``Shade``."""

    gradient: int = -1
    inlay: int = -1
    cut: Cut = ""
    #: What is mixed from others (``mixing``), in place of a gradient or a picture.
    mixed: str = ""
    #: Of what fades out: how much it hides in the mean.
    mean: float = 0.0


PLAIN = Fill()


@dataclass(frozen=True, slots=True, eq=False)
class Paint:
    """One thing that is painted: what is filled, with which shade (its colour as three shares), in which groups from the outmost to the
    inmost."""

    filled: Filled
    colour: tuple[float, float, float]
    alpha: float
    fill: Fill
    groups: tuple[int, ...]
    #: Its number among the paints of the drawing; -1: it is none of those.
    at: int = -1


@dataclass(frozen=True, slots=True, eq=False)
class Changed:
    """What a filter makes of a group: where that is, its middle colour and how much it hides in the mean, what fills it; whether the group
    stands on it unchanged; and what cuts off both."""

    ink: Ink
    colour: tuple[float, float, float]
    alpha: float
    fill: Fill
    keeps: bool
    clips: Sequence[Ink]


@dataclass(frozen=True, slots=True)
class Group:
    """What is painted as one before it is laid over what is below: how much of it, and through which mask (-1: none)."""

    opacity: float
    mask: int = -1
    #: How it mixes with what is below (``blending``); empty: it lies over it.
    blend: str = ""


_ALONE = Group(1.0)


@dataclass(slots=True, eq=False)
class Piece:
    """A part of the picture while it is painted: ink of one colour, and what hides it."""

    ink: Ink
    colour: tuple[float, float, float]
    alpha: float
    box: tuple[float, ...]
    fill: Fill = PLAIN
    #: Whether what fills it is clear wherever it is not, but for where what hides all stands on it in its own group.
    whole: bool = False
    cuts: list[Ink] = field(default_factory=list)

    def rest(self) -> Ink:
        """What is left of it; worked out once for all that hides it."""
        if self.cuts:
            self.ink = self.ink - manifold3d.CrossSection.batch_boolean(self.cuts, manifold3d.OpType.Add)
            self.cuts = []
        return self.ink


class _Boxes:
    """Boxes of pieces in their order, to find those that one meets without looking at each."""

    def __init__(self) -> None:
        self._held, self._count = np.empty((64, 4)), 0

    def add(self, pieces: Sequence[Piece]) -> None:
        """Those of pieces that came."""
        for piece in pieces:
            if self._count == len(self._held):
                self._held = np.concatenate([self._held, np.empty_like(self._held)])
            self._held[self._count] = piece.box
            self._count += 1

    def met(self, box: tuple[float, ...], count: int) -> NDArray[np.int64]:
        """Numbers of those of the first ``count`` pieces that a box meets."""
        held = self._held[:count]
        there = (held[:, 0] < box[2]) & (held[:, 2] > box[0]) & (held[:, 1] < box[3]) & (held[:, 3] > box[1])
        return np.flatnonzero(there)


def _long(box: tuple[float, ...]) -> float:
    return max(box[2] - box[0], box[3] - box[1])


def _meet(a: tuple[float, ...], b: tuple[float, ...]) -> bool:
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]


def layer_of(piece: Piece) -> str:
    """What fills a piece, as ``mixing`` writes it."""
    fill = piece.fill
    if fill.inlay >= 0:
        return inlay_layer(fill.inlay, piece.alpha)
    fades = fill.mean > 0
    share = piece.alpha / fill.mean if fades else piece.alpha
    if fill.mixed:
        return mixed_layer(fill.mixed, share, fades=fades)
    if fill.gradient >= 0:
        return gradient_layer(fill.gradient, share, fades=fades)
    return plain_layer(piece.colour, share)


def _hides(piece: Piece) -> tuple[float, bool]:
    """How much a piece hides in the mean, and whether that is so everywhere."""
    return piece.alpha * (_EDGE if piece.fill.cut else 1.0), not (piece.fill.cut or piece.fill.mean > 0)


def hides_all(piece: Piece) -> bool:
    """Whether nothing is seen through a piece."""
    hides, even = _hides(piece)
    return even and hides >= _HIDES


def _middle(own: Piece, below: Piece, blend: str) -> tuple[float, float, float]:
    """The colour of one piece over another, of what is no single colour by the middle one."""
    upper, lower = (np.array([*one.colour, max(_hides(one)[0], 1e-6)]) for one in (own, below))
    red, green, blue, _ = over(upper, lower, blend).clip(0, 1).tolist()
    return red, green, blue


@dataclass(slots=True, eq=False)
class Canvas:
    """Lays paint over paint: groups by their opacity, and what gives the ink of what is filled."""

    label: str
    groups: tuple[Group, ...]
    ink_of: Callable[[Filled], Ink]
    #: What masks paint, and whether they go by its light; and how much of a piece is seen through a piece of one, with what fills it then.
    masks: Sequence[tuple[Sequence[Paint], bool]]
    through: Callable[[Piece, Piece, bool], tuple[float, Fill]]
    #: What is made of the paints of a group by its number, if there is a filter that changes it.
    change: Callable[[int, Sequence[Paint]], Changed | None]
    #: Whether nothing is mixed by place: it would be too many.
    even: bool = False
    #: Edges of pictures over other paint that are mixed with it, at most; 0: they are there or not.
    most_edges: int = 0
    hidden: int = 0
    #: Whether something was mixed as if it were one colour, and whether edges of pictures were there or not.
    evened: bool = False
    cut_off: bool = False
    edges: int = 0

    def painted(self, paints: Sequence[Paint], depth: int) -> list[Piece]:
        """What is seen of paints that have the groups up to ``depth`` in common; a group further in is painted by itself and then laid
        over what is there as one."""
        pieces: list[Piece] = []
        boxes = _Boxes()
        at = 0
        while at < len(paints):
            own = paints[at].groups[depth : depth + 1]
            end = at + 1
            while own and end < len(paints) and paints[end].groups[depth : depth + 1] == own:
                end += 1
            # Pieces of a group lie beside one another: they are laid over what was there before it alone.
            before = len(pieces)
            group = self.groups[own[0]] if own else _ALONE
            for top in self._seen(own[0], paints[at:end], depth + 1) if own else self._piece(paints[at]):
                below = boxes.met(top.box, before if own else len(pieces))
                laid = self._over(top, [pieces[number] for number in below.tolist()], group.blend)
                boxes.add(laid)
                pieces += laid
            if len(pieces) > MAX_REGIONS:
                raise LimitError(
                    f"{self.label} has more than {MAX_REGIONS} regions that show through others", "drawing"
                )
            at = end
        return pieces

    def _grouped(self, number: int, paints: Sequence[Paint], depth: int) -> list[Piece]:
        """A group painted by itself, as its filter changes it."""
        changed = self.change(number, paints)
        if changed is None:
            return self.painted(paints, depth)
        found = []
        if not changed.ink.is_empty():
            box = tuple(changed.ink.bounds())
            found = [Piece(changed.ink, changed.colour, changed.alpha, box, changed.fill, whole=True)]
        for top in self.painted(paints, depth) if changed.keeps else ():
            ink = top.rest()
            if not ink.is_empty():
                own = Piece(ink, top.colour, top.alpha, tuple(ink.bounds()), top.fill)
                found += self._over(own, [one for one in found if _meet(one.box, own.box)])
        for piece in found:
            for clip in changed.clips:
                before = piece.rest()
                piece.ink = before ^ clip
                piece.whole = piece.whole and piece.ink.area() >= before.area()
        return found

    def _seen(self, number: int, paints: Sequence[Paint], depth: int) -> Iterator[Piece]:
        """What is seen of a group that was painted by itself."""
        group = self.groups[number]
        veils = self._veils(group.mask) if group.mask >= 0 else None
        for piece in self._grouped(number, paints, depth):
            ink, piece.alpha = piece.rest(), piece.alpha * group.opacity
            if ink.is_empty():
                continue
            if veils is None:
                whole = piece.whole and group.opacity >= 1 and not group.blend
                yield Piece(ink, piece.colour, piece.alpha, tuple(ink.bounds()), piece.fill, whole)
                continue
            box = tuple(ink.bounds())
            for veil in veils:
                both = ink ^ veil.ink if _meet(veil.box, box) else Ink()
                if both.is_empty():
                    continue
                alpha, fill = self.through(piece, veil, self.masks[group.mask][1])
                if alpha >= CLEAR:
                    yield Piece(both, piece.colour, alpha, tuple(both.bounds()), fill)

    def _veils(self, mask: int) -> list[Piece]:
        """What a mask paints, where it paints alike as one."""
        paints, light = self.masks[mask]
        alike: dict[tuple[float, Fill], list[Piece]] = {}
        for piece in self.painted(paints, 0):
            if not piece.rest().is_empty():
                alike.setdefault((shows(piece.colour, light) * piece.alpha, piece.fill), []).append(piece)
        found = []
        for (_, fill), own in alike.items():
            ink = manifold3d.CrossSection.batch_boolean([one.ink for one in own], manifold3d.OpType.Add)
            found.append(Piece(ink, own[0].colour, own[0].alpha, tuple(ink.bounds()), fill))
        return found

    def _piece(self, paint: Paint) -> list[Piece]:
        ink = self.ink_of(paint.filled)
        if ink.is_empty():
            return []
        return [Piece(ink, paint.colour, paint.alpha, tuple(ink.bounds()), paint.fill)]

    def _over(self, top: Piece, below: Sequence[Piece], blend: str = "") -> list[Piece]:
        """Pieces to be added once one is laid over others, which are changed in place."""
        if top.alpha < _HIDES or (blend and below):
            return self._mixed(top, below, blend)
        if top.fill.cut:
            return self._edge_over(top, below)
        self.hidden += len(below) * top.ink.num_vert()
        if self.hidden > _MOST_HIDDEN:
            raise LimitError(f"{self.label} has too many shapes that lie over one another; join some", "drawing")
        for one in below:
            one.cuts.append(top.ink)
        top.alpha = 1.0
        return [top]

    def _edge_over(self, top: Piece, below: Sequence[Piece]) -> list[Piece]:
        """The edge of a picture: where there are few, it is mixed with what is below; else its alpha is kept where nothing is, and over
        other paint it is there from the half on."""
        if not below:
            return [top]
        if self.most_edges:
            self.edges += len(below)
            if self.edges > self.most_edges:
                raise ManyEdgesError
            return self._mixed(top, below, "")
        self.cut_off = True
        under = manifold3d.CrossSection.batch_boolean([one.rest() for one in below], manifold3d.OpType.Add)
        free, both = top.ink - under, top.ink ^ under
        found = [] if free.is_empty() else [Piece(free, top.colour, 1.0, tuple(free.bounds()), top.fill)]
        if top.fill.cut == "strong" and not both.is_empty():
            whole = Piece(both, top.colour, 1.0, tuple(both.bounds()), Fill(top.fill.gradient, top.fill.inlay))
            found += self._over(whole, below)
        return found

    def _mixed(self, own: Piece, below: Sequence[Piece], blend: str) -> list[Piece]:
        """Paint that lets something through, or changes what it lies over: pieces where it lies over others, mixed as CSS mixes (encoded
        colours), and the rest."""
        found, free = [], own.ink
        for one in below:
            under = one.rest()
            both = under ^ own.ink
            if both.is_empty():
                continue
            (mine, mine_even), (other, other_even) = _hides(own), _hides(one)
            total = mine + other * (1 - mine)
            # Where either hides all, all is hidden.
            full = (mine_even and mine >= _HIDES) or (other_even and other >= _HIDES)
            even = full or (mine_even and other_even)
            fill = PLAIN
            if own.fill != PLAIN or one.fill != PLAIN:
                text = laid_over(layer_of(own), layer_of(one), blend)
                if len(text) <= LONGEST and not self.even:
                    fill = Fill(mixed=text, mean=0.0 if even else total)
                else:
                    self.evened = True
            alpha = 1.0 if full or (even and total >= _HIDES) else total
            if own.whole and fill != PLAIN and _long(own.box) >= _LARGE * _long(one.box):
                # No edge where it ends: what lies below goes on in the same way.
                one.fill, one.alpha, one.whole, free = fill, alpha, False, free - under
                continue
            one.ink, one.whole, free = under - own.ink, False, free - under
            found.append(Piece(both, _middle(own, one, blend), alpha, tuple(both.bounds()), fill))
        if not free.is_empty():
            found.append(Piece(free, own.colour, own.alpha, tuple(free.bounds()), own.fill))
        return found
