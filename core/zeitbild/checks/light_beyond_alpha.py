"""See-through elements that mirror more light than their alpha holds, which files of straight colour cannot hold."""

from collections.abc import Iterator
from dataclasses import replace

from zeitbild.checks._base import Check, Finding, SetView, checks
from zeitbild.colour.highlights import beyond_alpha
from zeitbild.render import QUALITIES, render
from zeitbild.snapshot.finish_row import opacity_of

#: Width of the small picture that is judged, and the pixels of the output from which on it is worth a word.
_WIDTH, _FEW = 240, 50


def _look(view: SetView) -> Iterator[Finding]:
    shot = view.shot
    frames = view.sampled_frames
    clear = any(opacity_of(one) < 1 for body in view.snapshot(frames[0]).bodies for one in body.finishes)
    if shot.backdrop.kind != "clear" or not clear:
        return
    worst, where = 0, frames[0]
    for frame in (frames[0], frames[len(frames) // 2]):
        snapshot = view.snapshot(frame)
        height = max(9, round(_WIDTH * snapshot.height / snapshot.width))
        picture = render(replace(snapshot, stations=()).at_size(_WIDTH, height), QUALITIES["rough"])
        share = float((beyond_alpha(picture.beauty, picture.covered) > 0.5 / 255).mean())
        pixels = round(share * snapshot.width * snapshot.height)
        if pixels > worst:
            worst, where = pixels, frame
    if worst < _FEW:
        return
    about = f"Clear elements mirror more light than their alpha holds, in about {worst:,} pixels of frame {where}. OpenEXR files hold it"
    if shot.sampling.beyond_alpha == "alpha raised":
        yield Finding(
            "light-beyond-alpha",
            "hint",
            f"{about}; in PNG files alpha is raised there to hold it.",
            "sampling.beyond_alpha",
            "build",
            where,
        )
        return
    yield Finding(
        "light-clipped-at-alpha",
        "warning",
        f"{about}; in PNG files it is clipped there and lost.",
        "sampling.beyond_alpha",
        "build",
        where,
        {"sampling.beyond_alpha": "alpha raised"},
        "Raise alpha to hold it",
    )


checks.register(Check("light-beyond-alpha", look_at_set=_look))
