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

_NOT_SAVED, _NOT_TAKEN_BACK = "Your change was not saved over it.", "Nothing was taken back."


def _check_base(current: int | None, base: int, what_was_not_done: str) -> None:
    if current != base:
        raise Conflict(f"This shot was changed elsewhere meanwhile. {what_was_not_done}", current or 0)


def _point_to(shot: Shot, base: int, revision: Revision, what_was_not_done: str) -> Shot:
    """Make a revision the current one in place of ``base``; Conflict if that is not current any more."""
    now = {"current": revision, "code": revision.document["shot"], "title": revision.document["title"]}
    if not Shot.objects.filter(id=shot.id, current_id=base).update(**now):
        _check_base(Shot.objects.values_list("current_id", flat=True).get(id=shot.id), base, what_was_not_done)
    for name, value in now.items():
        setattr(shot, name, value)
    return shot


def save_document(user: User, shot: Shot, *, base: int, document: Any, label: str = "") -> Shot:
    """Save ``document`` on top of revision ``base``.

    DocumentError if it does not hold; Conflict if another revision is current, in which case nothing is written.
    """
    # All that can be known before is found out before: the others wait for who writes.
    _check_base(shot.current_id, base, _NOT_SAVED)
    checked = read_shot(document)
    check_assets(shot.project, document)
    kept = checked.model_dump(mode="json")
    with writing():
        if checked.shot.casefold() != shot.code.casefold():
            others = shot.project.shots.filter(code__iexact=checked.shot, deleted_at=None).exclude(id=shot.id)
            if others.exists():
                raise DocumentError([Problem("shot", f"there is a shot {checked.shot} in this project already")])
        revision = Revision.objects.create(shot=shot, parent_id=base, document=kept, label=label[:120], author=user)
        shot = _point_to(shot, base, revision, _NOT_SAVED)
    revision.keep_read(checked)
    return shot


def undo(shot: Shot, base: int) -> Shot:
    """Go back from revision ``base`` to the one before; InputError at the first one, Conflict if another is current."""
    _check_base(shot.current_id, base, _NOT_TAKEN_BACK)
    parent = shot.current.parent if shot.current else None
    if parent is None:
        raise InputError("There is nothing to undo.")
    with writing():
        return _point_to(shot, base, parent, _NOT_TAKEN_BACK)


def redo(shot: Shot, base: int) -> Shot:
    """Go forward from revision ``base`` to what was undone last; InputError if there is nothing, Conflict as in ``undo``."""
    _check_base(shot.current_id, base, _NOT_TAKEN_BACK)
    target = redo_target(shot.current) if shot.current else None
    if target is None:
        raise InputError("There is nothing to redo.")
    with writing():
        return _point_to(shot, base, target, _NOT_TAKEN_BACK)
