"""Shot endpoints: documents with undo, pictures, examination."""

from __future__ import annotations

import time
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.http import Http404, HttpRequest, HttpResponse
from ninja import Router

from assets.selectors import check_assets, named_assets
from journal.writing import note
from projects.models import Project, Role
from projects.selectors import project_for
from shots import hearing, jobs, moving
from shots.actions.create_shot import create_shot, delete_shot, duplicate_shot, restore_shot
from shots.actions.save_document import redo, save_document, undo
from shots.examine import (
    elements_at,
    estimate,
    examine,
    frame_camera,
    marks_on_picture,
    read_length,
    strokes_of,
    where_elements_lie,
    where_it_goes,
)
from shots.judging import palette, shares
from shots.lanes import LONG, SHORT, compute
from shots.models import Shot
from shots.offers import offers
from shots.rendering import Ghosts, lane_of, sketch
from shots.schemas import (
    BaseIn,
    DocumentIn,
    EstimateIn,
    EstimateOut,
    ExaminedOut,
    FrameIn,
    FramingIn,
    HistogramOut,
    JobOut,
    LengthIn,
    LengthOut,
    LiesOut,
    MarkedOut,
    PaletteIn,
    PickIn,
    PictureIn,
    RetimedOut,
    RetimeIn,
    SaveIn,
    ShotIn,
    ShotOut,
    ShotRow,
    SpeakIn,
    StretchIn,
    StrokeOut,
    StrokesIn,
    TrackOut,
    ValuesIn,
    WaveformOut,
    WayIn,
)
from shots.selectors import redo_target, shot_for, shots_of
from zeitbild.document.reading import write_shot
from zeitbild.proof import Ground, View
from zeitbild.proof.previews import preview
from zeitbild_server.errors import Overtaken
from zeitbild_server.security import BELIEVED_SECONDS, RecentUser, in_database, signed_in

router = Router(tags=["shots"])


def _row(shot: Shot) -> ShotRow:
    document = shot.current_document()
    frames = document.timing.frames
    return ShotRow(
        id=shot.id,
        code=shot.code,
        title=shot.title,
        revision=shot.current_id or 0,
        width=document.raster.width,
        height=document.raster.height,
        rate=document.timing.rate,
        frames=len(frames),
        poster=frames[0],
    )


def _out(shot: Shot, role: Role, *, is_new: bool = False) -> ShotOut:
    """... as somebody in that role sees it; nothing can have been undone on top of a revision that ``is_new``."""
    assert shot.current is not None
    return ShotOut(
        id=shot.id,
        project_id=shot.project_id,
        project_title=shot.project.title,
        role=role,
        revision=shot.current.id,
        can_undo=shot.current.parent_id is not None,
        can_redo=not is_new and redo_target(shot.current) is not None,
        undo_label=shot.current.label,
        document=shot.current_document().model_dump(mode="json"),
    )


def _reach(user: User, shot_id: int, document: dict[str, Any], least: Role = Role.VIEWER) -> Project:
    """Only members look at a shot, and only with files of its project, which is given."""
    project = shot_for(user, shot_id, least=least).project
    check_assets(project, document)
    return project


_reached: dict[tuple[int, int, frozenset[str]], float] = {}


def _project_raster(user: User, shot_id: int, document: dict[str, Any]) -> tuple[int, int] | None:
    """Width and height that a shot's project works at, if it says so; ``_reach`` holds."""
    raster = _reach(user, shot_id, document).defaults.get("raster") or {}
    return (raster["width"], raster["height"]) if {"width", "height"} <= raster.keys() else None


async def _reach_recently(user: User, shot_id: int, document: dict[str, Any]) -> None:
    """The same as ``_reach``, but asked at most every few seconds for one shot and one set of fonts."""
    key, now = (user.id, shot_id, frozenset(named_assets(document).values())), time.monotonic()
    if _reached.get(key, 0.0) > now:
        return
    await in_database(_reach)(user, shot_id, document)
    for old in [old for old, until in _reached.items() if until < now]:
        del _reached[old]
    _reached[key] = now + BELIEVED_SECONDS


@router.get("/offers", response=dict[str, Any], operation_id="getOffers")
def get_offers(request: HttpRequest) -> dict[str, Any]:
    """Schema of documents and lists of everything that can be chosen."""
    return offers()


@router.get("/projects/{project_id}/shots", response=list[ShotRow], operation_id="listShots")
def list_shots(request: HttpRequest, project_id: int, deleted: bool = False) -> list[ShotRow]:
    """Shots of a project by code."""
    user = signed_in(request)
    project_for(user, project_id)
    return [_row(shot) for shot in shots_of(user, deleted=deleted).filter(project_id=project_id).order_by("code")]


