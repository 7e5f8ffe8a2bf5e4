"""Endpoints of uploaded fonts, pictures and files for elements."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import File, Form, Router, Schema
from ninja.files import UploadedFile

from assets.actions.add_file import add_file
from assets.actions.add_font import add_font
from assets.actions.add_picture import add_picture
from assets.actions.copy_assets import adopt_files
from assets.actions.read_again import read_again
from assets.models import Font, LibraryFile, Picture
from projects.models import Role
from projects.selectors import project_for
from zeitbild.errors import FontError, PictureError
from zeitbild.geometry.font import MAX_FONT_BYTES
from zeitbild.library import files
from zeitbild.pictures import MAX_PICTURE_BYTES
from zeitbild_server.security import signed_in

router = Router(tags=["assets"])
#: Files that are adopted at once.
_MOST_ADOPTED = 500


class FontOut(Schema):
    """A font, or one of its styles, as documents name it."""

    key: str
    title: str
    character: str


def _out(font: Font) -> list[FontOut]:
    """Each of its styles; the first is the file itself."""
    return [
        FontOut(key=f"asset:{font.sha256}" + (f"#{number}" if number else ""), title=title, character=font.file_name)
        for number, title in enumerate(font.styles or [font.title])
    ]


@router.get("/projects/{project_id}/fonts", response=list[FontOut], operation_id="listFonts")
def list_fonts(request: HttpRequest, project_id: int) -> list[FontOut]:
    """Fonts that this project brought along, and their styles."""
    fonts = project_for(signed_in(request), project_id).fonts.order_by("title")
    return [one for font in fonts for one in _out(font)]


@router.post("/projects/{project_id}/fonts", response=FontOut, operation_id="uploadFont")
def upload_font(request: HttpRequest, project_id: int, file: UploadedFile = File(...)) -> FontOut:
    """Take in a TTF, OTF or WOFF file, or a collection of TTF or OTF; what is given is the style that it opens with."""
    project = project_for(signed_in(request), project_id, least=Role.EDITOR)
    if (file.size or 0) > MAX_FONT_BYTES:
        raise FontError(f"{file.name} is too large; fonts go to {MAX_FONT_BYTES // 1_000_000} MB", "font")
    return _out(add_font(project, file.name or "font", file.read()))[0]


class PictureOut(Schema):
    """A picture as documents name it."""

    key: str
    title: str
    width: int
    height: int


def _picture_out(picture: Picture) -> PictureOut:
    return PictureOut(
        key=f"asset:{picture.sha256}", title=picture.file_name, width=picture.width, height=picture.height
    )


@router.get("/projects/{project_id}/pictures", response=list[PictureOut], operation_id="listPictures")
def list_pictures(request: HttpRequest, project_id: int) -> list[PictureOut]:
    """Pictures that this project brought along."""
    return [_picture_out(one) for one in project_for(signed_in(request), project_id).pictures.order_by("file_name")]


def _upload(request: HttpRequest, project_id: int, file: UploadedFile, *, sky: bool) -> PictureOut:
    project = project_for(signed_in(request), project_id, least=Role.EDITOR)
    if (file.size or 0) > MAX_PICTURE_BYTES:
        raise PictureError(f"{file.name} is too large; pictures go to {MAX_PICTURE_BYTES // 1_000_000} MB")
    return _picture_out(add_picture(project, file.name or "picture", file.read(), sky=sky))


@router.post("/projects/{project_id}/pictures", response=PictureOut, operation_id="uploadPicture")
def upload_picture(request: HttpRequest, project_id: int, file: UploadedFile = File(...)) -> PictureOut:
    """Take in a picture for surfaces: PNG, JPEG, TIFF, TGA, BMP, EXR, HDR, WebP or AVIF."""
    return _upload(request, project_id, file, sky=False)


@router.post("/projects/{project_id}/skies", response=PictureOut, operation_id="uploadSky")
def upload_sky(request: HttpRequest, project_id: int, file: UploadedFile = File(...)) -> PictureOut:
    """Take in a picture of all directions, twice as wide as high."""
    return _upload(request, project_id, file, sky=True)


class AdoptIn(Schema):
    """Files as documents name them."""

    keys: list[str]


@router.post("/projects/{project_id}/adopt", response={204: None}, operation_id="adoptFiles")
def adopt(request: HttpRequest, project_id: int, data: AdoptIn) -> tuple[int, None]:
    """Let a project use files of other projects that this person is a member of; others are left alone."""
    user = signed_in(request)
    adopt_files(user, project_for(user, project_id, least=Role.EDITOR), data.keys[:_MOST_ADOPTED])
    return 204, None


class FileOut(Schema):
    """A file as documents name it, and what is known of it (``zeitbild.library``)."""

    key: str
    title: str
    facts: dict[str, Any]


def _file_out(one: LibraryFile) -> FileOut:
    return FileOut(key=f"asset:{one.sha256}", title=one.file_name, facts=one.facts)


@router.get("/projects/{project_id}/files/{kind}", response=list[FileOut], operation_id="listFiles")
def list_files(request: HttpRequest, project_id: int, kind: str) -> list[FileOut]:
    """Files of one kind that this project brought along."""
    project = project_for(signed_in(request), project_id)
    return [_file_out(read_again(one)) for one in project.files.filter(kind=files.get(kind).name).order_by("file_name")]


@router.post("/projects/{project_id}/files/{kind}", response=FileOut, operation_id="uploadFile")
def upload_file(
    request: HttpRequest, project_id: int, kind: str, file: list[UploadedFile] = File(...), place: list[str] = Form([])
) -> FileOut:
    """Take in a file of one kind, or several that make one (the pictures of a sequence, those of a puppet's parts): of those the places
    in the folder that they came in may be told, in their order."""
    project = project_for(signed_in(request), project_id, least=Role.EDITOR)
    return _file_out(add_file(project, files.get(kind), file, place))
