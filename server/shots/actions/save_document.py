"""Save a document as a new revision; undo; redo."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User

from assets.selectors import check_assets
from shots.models import Revision, Shot
from shots.selectors import redo_target
from zeitbild.document.reading import read_shot
from zeitbild.errors import DocumentError, InputError, Problem
from zeitbild_server.errors import Conflict
from zeitbild_server.writing import writing


def _point_to(shot: Shot, revision: Revision) -> Shot:
    shot.current = revision
    shot.code, shot.title = revision.document["shot"], revision.document["title"]
    shot.save(update_fields=["current", "code", "title"])
    return shot


def _check_base(shot: Shot, base: int, what_was_not_done: str) -> None:
    if shot.current_id != base:
        raise Conflict(f"This shot was changed elsewhere meanwhile. {what_was_not_done}", shot.current_id or 0)


def _locked(looked_at: Shot, base: int, what_was_not_done: str) -> Shot:
    """The shot as nobody else can change it meanwhile; Conflict if another revision than ``base`` is current."""
    # IMMEDIATE transactions hold SQLite's write lock from the start, so this row cannot change meanwhile.
    shot = Shot.objects.select_related("current", "project").get(id=looked_at.id)
    _check_base(shot, base, what_was_not_done)
    return shot


_NOT_SAVED, _NOT_TAKEN_BACK = "Your change was not saved over it.", "Nothing was taken back."


def save_document(user: User, shot: Shot, *, base: int, document: Any, label: str = "") -> Shot:
    """Save ``document`` on top of revision ``base``.

    DocumentError if it does not hold; Conflict if another revision is current, in which case nothing is written.
    """
    # Who comes too late is told without waiting for who writes.
    _check_base(shot, base, _NOT_SAVED)
    checked = read_shot(document)
    with writing():
        shot = _locked(shot, base, _NOT_SAVED)
        check_assets(shot.project, document)
        taken = shot.project.shots.filter(code__iexact=checked.shot, deleted_at=None).exclude(id=shot.id).exists()
        if taken:
            raise DocumentError([Problem("shot", f"there is a shot {checked.shot} in this project already")])
        revision = Revision.objects.create(
            shot=shot, parent=shot.current, document=checked.model_dump(mode="json"), label=label[:120], author=user
        )
        revision.keep_read(checked)
        return _point_to(shot, revision)


def undo(shot: Shot, base: int) -> Shot:
    """Go back from revision ``base`` to the one before; InputError at the first one, Conflict if another is current."""
    _check_base(shot, base, _NOT_TAKEN_BACK)
    with writing():
        shot = _locked(shot, base, _NOT_TAKEN_BACK)
        parent = shot.current.parent if shot.current else None
        if parent is None:
            raise InputError("There is nothing to undo.")
        return _point_to(shot, parent)


def redo(shot: Shot, base: int) -> Shot:
    """Go forward from revision ``base`` to what was undone last; InputError if there is nothing, Conflict as in ``undo``."""
    _check_base(shot, base, _NOT_TAKEN_BACK)
    with writing():
        shot = _locked(shot, base, _NOT_TAKEN_BACK)
        target = redo_target(shot.current) if shot.current else None
        if target is None:
            raise InputError("There is nothing to redo.")
        return _point_to(shot, target)
