"""Endpoints of what a project brought along."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Router, Schema
from ninja.files import UploadedFile

from assets.models import Kept
from brought.actions import bring_back, put_away, replace_file
from brought.keeping import keep, let_go, shot_with, take_back
from brought.selectors import listed, one_of
from projects.models import Role
from projects.selectors import project_for
from shots.lanes import LONG, compute
from zeitbild.assets import AssetFolder
from zeitbild.paths import assets_folder
from zeitbild.proof.posters import poster, poster_of_kept
from zeitbild_server.security import in_database, signed_in

router = Router(tags=["library"])


class UseOut(Schema):
    """A shot that names a file, and the elements that do."""

    shot: int
    code: str
    title: str
    elements: list[str]


class BroughtOut(Schema):
    """A file of a project (see ``brought.selectors.Row``)."""

    kind: str
    kind_title: str
    key: str
    sha256: str
    title: str
    note: str
    bytes: int
    uses: list[UseOut]


class ReplacedOut(Schema):
    """What documents call the new file, and the codes of the shots that have it now."""

    key: str
    shots: list[str]


@router.get("/projects/{project_id}/library", response=list[BroughtOut], operation_id="listLibrary")
def list_library(request: HttpRequest, project_id: int, deleted: bool = False) -> list[dict[str, Any]]:
    """Everything that a project brought along, and where it is used, or what was put away."""
    return [asdict(row) for row in listed(project_for(signed_in(request), project_id), away=deleted)]


@router.delete("/projects/{project_id}/library/{kind}/{sha256}", response={204: None}, operation_id="putAway")
def put_away_(request: HttpRequest, project_id: int, kind: str, sha256: str) -> tuple[int, None]:
    """Take a file that is used nowhere out of the lists."""
    put_away(project_for(signed_in(request), project_id, least=Role.EDITOR), kind, sha256)
    return 204, None


@router.post("/projects/{project_id}/library/{kind}/{sha256}/back", response={204: None}, operation_id="bringBack")
def bring_back_(request: HttpRequest, project_id: int, kind: str, sha256: str) -> tuple[int, None]:
    """Bring back a file that was put away."""
    bring_back(project_for(signed_in(request), project_id, least=Role.EDITOR), kind, sha256)
    return 204, None


@router.post("/projects/{project_id}/replace/{sha256}/{kind}", response=ReplacedOut, operation_id="replaceFile")
def replace_(
    request: HttpRequest, project_id: int, sha256: str, kind: str, file: list[UploadedFile] = File(...)
) -> ReplacedOut:
    """Take in a file in the place of another, wherever that is used."""
    user = signed_in(request)
    other, shots = replace_file(user, project_for(user, project_id, least=Role.EDITOR), kind, sha256, file)
    return ReplacedOut(key=f"asset:{other.sha256}", shots=shots)


class ReadyIn(Schema):
    """Something to keep: what it is (finish, lights, camera, element, forms), its name, and itself as documents have it."""

    kind: str
    name: str
    content: Any


class ReadyOut(Schema):
    """Something that a project keeps."""

    id: int
    kind: str
    name: str
    content: Any


def _kept_out(one: Kept) -> ReadyOut:
    return ReadyOut(id=one.id, kind=one.kind, name=one.name, content=one.content)


@router.get("/projects/{project_id}/kept", response=list[ReadyOut], operation_id="listKept")
def list_kept(request: HttpRequest, project_id: int, deleted: bool = False) -> list[ReadyOut]:
    """What a project keeps under a name, or what was put away."""
    project = project_for(signed_in(request), project_id)
    kept = Kept.every.filter(project=project, deleted_at__isnull=not deleted)
    return [_kept_out(one) for one in kept.order_by("kind", "name", "id")]


@router.post("/projects/{project_id}/kept", response=ReadyOut, operation_id="keep")
def keep_(request: HttpRequest, project_id: int, data: ReadyIn) -> ReadyOut:
    """Keep something under a name, in place of what had it."""
    project = project_for(signed_in(request), project_id, least=Role.EDITOR)
    return _kept_out(keep(project, data.kind, data.name, data.content))


def _kept_of(request: HttpRequest, project_id: int, kept: int, least: Role) -> Kept:
    return get_object_or_404(Kept.every, project=project_for(signed_in(request), project_id, least=least), id=kept)


@router.delete("/projects/{project_id}/kept/{kept}", response={204: None}, operation_id="letGo")
def let_go_(request: HttpRequest, project_id: int, kept: int) -> tuple[int, None]:
    """Take something out of the list."""
    let_go(_kept_of(request, project_id, kept, Role.EDITOR))
    return 204, None


@router.post("/projects/{project_id}/kept/{kept}/back", response={204: None}, operation_id="takeBack")
def take_back_(request: HttpRequest, project_id: int, kept: int) -> tuple[int, None]:
    """Bring it back."""
    take_back(_kept_of(request, project_id, kept, Role.EDITOR))
    return 204, None


@router.get("/projects/{project_id}/kept/{kept}/poster", operation_id="getKeptPoster")
async def kept_poster(request: HttpRequest, project_id: int, kept: int, at: int = 0) -> HttpResponse:
    """A small rendered picture of it."""
    own = await in_database(_kept_of)(request, project_id, kept, Role.VIEWER)
    if own.kind == Kept.Kind.FORMS:
        raise Http404
    shot = shot_with(own.kind, own.content)
    assets = AssetFolder(assets_folder())
    data = await compute(LONG, signed_in(request).id, poster_of_kept, own.kind, shot, assets)
    return HttpResponse(data, content_type="image/png", headers={"Cache-Control": "private, max-age=60"})


@router.get("/projects/{project_id}/library/{kind}/{sha256}/poster", operation_id="getFilePoster")
async def poster_(request: HttpRequest, project_id: int, kind: str, sha256: str, renderer: int = 0) -> HttpResponse:
    """A small rendered picture of a file. Its address changes with the renderer."""
    project = await in_database(project_for)(signed_in(request), project_id)
    await in_database(one_of)(project, kind, sha256)
    assets = AssetFolder(assets_folder())
    data = await compute(LONG, signed_in(request).id, poster, kind, f"asset:{sha256}", assets)
    return HttpResponse(data, content_type="image/png", headers={"Cache-Control": "private, max-age=31536000"})
