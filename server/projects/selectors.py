"""Reading projects, always as one person may see them."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db.models import QuerySet
from django.shortcuts import get_object_or_404

from projects.models import Project


def projects_of(user: User, *, deleted: bool = False) -> QuerySet[Project]:
    """Projects that a person is a member of, newest first."""
    return Project.objects.filter(memberships__user=user, deleted_at__isnull=not deleted).order_by("-created_at", "-id")


def project_for(user: User, project_id: int, *, deleted: bool = False) -> Project:
    """One project of that person; Http404 otherwise."""
    return get_object_or_404(projects_of(user, deleted=deleted), id=project_id)
