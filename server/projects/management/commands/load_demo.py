"""Load the demo project, once: what people changed in it stays."""

from __future__ import annotations

import json
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.core.management.base import BaseCommand

from projects.actions.create_project import create_project
from projects.models import Project
from shots.actions.create_shot import add_shot
from shots.models import Shot
from zeitbild.document.reading import parse_shot

USERNAME, PASSWORD = "demo", "lighthouse"


class Command(BaseCommand):
    """See the module."""

    help = "Load the demo project."

    def handle(self, *args: Any, **options: Any) -> None:
        """Add what is missing: the person, the project, its shots."""
        user, new = User.objects.get_or_create(username=USERNAME)
        if new:
            user.set_password(PASSWORD)
            user.save()
        folder = settings.ROOT / "demo"
        described = json.loads((folder / "project.json").read_text(encoding="utf-8"))
        project = Project.objects.filter(memberships__user=user, code=described["code"]).first()
        if project is None:
            project = create_project(user, **described)
        for path in sorted(folder.glob("KM*.json")):
            document = parse_shot(path.read_text(encoding="utf-8"))
            if not Shot.objects.filter(project=project, code=document.shot).exists():
                add_shot(project, document, user)
