"""Files put away, brought back, and put in the place of others."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from django.contrib.auth.models import User
from django.core.files.uploadedfile import UploadedFile
from django.utils import timezone

from assets.actions.add_file import add_file
from assets.actions.add_font import add_font
from assets.actions.add_picture import add_picture
from brought.selectors import FONTS, PICTURES, Brought, one_of, rows_of, uses_of
from projects.models import Project
from shots.actions.save_document import save_document
from shots.models import Shot
from zeitbild.errors import InputError
from zeitbild.library import files
from zeitbild_server.writing import writing


def put_away(project: Project, kind: str, sha256: str) -> None:
    """Take a file out of a project's lists; InputError that says where it is used, if it is. What shots had it keep it when they are
    undone to there."""
    one_of(project, kind, sha256)
    uses = uses_of(project).get(sha256, [])
    if uses:
        where = ", ".join(use.code for use in uses)
        raise InputError(f"it is used in {where}; put another file in its place there, or take it out first")
    with writing():
        rows_of(project, kind).filter(sha256=sha256).update(deleted_at=timezone.now())


def bring_back(project: Project, kind: str, sha256: str) -> None:
    """Undo ``put_away``."""
    one_of(project, kind, sha256, every=True)
    with writing():
        rows_of(project, kind, every=True).filter(sha256=sha256).update(deleted_at=None)


def add(project: Project, kind: str, uploads: Sequence[UploadedFile]) -> Brought:
    """Take in a file of any kind."""
    first = uploads[0]
    if kind == FONTS:
        return add_font(project, first.name or "font", first.read())
    if kind == PICTURES:
        return add_picture(project, first.name or "picture", first.read(), sky=False)
    return add_file(project, files.get(kind), uploads)


def replace_file(
    user: User, project: Project, kind: str, sha256: str, uploads: Sequence[UploadedFile]
) -> tuple[Brought, list[str]]:
    """Take in a file and name it wherever another is named, in all shots or in none; gives it, and the codes of the shots that changed.

    Each shot gets a revision of its own, which undo takes back. What is refused changes nothing.
    """
    one_of(project, kind, sha256)
    other = add(project, kind, uploads)
    changed: list[str] = []
    if other.sha256 == sha256:
        return other, changed
    with writing():
        for use in uses_of(project).get(sha256, []):
            shot = Shot.objects.select_related("current", "project").get(id=use.shot)
            assert shot.current is not None
            document: Any = json.loads(json.dumps(shot.current.document).replace(sha256, other.sha256))
            save_document(user, shot, base=shot.current.id, document=document, label="Another file in place of one")
            changed.append(shot.code)
    return other, changed
