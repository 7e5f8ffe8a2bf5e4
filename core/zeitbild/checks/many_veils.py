"""See-through things that lie over one another in such a number that a frame with an open shutter takes long."""

from collections.abc import Iterator

from zeitbild.checks._base import Check, Finding, SetView, checks
from zeitbild.render.visible.entangled import entangled
from zeitbild.render.visible.pieces import groups_apart, see_through_places
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import lets_through
from zeitbild.snapshot.quality import QUALITIES

#: Pictures laid over one another from which on it is told; and see-through bodies that are looked at so closely.
_MANY, _LOOKED_AT = 40, 1500
#: Frames that are looked at.
_FRAMES = 3


def _levels(snapshot: Snapshot) -> tuple[int, set[str]]:
    """How many pictures are laid over one another, and the elements of what is see-through: none where nothing moves (``render.veils``)."""
    if (
        not snapshot.stations
        or sum(any(lets_through(row) for row in body.finishes) for body in snapshot.bodies) <= _MANY
    ):
        return 0, set()
    snapshot = snapshot.built(QUALITIES["rough"])
    places = see_through_places(snapshot)
    elements = {snapshot.bodies[place].element for place in places}
    if len(places) > _LOOKED_AT:
        return len(places), elements
    roles = {place: snapshot.bodies[place].role for place in places}
    return len(groups_apart(snapshot, entangled(snapshot, places), roles)), elements


def _look(view: SetView) -> Iterator[Finding]:
    frames = view.sampled_frames
    chosen = sorted({frames[at * (len(frames) - 1) // (_FRAMES - 1)] for at in range(_FRAMES)})
    found = [(frame, *_levels(view.snapshot(frame))) for frame in chosen]
    frame, most, elements = max(found, key=lambda one: one[1])
    if most <= _MANY:
        return
    numbers = [at for at, one in enumerate(view.shot.elements) if one.id in elements]
    named = view.shot.elements[numbers[0]].name if len(numbers) == 1 else f"{len(numbers)} elements"
    yield Finding(
        "many-veils",
        "hint",
        f"See-through things ({named}) lie over one another {most} times at frame {frame}: while the shutter is open each of these is drawn by "
        "itself, so a frame takes long. Fewer of them, opaque ones, the dots of a spray, or no motion blur are far faster.",
        f"elements.{numbers[0]}.opacity",
        "build",
        frame,
    )


checks.register(Check("many-veils", look_at_set=_look))