@router.post("/projects/{project_id}/shots", response=ShotRow, operation_id="createShot")
def create(request: HttpRequest, project_id: int, data: ShotIn) -> ShotRow:
    """Make a shot under the project's defaults."""
    user = signed_in(request)
    return _row(create_shot(user, project_for(user, project_id, least=Role.EDITOR), code=data.code, title=data.title))


@router.get("/shots/{shot_id}", response=ShotOut, operation_id="getShot")
def get(request: HttpRequest, shot_id: int) -> ShotOut:
    """A shot with its document."""
    shot = shot_for(signed_in(request), shot_id)
    return _out(shot, shot.own_role)


@router.get("/shots/{shot_id}/document", operation_id="exportDocument")
def export(request: HttpRequest, shot_id: int) -> HttpResponse:
    """The document as a file that ``./zeitbild render`` takes."""
    user = signed_in(request)
    shot = shot_for(user, shot_id)
    note("document-downloaded", request, user=user, project=shot.project, about=shot.code)
    return HttpResponse(
        write_shot(shot.current_document()),
        content_type="application/json",
        headers={"Content-Disposition": f'attachment; filename="{shot.code}.json"'},
    )


@router.put("/shots/{shot_id}/document", response=ShotOut, operation_id="saveDocument")
def save(request: HttpRequest, shot_id: int, data: SaveIn) -> ShotOut:
    """Save on top of the revision that the change started from."""
    user = signed_in(request)
    shot = shot_for(user, shot_id, least=Role.EDITOR)
    saved = save_document(user, shot, base=data.base, document=data.document, label=data.label)
    return _out(saved, shot.own_role, is_new=True)


@router.post("/shots/{shot_id}/undo", response=ShotOut, operation_id="undo")
def undo_(request: HttpRequest, shot_id: int, data: BaseIn) -> ShotOut:
    """Go back one revision from the one that is looked at."""
    shot = shot_for(signed_in(request), shot_id, least=Role.EDITOR)
    return _out(undo(shot, data.base), shot.own_role)


@router.post("/shots/{shot_id}/redo", response=ShotOut, operation_id="redo")
def redo_(request: HttpRequest, shot_id: int, data: BaseIn) -> ShotOut:
    """Go forward one revision from the one that is looked at."""
    shot = shot_for(signed_in(request), shot_id, least=Role.EDITOR)
    return _out(redo(shot, data.base), shot.own_role)


@router.delete("/shots/{shot_id}", response={204: None}, operation_id="deleteShot")
def delete(request: HttpRequest, shot_id: int) -> tuple[int, None]:
    """Put a shot away."""
    user = signed_in(request)
    shot = shot_for(user, shot_id, least=Role.EDITOR)
    delete_shot(shot)
    note("shot-deleted", request, user=user, project=shot.project, about=shot.code)
    return 204, None


@router.post("/shots/{shot_id}/restore", response=ShotRow, operation_id="restoreShot")
def restore(request: HttpRequest, shot_id: int) -> ShotRow:
    """Bring a deleted shot back."""
    user = signed_in(request)
    shot = shot_for(user, shot_id, deleted=True, least=Role.EDITOR)
    restore_shot(shot)
    note("shot-restored", request, user=user, project=shot.project, about=shot.code)
    return _row(shot)


@router.post("/shots/{shot_id}/duplicate", response=ShotRow, operation_id="duplicateShot")
def duplicate(request: HttpRequest, shot_id: int) -> ShotRow:
    """Copy a shot."""
    user = signed_in(request)
    return _row(duplicate_shot(user, shot_for(user, shot_id, least=Role.EDITOR)))


@router.post("/shots/{shot_id}/picture", auth=RecentUser(), operation_id="renderPicture")
async def picture(request: HttpRequest, shot_id: int, data: PictureIn) -> HttpResponse:
    """A picture of an unsaved document, as image/jpeg or image/png; none (204) if a newer one was asked for in the same line before it was
    begun."""
    await _reach_recently(signed_in(request), shot_id, data.document)
    view = View(Ground(data.ground.kind, data.ground.colour, data.ground.colour_to), data.what, data.blend)
    try:
        made = await compute(
            lane_of(data.quality, data.width, data.height),
            signed_in(request).id,
            sketch,
            data.document,
            data.frame,
            data.width,
            data.height,
            data.quality,
            view,
            data.kind,
            data.layer,
            None if data.ghosts is None else Ghosts(**data.ghosts.dict()),
            data.blurred,
            data.rays,
            line=data.line,
        )
    except Overtaken:
        if not data.line:
            raise
        # As it was asked for: no failure, and nothing for the log.
        return HttpResponse(status=204)
    return HttpResponse(
        made.data,
        content_type=made.content_type,
        headers={"Cache-Control": "no-store", "Server-Timing": f"picture;dur={made.milliseconds:.1f}"},
    )


