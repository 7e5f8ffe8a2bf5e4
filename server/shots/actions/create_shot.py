"""Make, copy, delete and bring back shots."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.utils import timezone

from projects.actions.project_defaults import starting_shot
from projects.models import Project
from shots.models import Revision, Shot
from zeitbild.document.shot import Shot as ShotDocument
from zeitbild.elements import kinds
from zeitbild.errors import DocumentError, Problem
from zeitbild_server.writing import writing


def _check_free(project: Project, code: str) -> None:
    if project.shots.filter(code__iexact=code, deleted_at=None).exists():
        raise DocumentError([Problem("shot", f"there is a shot {code} in this project already; choose another code")])


def free_code(project: Project, wish: str) -> str:
    """The wished code, or the next one after it that no shot has."""
    code, number = wish, 2
    while project.shots.filter(code__iexact=code, deleted_at=None).exists():
        code, number = f"{wish[:34]}-{number}", number + 1
    return code


def add_shot(project: Project, document: ShotDocument, author: User | None) -> Shot:
    """Add a shot with this document as its first revision; DocumentError if its code is taken."""
    with writing():
        _check_free(project, document.shot)
        shot = Shot.objects.create(project=project, code=document.shot, title=document.title)
        shot.current = Revision.objects.create(
            shot=shot, document=document.model_dump(mode="json"), label="Made", author=author
        )
        shot.save(update_fields=["current"])
    return shot


def create_shot(user: User, project: Project, *, code: str, title: str) -> Shot:
    """A new shot under the project's defaults, with a word to begin with."""
    document = starting_shot(code, title, project.defaults, project_code=project.code)
    lettering = kinds.get("lettering").parameters(id="word-1", name="Word")
    return add_shot(project, document.model_copy(update={"elements": (lettering,)}), user)


def duplicate_shot(user: User, shot: Shot) -> Shot:
    """A copy of a shot's current document under a free code."""
    document = shot.current_document()
    code = free_code(shot.project, f"{document.shot[:34]}-2")
    return add_shot(
        shot.project, document.model_copy(update={"shot": code, "title": f"{document.title} copy"[:120]}), user
    )


def delete_shot(shot: Shot) -> None:
    """Put a shot away; ``restore_shot`` brings it back with revisions, runs and hand-offs."""
    shot.deleted_at = timezone.now()
    shot.save(update_fields=["deleted_at"])


def restore_shot(shot: Shot) -> None:
    """Bring a deleted shot back; DocumentError if its code has been taken meanwhile."""
    with writing():
        _check_free(shot.project, shot.code)
        shot.deleted_at = None
        shot.save(update_fields=["deleted_at"])
