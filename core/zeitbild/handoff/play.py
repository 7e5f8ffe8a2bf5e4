"""A page that plays what browsers can show of a hand-off, over grounds that stand still or move: one file, nothing is loaded from elsewhere."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape
from pathlib import PurePosixPath
from urllib.parse import quote

from zeitbild.document.shot import Shot
from zeitbild.handoff.note import Told

#: Movies that a browser takes the first of that it can show, and what they are; those of one layer stand in one place.
_MOVIES = {"hevc": 'video/mp4; codecs="hvc1"', "webm": "video/webm", "h264": "video/mp4"}
_PICTURES = ("gif", "webp-moving", "avif-moving", "apng")
_STRIPES = "repeating-linear-gradient(60deg, #2a6f97 0 40px, #f4a259 40px 80px)"
#: Grounds: name, title, and the style of what lies below.
_GROUNDS = (
    (
        "moving",
        "Moving",
        "animation: run 3s linear infinite; background: repeating-linear-gradient(60deg, #2a6f97 0 40px, #f4a259 40px 80px) 0 0 / 92.4px 160px",
    ),
    ("white", "White", "background: #fff"),
    ("black", "Black", "background: #000"),
    ("checker", "Checker", "background: repeating-conic-gradient(#9e9e9e 0 25%, #7a7a7a 0 50%) 0 0 / 32px 32px"),
    ("green", "Green", "background: #00a651"),
)
_STYLE = """
body { font: 16px/1.5 Georgia, serif; color: #22201c; background: #f7f4ec; margin: 1rem auto; max-width: 70rem; padding: 0 1rem }
h1 { font-size: 1.5rem; margin: 0 } h2 { font-size: 1.1rem; margin: 1rem 0 .3rem } label { margin-right: 1rem }
.place { display: inline-block; max-width: 100%; line-height: 0 } video, img { max-width: 100% }
pre { background: #fff; padding: .6rem; overflow: auto; font-size: .8rem }
@keyframes run { to { background-position: 92.4px 160px } }
"""


def _paths(one: Told, layer: str) -> list[str]:
    """Files of beauty of a layer."""
    return [
        f"{one.ahead}{file['path']}"
        for file in one.manifest["files"]
        if any(held == {"layer": layer, "pass": "beauty"} for held in file["holds"])
    ]


def play_page(shot: Shot, told: Sequence[Told]) -> str:
    """The page's text; empty if no form is one that a browser plays."""
    forms = [one for one in told if one.order.recipe.name in (*_MOVIES, *_PICTURES)]
    if not forms:
        return ""
    choices = "".join(
        f"<label><input type=radio name=ground id={name}{' checked' if name == 'moving' else ''}> {title}</label>"
        for name, title, _ in _GROUNDS
    )
    style = _STYLE + "".join(f"body:has(#{name}:checked) .place {{ {css} }}\n" for name, _, css in _GROUNDS)
    parts = [
        f"<!doctype html><html lang=en><meta charset=utf-8><title>{escape(shot.shot)}</title><style>{style}</style>",
        f"<h1>{escape(shot.shot)} {escape(shot.title)}</h1><p>{choices}</p>",
    ]
    layers = dict.fromkeys(
        held["layer"]
        for one in forms
        for file in one.manifest["files"]
        for held in file["holds"]
        if held["pass"] == "beauty"
    )
    for layer in layers:
        # With alpha first; each browser takes the first source that it can show.
        sources = [
            (path, _MOVIES[one.order.recipe.name])
            for name in ("hevc", "webm")
            for one in forms
            if one.order.recipe.name == name
            for path in _paths(one, layer)
        ]
        if sources:
            both = "\n  ".join(f"<source src=\"{quote(path)}\" type='{kind}'>" for path, kind in sources)
            movie = f"<video autoplay loop muted playsinline controls>\n  {both}\n</video>"
            parts.append(f"<h2>{escape(layer)}: movie with alpha</h2><div class=place>{movie}</div>")
            parts.append(f"<pre>{escape(movie)}</pre>")
        for one in forms:
            recipe = one.order.recipe
            for path in _paths(one, layer) if recipe.name in (*_PICTURES, "h264") else ():
                title = f"{escape(layer)}: {escape(recipe.title)}"
                name = escape(PurePosixPath(path).name, quote=True)
                shown = (
                    f'<video src="{quote(path)}" autoplay loop muted controls></video>'
                    if recipe.name == "h264"
                    else f'<img src="{quote(path)}" alt="{name}">'
                )
                parts.append(f"<h2>{title}</h2><div class=place>{shown}</div>")
    return "\n".join(parts) + "</html>\n"
