"""What a project brought along, and where it is used."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from django.http import Http404

from assets.models import Font, LibraryFile, Picture
from assets.selectors import named_assets
from projects.models import Project
from zeitbild.assets import AssetFolder
from zeitbild.library import files
from zeitbild.paths import assets_folder

Brought = Font | Picture | LibraryFile
FONTS, PICTURES = "fonts", "pictures"
_TITLES = {FONTS: "Font", PICTURES: "Picture for surfaces"}


@dataclass(frozen=True, slots=True)
class Use:
    """A shot whose newest document names a file, and the names of the elements that do."""

    shot: int
    code: str
    title: str
    elements: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Row:
    """A file of a project: what it is, how large, and where it is used."""

    kind: str
    kind_title: str
    key: str
    sha256: str
    title: str
    note: str
    bytes: int
    uses: tuple[Use, ...]


def rows_of(project: Project, kind: str, *, every: bool = False) -> Any:
    """The rows of one kind (``fonts``, ``pictures``, or one of the library) of a project, or with ``every`` those put away, too."""
    model: Any = {FONTS: Font, PICTURES: Picture}.get(kind, LibraryFile)
    manager = model.every if every else model.objects
    found = manager.filter(project=project)
    return found.filter(kind=files.get(kind).name) if model is LibraryFile else found


def one_of(project: Project, kind: str, sha256: str, *, every: bool = False) -> Brought:
    """A file of a project; Http404 if there is none."""
    found: Brought | None = rows_of(project, kind, every=every).filter(sha256=sha256).first()
    if found is None:
        raise Http404
    return found


def uses_of(project: Project) -> dict[str, list[Use]]:
    """Where each file is used, by its SHA-256, in the newest documents of the shots that are there."""
    found: dict[str, list[Use]] = {}
    for shot in project.shots.filter(deleted_at=None).select_related("current").order_by("code"):
        document = shot.current.document if shot.current else {}
        names: dict[str, list[str]] = {}
        for path, sha256 in named_assets(document).items():
            own = names.setdefault(sha256, [])
            parts = path.split(".")
            if parts[0] == "elements":
                name = document["elements"][int(parts[1])].get("name", "")
                if name not in own:
                    own.append(name)
        for sha256, elements in names.items():
            found.setdefault(sha256, []).append(Use(shot.id, shot.code, shot.title, tuple(elements)))
    return found


def _about(one: Brought) -> tuple[str, str]:
    """What a file is called, and what it is."""
    if isinstance(one, Font):
        return one.title, f"{one.file_name}, {len(one.styles)} styles" if one.styles else one.file_name
    if isinstance(one, Picture):
        return one.file_name, f"{one.width} × {one.height}"
    return one.file_name, str(one.facts.get("summary", ""))


def _every(project: Project, away: bool) -> Iterator[tuple[str, str, Brought]]:
    for kind, title in (*_TITLES.items(), *((own.name, own.title) for own in files)):
        for one in rows_of(project, kind, every=True).filter(deleted_at__isnull=not away).order_by("id"):
            yield kind, title, one


def listed(project: Project, *, away: bool = False) -> list[Row]:
    """All files of a project, or those that were put away."""
    uses, folder = uses_of(project), AssetFolder(assets_folder())
    found = []
    for kind, kind_title, one in _every(project, away):
        title, note = _about(one)
        path = folder.root / one.sha256[:2] / one.sha256
        size = path.stat().st_size if path.exists() else 0
        key = f"asset:{one.sha256}"
        found.append(Row(kind, kind_title, key, one.sha256, title, note, size, tuple(uses.get(one.sha256, ()))))
    return found
