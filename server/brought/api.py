"""Endpoints of what a project brought along."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import File, Router, Schema
from ninja.files import UploadedFile

from brought.actions import bring_back, put_away, replace_file
from brought.selectors import listed, one_of
from projects.models import Role
from projects.selectors import project_for
from shots.lanes import LONG, compute
from zeitbild.assets import AssetFolder
from zeitbild.paths import assets_folder
from zeitbild.proof.posters import poster
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
def list_library(request: HttpRequest, project_id: int) -> list[dict[str, Any]]:
    """Everything that a project brought along, and where it is used."""
    return [asdict(row) for row in listed(project_for(signed_in(request), project_id))]


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


@router.get("/projects/{project_id}/library/{kind}/{sha256}/poster", operation_id="getFilePoster")
async def poster_(request: HttpRequest, project_id: int, kind: str, sha256: str, renderer: int = 0) -> HttpResponse:
    """A small rendered picture of a file. Its address changes with the renderer."""
    project = await in_database(project_for)(signed_in(request), project_id)
    await in_database(one_of)(project, kind, sha256)
    assets = AssetFolder(assets_folder())
    data = await compute(LONG, signed_in(request).id, poster, kind, f"asset:{sha256}", assets)
    return HttpResponse(data, content_type="image/png", headers={"Cache-Control": "private, max-age=31536000"})
