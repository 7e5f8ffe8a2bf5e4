"""Hand-off endpoints."""

from __future__ import annotations

import json
from dataclasses import asdict
from datetime import datetime
from typing import Any

from django.http import Http404, HttpRequest, StreamingHttpResponse
from django.http.response import HttpResponseBase
from ninja import Router, Schema
from pydantic import Field

from handoffs.actions.aim import MEGABYTE, aim, candidates
from handoffs.actions.compare import compared
from handoffs.actions.links import MOST_DAYS, end_link, holding, make_link, token_of
from handoffs.actions.start_handoff import retry_handoff, start_handoff
from handoffs.actions.try_forms import prepare, try_forms
from handoffs.models import MOST_FORMS, Form, HandOff, Link
from handoffs.selectors import (
    SHOWN,
    dropped_frames,
    handoff_for,
    handoffs_of,
    left_of,
    package_path,
    shown_file,
    version_folder,
)
from journal.writing import note
from projects.models import Role
from projects.selectors import role_of
from runs.events import open_line
from runs.selectors import run_for
from shots import jobs
from shots.schemas import JobOut
from shots.selectors import shot_for
from workers import steering
from zeitbild.errors import InputError
from zeitbild.handoff import recipes
from zeitbild.timing import parse_frames
from zeitbild_server.downloads import file_answer
from zeitbild_server.security import in_database, signed_in

router = Router(tags=["handoffs"])


class FormIn(Schema):
    """A form to hand off in: what was chosen of the recipe's files, and which passes (none: all of the layers')."""

    recipe: str
    options: dict[str, str] = {}
    passes: list[str] = []


class HandOffIn(Schema):
    """How to hand off: in which forms, which layers (none: all of the run's), and which frames (empty: all of the run's)."""

    forms: list[FormIn]
    layers: list[str] = []
    frame_set: str = ""


class TrialOut(Schema):
    """What a form would be like; see ``Trial``."""

    bytes: int
    frames: int
    worst: float
    mean: float | None
    alpha: float | None
    unit: str
    error: str
    closeup: str


class AimIn(Schema):
    """A form that is to fit into so many megabytes (of a million bytes), by its quality, width or rate; of which layers and frames."""

    form: FormIn
    layers: list[str] = []
    frame_set: str = ""
    megabytes: float = Field(gt=0, le=1_000_000)
    by: str = Field(max_length=20)


class AimedOut(Schema):
    """The options of a form that is as fine as it may be, the bytes that it will have, and whether that is what was aimed for."""

    options: dict[str, str]
    bytes: int
    fits: bool
    tries: int


class FormOut(FormIn):
    """A form of a hand-off: the folder in its package, what of it is written (frames by layer; share: how much of it, 0..1), frames that are
    dropped for its rate, and what reading back found."""

    title: str
    folder: str
    written: dict[str, list[int]]
    dropped: list[int]
    share: float
    files: int
    bytes: int
    worst: float
    unit: str
    shown: list[str]


class HandOffOut(Schema):
    """A hand-off. share is how much of it is written and read back, left the seconds that the rest takes, if that can be told."""

    id: int
    shot_id: int
    run_id: int
    run_state: str
    version: int
    forms: list[FormOut]
    layers: list[str]
    frame_set: str
    state: str
    stopping: bool
    error: str
    total: int
    share: float
    left: float | None
    files: int
    bytes: int
    made_at: datetime
    package_name: str


def _form(handoff: HandOff, form: Form, cells: int) -> dict[str, Any]:
    known = {one.name: one for one in recipes}.get(form.recipe)
    unit = "" if known is None else known.format.unit
    return {
        **asdict(form),
        "title": form.recipe if known is None else known.title,
        "written": {layer: list(parse_frames(text)) for layer, text in form.written.items() if text},
        "dropped": [] if known is None else dropped_frames(handoff, form),
        "unit": unit,
        "share": (form.count + form.begun) / max(cells, 1),
    }


def _out(handoff: HandOff) -> dict[str, Any]:
    cells, share = handoff.cells, handoff.share
    return {
        "id": handoff.id,
        "shot_id": handoff.shot_id,
        "run_id": handoff.run_id,
        "run_state": handoff.run.state,
        "version": handoff.version,
        "forms": [_form(handoff, one, cells) for one in handoff.parts],
        "layers": handoff.layers or handoff.run.layers,
        "frame_set": handoff.frame_set,
        "state": handoff.state,
        "stopping": handoff.stop_asked and handoff.state == HandOff.State.WRITING,
        "error": handoff.error,
        "total": cells,
        "share": share,
        "left": left_of(handoff, share),
        "files": handoff.files,
        "bytes": handoff.bytes,
        "made_at": handoff.made_at,
        "package_name": handoff.package_name,
    }


