"""Elements that the camera does not see, or sees cut off."""

from collections.abc import Iterator
from typing import Any

from zeitbild.checks._base import Check, Finding, SetView, checks
from zeitbild.resolve.framing import extents_of, framed_in


def _look(view: SetView) -> Iterator[Finding]:
    shot = view.shot
    shown = [(number, element) for number, element in enumerate(shot.elements) if element.delivered]
    if not shown:
        return
    seen: set[str] = set()
    cut: dict[str, int] = {}
    stood = False
    for frame in view.sampled_frames:
        snapshot = view.snapshot(frame)
        ground = {body.element for body in snapshot.bodies if body.only_shadow}
        boxes = extents_of(snapshot)
        stood = stood or bool(boxes)
        for _, element in shown:
            box = boxes.get(element.id)
            if box is None:
                continue
            inside = box.right > 0 and box.bottom > 0 and box.left < snapshot.width and box.top < snapshot.height
            if not inside or box.right <= box.left:
                continue
            seen.add(element.id)
            if element.id in ground:
                continue
            if box.behind or min(box.left, box.top) < 0 or box.right > snapshot.width or box.bottom > snapshot.height:
                cut.setdefault(element.id, frame)
    first = shot.timing.first
    if not stood:
        yield Finding(
            "nothing-in-view",
            "warning",
            "Nothing of the set is to be seen: every frame would be empty.",
            "elements",
            "build",
            first,
        )
        return
    mend: dict[str, Any] = {}
    if cut or not seen:
        # One camera for all of them: it frames everything.
        camera = framed_in(shot, [view.snapshot(frame) for frame in view.sampled_frames])
        mend = {"camera": camera.model_dump(mode="json")}
    if not seen:
        yield Finding(
            "nothing-in-view",
            "warning",
            "The camera looks past the set: every frame would be empty.",
            "camera.position",
            "build",
            first,
            mend,
            "Frame everything",
        )
        return
    for number, element in shown:
        if element.id not in cut:
            continue
        frame = cut[element.id]
        yield Finding(
            "cut-by-edge",
            "hint",
            f"{element.name} is cut by the picture's edge at frame {frame}: a receiver cannot move it further in.",
            f"elements.{number}.placement.position",
            "build",
            frame,
            mend,
            "Frame everything",
        )


checks.register(Check("in-view", look_at_set=_look))
