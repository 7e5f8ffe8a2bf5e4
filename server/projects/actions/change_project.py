"""Rename a project, change its defaults, delete it and take that back, share it."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.utils import timezone

from projects.actions.project_defaults import check_defaults
from projects.models import Membership, Project
from zeitbild.errors import InputError


def change_project(project: Project, *, code: str, title: str, defaults: dict[str, Any]) -> Project:
    """Set code, title and defaults; shots that exist keep their own."""
    project.defaults = check_defaults(code, title, defaults)
    project.code, project.title = code, title.strip()
    project.save(update_fields=["code", "title", "defaults"])
    return project


def delete_project(project: Project) -> None:
    """Put a project away; ``restore_project`` brings it back with everything in it."""
    project.deleted_at = timezone.now()
    project.save(update_fields=["deleted_at"])


def restore_project(project: Project) -> None:
    """Bring a deleted project back."""
    project.deleted_at = None
    project.save(update_fields=["deleted_at"])


def add_member(project: Project, username: str) -> None:
    """Let another person work on a project; InputError if nobody has that name."""
    user = User.objects.filter(username=username, is_active=True).first()
    if user is None:
        raise InputError(f"nobody here is called {username!r}", "username")
    Membership.objects.get_or_create(project=project, user=user)