@router.get("/shots/{shot_id}/poster/{revision}", operation_id="getPoster")
async def poster(request: HttpRequest, shot_id: int, revision: int, width: int = 320) -> HttpResponse:
    """A small picture of a saved revision; it never changes."""
    shot = await in_database(shot_for)(signed_in(request), shot_id)
    saved = await in_database(lambda: shot.revisions.filter(id=revision).first())()
    if saved is None:
        raise Http404
    raster, timing = saved.document["raster"], saved.document["timing"]
    width = max(16, min(width, 640))
    height = max(9, round(width * raster["height"] / raster["width"]))
    made = await compute(
        LONG,
        signed_in(request).id,
        sketch,
        saved.document,
        timing["first"],
        width,
        height,
        "check",
        View(Ground("grey")),
        "jpeg",
    )
    return HttpResponse(
        made.data, content_type=made.content_type, headers={"Cache-Control": "private, max-age=31536000"}
    )


@router.get("/shots/{shot_id}/jobs/{job}", response={200: Any, 202: JobOut}, operation_id="lookForJob")
async def look_for_job(request: HttpRequest, shot_id: int, job: str) -> tuple[int, Any]:
    """What a job gave that was begun before, or that it is still under way."""
    await in_database(shot_for)(signed_in(request), shot_id)
    found = await jobs.look(shot_id, job)
    if found is None:
        raise Http404
    return jobs.answer(found)


@router.delete("/shots/{shot_id}/jobs/{job}", response={204: None}, operation_id="giveUpJob")
def give_up_job(request: HttpRequest, shot_id: int, job: str) -> tuple[int, None]:
    """Nobody waits for a job any more."""
    shot_for(signed_in(request), shot_id)
    jobs.give_up(shot_id, job)
    return 204, None


@router.post("/shots/{shot_id}/examine", response={200: ExaminedOut, 202: JobOut}, operation_id="examine")
async def examine_(request: HttpRequest, shot_id: int, data: DocumentIn) -> tuple[int, Any]:
    """File names, length and findings of an unsaved document; a job, since some findings come from small pictures."""
    user = signed_in(request)
    raster = await in_database(_project_raster)(user, shot_id, data.document)
    return jobs.answer(await jobs.begin(shot_id, user.id, examine, data.document, data.version, data.recipe, raster))


@router.post("/shots/{shot_id}/framing", response=dict[str, Any], operation_id="frameCamera")
def framing(request: HttpRequest, shot_id: int, data: FramingIn) -> dict[str, Any]:
    """The camera of an unsaved document, moved so that elements fill the picture."""
    _reach(signed_in(request), shot_id, data.document)
    return frame_camera(data.document, data.frame, tuple(data.elements))


@router.post("/shots/{shot_id}/lies", response=list[LiesOut], operation_id="whereElementsLie")
async def lies(request: HttpRequest, shot_id: int, data: FrameIn) -> list[dict[str, Any]]:
    """Where the elements of an unsaved document lie on the picture, and how a drag moves them."""
    await _reach_recently(signed_in(request), shot_id, data.document)
    return await compute(SHORT, signed_in(request).id, where_elements_lie, data.document, data.frame)


@router.post("/shots/{shot_id}/values", response=list[TrackOut], operation_id="movingValues")
async def moving_values(request: HttpRequest, shot_id: int, data: ValuesIn) -> list[dict[str, Any]]:
    """Values of an unsaved document that move, at frames."""
    await _reach_recently(signed_in(request), shot_id, data.document)
    return await compute(SHORT, signed_in(request).id, moving.values, data.document, data.frames, data.tracks)


@router.post("/shots/{shot_id}/retime", response=RetimedOut, operation_id="retime")
async def retime(request: HttpRequest, shot_id: int, data: RetimeIn) -> dict[str, Any]:
    """What changes in an unsaved document when something is done to its time; nothing is saved."""
    await _reach_recently(signed_in(request), shot_id, data.document)
    return await compute(SHORT, signed_in(request).id, moving.retime, data)


@router.post("/shots/{shot_id}/speak", response=RetimedOut, operation_id="speak")
async def speak(request: HttpRequest, shot_id: int, data: SpeakIn) -> dict[str, Any]:
    """Keys that make something of an unsaved document speak with one of its sounds; nothing is saved."""
    await _reach_recently(signed_in(request), shot_id, data.document)
    return await compute(LONG, signed_in(request).id, moving.speak, data)


@router.post("/shots/{shot_id}/strokes", response=list[StrokeOut], operation_id="foundStrokes")
async def strokes(request: HttpRequest, shot_id: int, data: StrokesIn) -> list[dict[str, Any]]:
    """The strokes that a penwork of an unsaved document has, in the order in which they were found."""
    await _reach_recently(signed_in(request), shot_id, data.document)
    return await compute(SHORT, signed_in(request).id, strokes_of, data.document, data.element, data.frame)


