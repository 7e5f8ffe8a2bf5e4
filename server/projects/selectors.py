"""Reading projects, always as one person may see them."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db.models import QuerySet
from django.shortcuts import get_object_or_404

from projects.models import Membership, Project, Role
from zeitbild_server.errors import NotAllowed

_LACKING = {
    Role.EDITOR: "You may look at this project but not change it. An owner can let you.",
    Role.OWNER: "Only an owner of this project may do this.",
}


def projects_of(user: User, *, deleted: bool = False) -> QuerySet[Project]:
    """Projects that a person is a member of, newest first."""
    return Project.objects.filter(memberships__user=user, deleted_at__isnull=not deleted).order_by("-created_at", "-id")


def project_for(user: User, project_id: int, *, deleted: bool = False, least: Role = Role.VIEWER) -> Project:
    """One project of that person; Http404 otherwise, NotAllowed if one may not what ``least`` may."""
    project = get_object_or_404(projects_of(user, deleted=deleted), id=project_id)
    demand(user, project, least)
    return project


def role_of(user: User, project: Project) -> Role | None:
    """What a person is in a project; None for strangers."""
    found = Membership.objects.filter(project=project, user=user).values_list("role", flat=True).first()
    return None if found is None else Role(found)


def demand(user: User, project: Project, least: Role) -> None:
    """NotAllowed unless a member may what ``least`` may."""
    if least != Role.VIEWER:
        demand_role(role_of(user, project), least)


def demand_role(role: Role | None, least: Role) -> None:
    """NotAllowed unless one who is ``role`` may what ``least`` may."""
    if least != Role.VIEWER and (role is None or role.rank < least.rank):
        raise NotAllowed(_LACKING[least])


def members_of(project: Project) -> list[Membership]:
    """Everybody's place in a project, owners first."""
    rows = project.memberships.select_related("user").order_by("user__username")
    return sorted(rows, key=lambda row: -Role(row.role).rank)
