"""Writing entries, and reading those that a person may."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db.models import Q, QuerySet
from django.http import HttpRequest

from journal.models import Entry
from projects.models import Project

#: What entries tell, by name, as people read it.
DEEDS = {
    "signed-in": "signed in",
    "sign-in-failed": "was refused at the door",
    "sign-in-locked": "was locked out for too many tries",
    "signed-out-everywhere": "signed out everywhere",
    "password-changed": "changed the password",
    "shared": "shared the project with",
    "role-changed": "changed the role of",
    "member-removed": "removed",
    "left": "left the project",
    "project-deleted": "put the project away",
    "project-restored": "brought the project back",
    "shot-deleted": "put away the shot",
    "shot-restored": "brought back the shot",
    "handoff-started": "started the hand-off",
    "package-downloaded": "downloaded",
    "link-made": "made a link to",
    "link-ended": "ended a link to",
    "cleaned": "cleaned up",
    "document-downloaded": "downloaded the document of",
}


def address_of(request: HttpRequest | None) -> str:
    """Where a request came from, as far as the server knows."""
    return "" if request is None else str(request.META.get("REMOTE_ADDR", ""))[:60]


def note(
    what: str,
    request: HttpRequest | None = None,
    *,
    user: User | None = None,
    name: str = "",
    project: Project | None = None,
    about: str = "",
) -> None:
    """Write an entry; KeyError for a deed that nobody knows."""
    DEEDS[what]
    Entry.objects.create(
        user=user,
        name=(name or (user.username if user else ""))[:150],
        address=address_of(request),
        project=project,
        what=what,
        about=about[:200],
    )


def entries_of(project: Project) -> QuerySet[Entry]:
    """What was done in a project, and when its members came in; newest first."""
    members = project.memberships.values("user")
    return Entry.objects.filter(Q(project=project) | Q(project=None, user__in=members)).order_by("-id")
