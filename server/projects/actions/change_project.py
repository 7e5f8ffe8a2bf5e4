"""Rename a project, change its defaults, delete it and take that back."""

from __future__ import annotations

from typing import Any

from django.utils import timezone

from projects.actions.project_defaults import check_defaults
from projects.models import Project


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
