"""What people keep in a project under a name: checked as a document would be, pictured, taken into shots."""

from __future__ import annotations

from typing import Any

from django.utils import timezone

from assets.models import Kept
from assets.selectors import check_assets
from handoffs.models import MOST_FORMS
from projects.models import Project
from zeitbild.document.reading import read_shot
from zeitbild.document.shot import VERSION, Shot
from zeitbild.errors import InputError, LimitError
from zeitbild.handoff.recipes import recipes
from zeitbild_server.writing import writing

#: Things kept in a project.
MAX_KEPT = 500


def shot_with(kind: str, content: Any) -> Shot:
    """A shot in which something kept stands alone; DocumentError or InputError if it does not hold.

    content is what documents have at that place: values of a finish, a list of lights, a camera, or a list of elements (one, or a group
    and what stands in it), whose finishes have values of their own.
    """
    document: dict[str, Any] = {"version": VERSION, "elements": [], "lights": []}
    if kind == Kept.Kind.FINISH:
        document["finishes"] = [{"name": "kept", "values": content}]
    elif kind == Kept.Kind.LIGHTS:
        document["lights"] = content
    elif kind == Kept.Kind.CAMERA:
        document["camera"] = content
    elif kind == Kept.Kind.ELEMENT:
        if not isinstance(content, list) or not content:
            raise InputError("an element is kept as a list of it and what stands in it", "content")
        document["elements"] = content
    else:
        raise InputError(f"{kind[:40]!r} is nothing that can be kept")
    return read_shot(document)


def forms_of(content: Any) -> list[dict[str, Any]]:
    """The forms of a hand-off as they are kept: recipes with what was chosen and left out; InputError at what does not hold."""
    if (
        not isinstance(content, list)
        or not 1 <= len(content) <= MOST_FORMS
        or not all(isinstance(one, dict) for one in content)
    ):
        raise InputError(
            f"forms are kept as a list of 1 to {MOST_FORMS}, each with a recipe and its options", "content"
        )
    found = []
    for number, one in enumerate(content):
        recipe, options, without = (one.get(name) for name in ("recipe", "options", "without"))
        if not isinstance(options or {}, dict) or not all(
            isinstance(text, str) for text in (recipe, *(options or {}), *(options or {}).values(), *(without or []))
        ):
            raise InputError("a recipe, its options and passes that are left out are texts", f"content.{number}")
        chosen = recipes.get(str(recipe)).chosen(options or {})
        found.append({"recipe": recipe, "options": chosen, "without": [str(name) for name in without or []]})
    return found


def keep(project: Project, kind: str, name: str, content: Any) -> Kept:
    """Keep something under a name, in place of what had it; DocumentError or InputError if it does not hold."""
    name = name.strip()[:80]
    if not name:
        raise InputError("give it a name", "name")
    if kind == Kept.Kind.FORMS:
        content = forms_of(content)
    else:
        shot_with(kind, content)
    check_assets(project, content)
    if project.kept.count() >= MAX_KEPT:
        raise LimitError(f"a project keeps up to {MAX_KEPT} things; delete some")
    with writing():
        kept, _ = Kept.objects.update_or_create(project=project, kind=kind, name=name, defaults={"content": content})
    return kept


def let_go(kept: Kept) -> None:
    """Take something out of the project's list."""
    with writing():
        kept.deleted_at = timezone.now()
        kept.save(update_fields=["deleted_at"])


def take_back(kept: Kept) -> None:
    """Undo ``let_go``; InputError if something else has its name by now."""
    with writing():
        if kept.project.kept.filter(kind=kept.kind, name=kept.name).exists():
            raise InputError(f"something else is called {kept.name} by now")
        kept.deleted_at = None
        kept.save(update_fields=["deleted_at"])
