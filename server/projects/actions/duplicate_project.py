"""Copy a project with its shots."""

from __future__ import annotations

from django.contrib.auth.models import User

from assets.actions.copy_assets import copy_assets
from projects.models import Membership, Project, Role
from shots.actions.create_shot import add_shot
from zeitbild_server.writing import writing


def duplicate_project(user: User, project: Project) -> Project:
    """A copy with the newest document of each shot; runs and hand-offs stay with the original."""
    with writing():
        copy = Project.objects.create(
            code=project.code,
            title=f"{project.title} copy"[:120],
            defaults=project.defaults,
            naming_rules=project.naming_rules,
        )
        Membership.objects.create(project=copy, user=user, role=Role.OWNER)
        copy_assets(project, copy)
        for shot in project.shots.filter(deleted_at=None).select_related("current").order_by("id"):
            add_shot(copy, shot.current_document(), user)
    return copy