@router.get("/shots/{shot_id}/handoffs", response=list[HandOffOut], operation_id="listHandOffs")
def list_handoffs(request: HttpRequest, shot_id: int) -> list[dict[str, Any]]:
    """Hand-offs of a shot, newest first."""
    user = signed_in(request)
    shot_for(user, shot_id)
    return [_out(handoff) for handoff in handoffs_of(user).filter(shot_id=shot_id)]


@router.post("/runs/{run_id}/handoffs", response=HandOffOut, operation_id="startHandOff")
def start(request: HttpRequest, run_id: int, data: HandOffIn) -> dict[str, Any]:
    """Line up the next version."""
    user = signed_in(request)
    handoff = start_handoff(
        user,
        run_for(user, run_id, least=Role.EDITOR),
        [Form(one.recipe, one.options, one.passes) for one in data.forms],
        layers=data.layers,
        frame_set=data.frame_set,
    )
    note("handoff-started", request, user=user, project=handoff.shot.project, about=handoff.package_name)
    return _out(handoff)


@router.post("/runs/{run_id}/trial", response={200: list[TrialOut], 202: JobOut}, operation_id="tryForms")
async def trial(request: HttpRequest, run_id: int, data: HandOffIn) -> tuple[int, Any]:
    """What forms would be like: their size, and what they lose, measured on a few frames; a job of the run's shot."""
    user = signed_in(request)
    run = await in_database(run_for)(user, run_id, least=Role.EDITOR)
    forms = [Form(one.recipe, one.options, one.passes) for one in data.forms[:MOST_FORMS]]
    prepared = await in_database(prepare)(run, forms, data.layers, data.frame_set)
    return jobs.answer(await jobs.begin(run.shot_id, user.id, try_forms, prepared))


@router.post("/runs/{run_id}/aim", response={200: AimedOut, 202: JobOut}, operation_id="aimForSize")
async def aim_for_size(request: HttpRequest, run_id: int, data: AimIn) -> tuple[int, Any]:
    """What of a form has to be chosen for it to fit into a size; a job of the run's shot."""
    user = signed_in(request)
    run = await in_database(run_for)(user, run_id, least=Role.EDITOR)
    form = Form(data.form.recipe, data.form.options, data.form.passes)
    found = await in_database(candidates)(run, form, data.layers, data.frame_set, data.by)
    return jobs.answer(await jobs.begin(run.shot_id, user.id, aim, found, round(data.megabytes * MEGABYTE)))


@router.post("/handoffs/{handoff_id}/retry", response=HandOffOut, operation_id="retryHandOff")
def retry(request: HttpRequest, handoff_id: int) -> dict[str, Any]:
    """Try a failed hand-off again."""
    handoff = handoff_for(signed_in(request), handoff_id, least=Role.EDITOR)
    retry_handoff(handoff)
    return _out(handoff)


@router.post("/handoffs/{handoff_id}/stop", response=HandOffOut, operation_id="stopHandOff")
def stop(request: HttpRequest, handoff_id: int) -> dict[str, Any]:
    """Finish the files of one frame that are under way, and stop."""
    handoff = handoff_for(signed_in(request), handoff_id, least=Role.EDITOR)
    steering.stop(handoff)
    return _out(handoff)


@router.post("/handoffs/{handoff_id}/continue", response=HandOffOut, operation_id="continueHandOff")
def go_on(request: HttpRequest, handoff_id: int) -> dict[str, Any]:
    """Go on where it stopped."""
    handoff = handoff_for(signed_in(request), handoff_id, least=Role.EDITOR)
    steering.go_on(handoff)
    return _out(handoff)


@router.get("/handoffs/{handoff_id}/manifest", response=dict[str, Any], operation_id="getManifest")
def manifest(request: HttpRequest, handoff_id: int) -> dict[str, Any]:
    """The manifest of a finished hand-off."""
    handoff = handoff_for(signed_in(request), handoff_id)
    path = version_folder(handoff) / "manifest.json"
    if handoff.state != HandOff.State.DONE or not path.exists():
        raise Http404
    read: dict[str, Any] = json.loads(path.read_text(encoding="utf-8"))
    return read


class FormsOut(Schema):
    """A form in two versions; see ``compare.Forms``."""

    title: str
    state: str
    options: list[tuple[str, str, str]]
    same: int
    others: int
    new: int
    gone: int


class LayersOut(Schema):
    """Frames of a layer in two versions, as frame sets."""

    layer: str
    same: str
    others: str
    new: str
    gone: str


class ValueOut(Schema):
    """A value of the shot's document that is another."""

    path: str
    before: str
    after: str


