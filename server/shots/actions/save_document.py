"""Save a document as a new revision; undo; redo."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from assets.selectors import check_assets
from shots.models import Revision, Shot
from shots.selectors import redo_target
from zeitbild.document.reading import read_shot
from zeitbild.errors import DocumentError, InputError, Problem
from zeitbild_server.errors import Conflict


def _point_to(shot: Shot, revision: Revision) -> Shot:
    shot.current = revision
    shot.code, shot.title = revision.document["shot"], revision.document["title"]
    shot.save(update_fields=["current", "code", "title"])
    return shot


def _locked(shot_id: int) -> Shot:
    # IMMEDIATE transactions hold SQLite's write lock from the start, so this row cannot change meanwhile.
    return Shot.objects.select_related("current", "project").get(id=shot_id)


def save_document(user: User, shot_id: int, *, base: int, document: Any, label: str = "") -> Shot:
    """Save ``document`` on top of revision ``base``.

    DocumentError if it does not hold; Conflict if another revision is current, in which case nothing is written.
    """
    checked = read_shot(document)
    with transaction.atomic():
        shot = _locked(shot_id)
        check_assets(shot.project, document)
        if shot.current_id != base:
            raise Conflict(
                "This shot was changed elsewhere meanwhile. Your change was not saved over it.", shot.current_id or 0
            )
        taken = shot.project.shots.filter(code__iexact=checked.shot, deleted_at=None).exclude(id=shot.id).exists()
        if taken:
            raise DocumentError([Problem("shot", f"there is a shot {checked.shot} in this project already")])
        revision = Revision.objects.create(
            shot=shot, parent=shot.current, document=checked.model_dump(mode="json"), label=label[:120], author=user
        )
        revision.keep_read(checked)
        return _point_to(shot, revision)


def _at(shot_id: int, base: int) -> Shot:
    shot = _locked(shot_id)
    if shot.current_id != base:
        raise Conflict("This shot was changed elsewhere meanwhile. Nothing was taken back.", shot.current_id or 0)
    return shot


def undo(shot_id: int, base: int) -> Shot:
    """Go back from revision ``base`` to the one before; InputError at the first one, Conflict if another is current."""
    with transaction.atomic():
        shot = _at(shot_id, base)
        parent = shot.current.parent if shot.current else None
        if parent is None:
            raise InputError("There is nothing to undo.")
        return _point_to(shot, parent)


def redo(shot_id: int, base: int) -> Shot:
    """Go forward from revision ``base`` to what was undone last; InputError if there is nothing, Conflict as in ``undo``."""
    with transaction.atomic():
        shot = _at(shot_id, base)
        target = redo_target(shot.current) if shot.current else None
        if target is None:
            raise InputError("There is nothing to redo.")
        return _point_to(shot, target)
