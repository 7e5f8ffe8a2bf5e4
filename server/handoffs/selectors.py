"""Reading hand-offs, always as one person may see them."""

from __future__ import annotations

from pathlib import Path

from django.contrib.auth.models import User
from django.db.models import QuerySet
from django.http import Http404
from django.shortcuts import get_object_or_404
from django.utils import timezone

from handoffs.models import Form, HandOff
from projects.models import Role
from projects.selectors import demand
from zeitbild.document.reading import parse_shot
from zeitbild.handoff import Conforming, recipes
from zeitbild.paths import handoffs_folder
from zeitbild.timing import parse_frames


def handoffs_of(user: User) -> QuerySet[HandOff]:
    """Hand-offs in the projects of a person, newest version first."""
    return (
        HandOff.objects.filter(
            shot__project__memberships__user=user, shot__project__deleted_at=None, shot__deleted_at=None
        )
        .select_related("shot", "shot__project", "run")
        .order_by("-id")
    )


def handoff_for(user: User, handoff_id: int, *, least: Role = Role.VIEWER) -> HandOff:
    """One hand-off that a person may reach; Http404 otherwise, NotAllowed if one may not what ``least`` may."""
    handoff = get_object_or_404(handoffs_of(user), id=handoff_id)
    demand(user, handoff.shot.project, least)
    return handoff


#: Kinds of files that browsers show, by their endings.
SHOWN = {
    ".webm": "video/webm",
    ".mp4": "video/mp4",
    ".gif": "image/gif",
    ".webp": "image/webp",
    ".avif": "image/avif",
    ".png": "image/png",
}


def shown_file(handoff: HandOff, form: int, at: int) -> Path:
    """A file of a form that a browser shows; Http404 if there is none."""
    parts = handoff.parts
    if handoff.state != HandOff.State.DONE or not (0 <= form < len(parts) and 0 <= at < len(parts[form].shown)):
        raise Http404
    path = version_folder(handoff) / parts[form].folder / parts[form].shown[at]
    if not path.is_file():
        raise Http404
    return path


def dropped_frames(handoff: HandOff, form: Form) -> list[int]:
    """Frames of a hand-off that no file of a form shows, since it has a slower rate than the shot; rising."""
    conforming = Conforming.of(form.options)
    if conforming.rate is None:
        return []
    rate = parse_shot(handoff.run.document).timing.fraction
    # Files that hold all frames begin with the first that their layer has.
    moving = recipes.get(form.recipe).format.container
    each = [parse_frames(text) for text in form.written.values() if text] if moving else [handoff.frames]
    shown = {frame for frames in each for frame in conforming.frames(frames, rate)}
    return [frame for frame in handoff.frames if frame not in shown]


def left_of(handoff: HandOff, share: float) -> float | None:
    """Seconds until a hand-off is written, at the pace of its worker so far; None while that cannot be told. share is how much of it is
    done."""
    if handoff.state != HandOff.State.WRITING or handoff.began_at is None or share <= handoff.began_with:
        return None
    return (timezone.now() - handoff.began_at).total_seconds() * (1 - share) / (share - handoff.began_with)


def version_folder(handoff: HandOff) -> Path:
    """The folder of a hand-off's files; one for each version, never shared."""
    return handoffs_folder() / f"shot-{handoff.shot_id}" / f"v{handoff.version:03}"


def package_path(handoff: HandOff) -> Path:
    """The ZIP of a hand-off."""
    return version_folder(handoff).with_name(f"v{handoff.version:03}.zip")
