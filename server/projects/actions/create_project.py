"""Make a project."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User

from projects.actions.project_defaults import check_defaults
from projects.models import Membership, Project, Role
from zeitbild_server.writing import writing


def create_project(user: User, *, code: str, title: str, defaults: dict[str, Any]) -> Project:
    """A new project with its maker as member; DocumentError if code, title or defaults are wrong."""
    checked = check_defaults(code, title, defaults)
    with writing():
        project = Project.objects.create(code=code, title=title.strip(), defaults=checked)
        Membership.objects.create(project=project, user=user, role=Role.OWNER)
    return project
