"""Two versions of a shot's hand-offs beside one another: what was chosen otherwise, which frames are others, which files are the same."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass, field
from pathlib import PurePosixPath
from typing import Any

from handoffs.models import Form, HandOff
from handoffs.selectors import version_folder
from runs.models import Cell, Run
from zeitbild.handoff import recipes
from zeitbild.timing import write_frames

#: Values of the document that are told one by one.
_MOST_TOLD = 40
_NOTHING = object()


@dataclass(slots=True)
class Forms:
    """A form in one version or both: how it stands, what of it was chosen otherwise, and how many of its files are the same, are others,
    are new, are gone."""

    title: str
    state: str
    options: list[tuple[str, str, str]] = field(default_factory=list)
    same: int = 0
    others: int = 0
    new: int = 0
    gone: int = 0


@dataclass(slots=True)
class Layers:
    """Frames of a layer that are the same in both, are others, or are in one alone, as frame sets."""

    layer: str
    same: str = ""
    others: str = ""
    new: str = ""
    gone: str = ""


def _files(handoff: HandOff, form: Form) -> dict[str, str]:
    """Checksums of a form's files by their names without the version."""
    path = version_folder(handoff) / form.folder / "manifest.json"
    if not path.is_file():
        return {}
    files = json.loads(path.read_text(encoding="utf-8")).get("files", [])
    version = f"v{handoff.version:03}"
    return {PurePosixPath(one["path"]).as_posix().replace(version, "v"): one["sha256"] for one in files}


def _titled(recipe: str) -> tuple[str, dict[str, str]]:
    known = {one.name: one for one in recipes}.get(recipe)
    return (recipe, {}) if known is None else (known.title, {one.name: one.title for one in known.options})


def _forms(before: HandOff, after: HandOff) -> list[Forms]:
    left = list(before.parts)
    found = []
    for form in after.parts:
        title, titles = _titled(form.recipe)
        old = next((one for one in left if one.recipe == form.recipe), None)
        if old is None:
            found.append(Forms(title, "new", new=form.files))
            continue
        left.remove(old)
        names = sorted({*old.options, *form.options})
        options = [
            (titles.get(name, name), old.options.get(name, ""), form.options.get(name, ""))
            for name in names
            if old.options.get(name, "") != form.options.get(name, "")
        ]
        one, other = _files(before, old), _files(after, form)
        both = one.keys() & other.keys()
        same = sum(one[name] == other[name] for name in both)
        own = Forms(title, "same", options, same, len(both) - same, len(other) - len(both), len(one) - len(both))
        if options or own.others or own.new or own.gone:
            own.state = "changed"
        found.append(own)
    return found + [Forms(_titled(one.recipe)[0], "gone", gone=one.files) for one in left]


def _layers(before: HandOff, after: HandOff) -> list[Layers]:
    """By the keys of what was rendered: equal keys are equal pictures."""
    done = (Cell.State.DONE, Cell.State.REUSED, Cell.State.CLEANED)

    def keys(handoff: HandOff) -> dict[str, dict[int, str]]:
        names, frames = set(handoff.layers or handoff.run.layers), set(handoff.frames)
        rows = handoff.run.cells.filter(state__in=done).values_list("layer", "frame", "key")
        found: dict[str, dict[int, str]] = {}
        for layer, frame, key in rows:
            if layer in names and frame in frames:
                found.setdefault(layer, {})[frame] = key
        return found

    one, other = keys(before), keys(after)
    found = []
    for layer in dict.fromkeys([*after.run.layers, *before.run.layers]):
        if layer not in one and layer not in other:
            continue
        old, new = one.get(layer, {}), other.get(layer, {})
        both = sorted(old.keys() & new.keys())
        found.append(
            Layers(
                layer,
                write_frames([frame for frame in both if old[frame] == new[frame]]),
                write_frames([frame for frame in both if old[frame] != new[frame]]),
                write_frames(sorted(new.keys() - old.keys())),
                write_frames(sorted(old.keys() - new.keys())),
            )
        )
    return found


def _changed(before: Any, after: Any, path: str, found: list[dict[str, Any]]) -> None:
    if before == after or len(found) > _MOST_TOLD:
        return
    if isinstance(before, dict) and isinstance(after, dict):
        for name in dict.fromkeys([*before, *after]):
            _changed(before.get(name, _NOTHING), after.get(name, _NOTHING), f"{path}.{name}".lstrip("."), found)
        return
    if isinstance(before, list) and isinstance(after, list):
        named = all(isinstance(one, dict) and ("id" in one or "name" in one) for one in (*before, *after))
        if named and (before or after):
            # What has a name is compared with what has the same, wherever it stands.
            own = [{str(one.get("id", one.get("name"))): one for one in every} for every in (before, after)]
            for name in dict.fromkeys([*own[1], *own[0]]):
                _changed(own[0].get(name, _NOTHING), own[1].get(name, _NOTHING), f"{path}.{name}", found)
            return
        if len(before) == len(after):
            for at, (one, other) in enumerate(zip(before, after, strict=True)):
                _changed(one, other, f"{path}.{at}", found)
            return
    found.append({"path": path, "before": _told(before), "after": _told(after)})


def _told(value: Any) -> str:
    if value is _NOTHING:
        return ""
    text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    return text if len(text) <= 80 else f"{text[:79]}…"


def _document(run: Run) -> Any:
    return json.loads(run.document) if isinstance(run.document, str) else run.document


def compared(before: HandOff, after: HandOff) -> dict[str, Any]:
    """What is otherwise in a later version of a shot."""
    values: list[dict[str, Any]] = []
    _changed(_document(before.run), _document(after.run), "", values)
    return {
        "forms": [asdict(one) for one in _forms(before, after)],
        "layers": [asdict(one) for one in _layers(before, after)],
        "values": values[:_MOST_TOLD],
        "more": len(values) > _MOST_TOLD,
        "runs": [before.run_id, after.run_id],
    }