@router.post("/shots/{shot_id}/marks", response=list[MarkedOut], operation_id="marksOfElement")
async def marks(request: HttpRequest, shot_id: int, data: StrokesIn) -> list[dict[str, Any]]:
    """What hands on the picture take hold of in an element of an unsaved document: parts of a puppet, strokes."""
    await _reach_recently(signed_in(request), shot_id, data.document)
    return await compute(SHORT, signed_in(request).id, marks_on_picture, data.document, data.element, data.frame)


@router.post("/shots/{shot_id}/waveforms", response=list[WaveformOut], operation_id="waveforms")
async def waveforms(request: HttpRequest, shot_id: int, data: StretchIn) -> list[dict[str, Any]]:
    """How loud the sounds of an unsaved document are."""
    await _reach_recently(signed_in(request), shot_id, data.document)
    return await compute(LONG, signed_in(request).id, hearing.waveforms, data.document, data.first, data.count)


@router.post("/shots/{shot_id}/sound", operation_id="listen")
async def listen(request: HttpRequest, shot_id: int, data: StretchIn) -> HttpResponse:
    """What is heard of an unsaved document at some frames, as audio/wav."""
    await _reach_recently(signed_in(request), shot_id, data.document)
    last = data.first + data.count - 1
    made = await compute(LONG, signed_in(request).id, hearing.listen, data.document, data.first, last)
    return HttpResponse(made, content_type="audio/wav", headers={"Cache-Control": "no-store"})


@router.post("/shots/{shot_id}/way", response=list[tuple[float, float] | None], operation_id="wayOfElement")
async def way(request: HttpRequest, shot_id: int, data: WayIn) -> list[tuple[float, float] | None]:
    """Where an element's pivot is seen at frames of an unsaved document, in pixels of the raster."""
    await _reach_recently(signed_in(request), shot_id, data.document)
    return await compute(SHORT, signed_in(request).id, where_it_goes, data.document, data.element, data.frames)


@router.post("/shots/{shot_id}/pick", response=list[str], operation_id="elementsAt")
async def pick(request: HttpRequest, shot_id: int, data: PickIn) -> list[str]:
    """The elements of an unsaved document that are seen at a place, the nearest first."""
    await _reach_recently(signed_in(request), shot_id, data.document)
    return await compute(SHORT, signed_in(request).id, elements_at, data.document, data.frame, data.x, data.y)


@router.post("/shots/{shot_id}/histogram", response=HistogramOut, operation_id="histogram")
async def histogram_(request: HttpRequest, shot_id: int, data: FrameIn) -> dict[str, Any]:
    """How light is spread over what is solid in an unsaved document's picture."""
    await in_database(_reach)(signed_in(request), shot_id, data.document)
    return await compute(LONG, signed_in(request).id, shares, data.document, data.frame)


@router.post("/shots/{shot_id}/palette", response=list[str], operation_id="findPalette")
async def palette_(request: HttpRequest, shot_id: int, data: PaletteIn) -> list[str]:
    """Colours that stand for an unsaved document's picture, dark to light."""
    await in_database(_reach)(signed_in(request), shot_id, data.document)
    return await compute(LONG, signed_in(request).id, palette, data.document, data.frame, data.count)


@router.post("/shots/{shot_id}/estimate", response={200: EstimateOut, 202: JobOut}, operation_id="estimate")
async def estimate_(request: HttpRequest, shot_id: int, data: EstimateIn) -> tuple[int, Any]:
    """Expected time and size of a run, measured on one of its frames, which is kept; a job."""
    user = signed_in(request)
    await in_database(_reach)(user, shot_id, data.document, Role.EDITOR)
    processes, layers = settings.WORKER_PROCESSES, tuple(data.layers)
    job = await jobs.begin(shot_id, user.id, estimate, data.document, data.quality, data.frame_set, processes, layers)
    return jobs.answer(job)


@router.get("/previews", operation_id="getPreview")
async def preview_(request: HttpRequest, kind: str, name: str, renderer: int = 0) -> HttpResponse:
    """A small picture of something ready-made (finish, lights, surroundings). Its address changes with the renderer."""
    data = await compute(LONG, signed_in(request).id, preview, kind, name)
    return HttpResponse(data, content_type="image/png", headers={"Cache-Control": "private, max-age=31536000"})


@router.post("/length", response=LengthOut, operation_id="readLength")
def length(request: HttpRequest, data: LengthIn) -> dict[str, Any]:
    """A typed length (frames, seconds, timecode, a calculation) three ways."""
    return read_length(data.text, data.rate)
