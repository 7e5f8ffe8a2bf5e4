"""Reading shots, always as one person may see them."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db.models import F, QuerySet
from django.shortcuts import get_object_or_404

from projects.models import Role
from projects.selectors import demand_role
from shots.models import Revision, Shot


def shots_of(user: User, *, deleted: bool = False) -> QuerySet[Shot]:
    """Shots in the projects of a person, with what that person is there."""
    own = Shot.objects.filter(project__memberships__user=user, project__deleted_at=None, deleted_at__isnull=not deleted)
    return own.annotate(asked_as=F("project__memberships__role")).select_related("current", "project")


def shot_for(user: User, shot_id: int, *, deleted: bool = False, least: Role = Role.VIEWER) -> Shot:
    """One shot that a person may reach; Http404 otherwise, NotAllowed if one may not what ``least`` may."""
    shot = get_object_or_404(shots_of(user, deleted=deleted), id=shot_id)
    demand_role(shot.own_role, least)
    return shot


def redo_target(revision: Revision) -> Revision | None:
    """The revision that redo leads to: the newest one made from this one."""
    return revision.children.order_by("-id").first()