class ComparedOut(Schema):
    """What is otherwise in a later version, and the runs of both."""

    forms: list[FormsOut]
    layers: list[LayersOut]
    values: list[ValueOut]
    more: bool
    runs: tuple[int, int]


@router.get("/handoffs/{handoff_id}/beside/{other_id}", response=ComparedOut, operation_id="compareHandOffs")
def beside(request: HttpRequest, handoff_id: int, other_id: int) -> dict[str, Any]:
    """What is otherwise in a hand-off than in an earlier one of the same shot."""
    user = signed_in(request)
    after, before = handoff_for(user, handoff_id), handoff_for(user, other_id)
    if before.shot_id != after.shot_id:
        raise InputError("two versions of one shot are compared")
    return compared(before, after)


class LinkIn(Schema):
    """For how many days a link is to hold."""

    days: int = Field(ge=1, le=MOST_DAYS)


class LinkOut(Schema):
    """A link that leads to a hand-off now: its address below that of this server."""

    id: int
    path: str
    made_at: datetime
    expires_at: datetime
    visits: int
    last_at: datetime | None


def _link_out(link: Link) -> dict[str, Any]:
    own = {name: getattr(link, name) for name in ("id", "made_at", "expires_at", "visits", "last_at")}
    return {**own, "path": f"/shared/{token_of(link)}/"}


@router.get("/handoffs/{handoff_id}/links", response=list[LinkOut], operation_id="listLinks")
def list_links(request: HttpRequest, handoff_id: int) -> list[dict[str, Any]]:
    """Links by which anybody may look at a hand-off now, newest first; only for who may make some."""
    user = signed_in(request)
    handoff = handoff_for(user, handoff_id)
    role = role_of(user, handoff.shot.project)
    if role is None or role.rank < Role.EDITOR.rank:
        return []
    return [_link_out(link) for link in holding(handoff)]


@router.post("/handoffs/{handoff_id}/links", response=LinkOut, operation_id="makeLink")
def add_link(request: HttpRequest, handoff_id: int, data: LinkIn) -> dict[str, Any]:
    """Let anybody who has an address look at a finished hand-off and download it, for some days."""
    user = signed_in(request)
    handoff = handoff_for(user, handoff_id, least=Role.EDITOR)
    link = make_link(user, handoff, data.days)
    note("link-made", request, user=user, project=handoff.shot.project, about=handoff.package_name)
    return _link_out(link)


@router.delete("/handoffs/{handoff_id}/links/{link_id}", response={204: None}, operation_id="endLink")
def remove_link(request: HttpRequest, handoff_id: int, link_id: int) -> tuple[int, None]:
    """Let a link lead nowhere from now on."""
    user = signed_in(request)
    handoff = handoff_for(user, handoff_id, least=Role.EDITOR)
    end_link(handoff, link_id)
    note("link-ended", request, user=user, project=handoff.shot.project, about=handoff.package_name)
    return 204, None


@router.get("/handoffs/{handoff_id}/events", operation_id="watchHandOff")
async def watch(request: HttpRequest, handoff_id: int) -> StreamingHttpResponse:
    """Server-sent events: the hand-off as its files are written."""
    user = signed_in(request)
    await in_database(handoff_for)(user, handoff_id)

    def look(since: Any) -> tuple[dict[str, Any] | None, Any, bool]:
        handoff = HandOff.objects.select_related("shot", "run").get(id=handoff_id)
        now = _out(handoff)
        now["made_at"] = now["made_at"].isoformat()
        ended = handoff.state in (HandOff.State.DONE, HandOff.State.FAILED, HandOff.State.STOPPED)
        return (None if now == since else now), now, ended

    return open_line(user, look)


@router.get("/handoffs/{handoff_id}/forms/{form}/shown/{at}", operation_id="getShown")
async def shown(request: HttpRequest, handoff_id: int, form: int, at: int) -> HttpResponseBase:
    """A file of a finished hand-off that a browser shows or plays, or a range of it."""
    handoff = await in_database(handoff_for)(signed_in(request), handoff_id)
    path = shown_file(handoff, form, at)
    return file_answer(request, path, path.name, SHOWN[path.suffix], inline=True)[0]


@router.get("/handoffs/{handoff_id}/package", operation_id="getPackage")
async def package(request: HttpRequest, handoff_id: int) -> HttpResponseBase:
    """The ZIP of a finished hand-off, or a range of it."""
    user = signed_in(request)
    handoff = await in_database(handoff_for)(user, handoff_id)
    path = package_path(handoff)
    if handoff.state != HandOff.State.DONE or not path.exists():
        raise Http404
    answer, first = file_answer(request, path, handoff.package_name, "application/zip")
    if first == 0:
        await in_database(note)(
            "package-downloaded", request, user=user, project=handoff.shot.project, about=handoff.package_name
        )
    return answer
