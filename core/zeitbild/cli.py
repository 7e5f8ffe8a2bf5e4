"""Headless use: render a document to files, print the schema. No server, no database."""

from __future__ import annotations

import argparse
import inspect
import json
import sys
import time
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from zeitbild.assets import AssetFolder
from zeitbild.checks import SetView, checks, find
from zeitbild.document.reading import parse_shot, shot_schema
from zeitbild.elements import kinds as element_kinds
from zeitbild.errors import InputError, StorageError, ZeitbildError
from zeitbild.handoff import Recipe, recipes
from zeitbild.handoff.verification import verify
from zeitbild.headless import Delivery, deliver, forms_of
from zeitbild.lights import kinds as light_kinds
from zeitbild.naming import Wanted
from zeitbild.paths import assets_folder, masters_folder
from zeitbild.render.passes import families, pass_named, passes
from zeitbild.resolve import depth_range, resolve
from zeitbild.resolve.sounds import soundings
from zeitbild.sound.mixing import heard
from zeitbild.timing import parse_frames

OK, FAILED, BAD_INPUT = 0, 1, 2


def _render(arguments: argparse.Namespace) -> int:
    try:
        text = Path(arguments.shot).read_text(encoding="utf-8") if arguments.shot != "-" else sys.stdin.read()
    except (OSError, UnicodeDecodeError) as error:
        raise InputError(f"{arguments.shot} cannot be read: {error}") from None
    shot = parse_shot(text)
    frames = parse_frames(arguments.frames) if arguments.frames else tuple(shot.timing.delivered)
    forms = forms_of(arguments.recipe or ["png8"], arguments.option or (), arguments.passes or ())
    names = tuple(dict.fromkeys(name for form in forms for name in form.passes))
    for name in names:
        pass_named(name, shot.light_groups, shot.names)
    layers = Wanted(tuple(arguments.layer or ())).layers_of(shot)
    if names:
        # What is named is written, whatever the document's layers have.
        chosen = tuple(
            layer.model_copy(update={"passes": names}) if layer in layers else layer for layer in shot.layers
        )
        shot = shot.model_copy(update={"layers": chosen})
        layers = Wanted(tuple(arguments.layer or ())).layers_of(shot)
    delivery = Delivery(
        *(shot, layers, frames, arguments.quality or shot.quality, forms, arguments.version),
        *(arguments.assets, arguments.masters, Path(arguments.out), arguments.package),
    )
    hints = delivery.check()
    # What the document lacks (a font, a glyph, an upload) is said before the first frame, not once for each.
    assets = AssetFolder(arguments.assets)
    for layer in layers:
        resolve(shot, frames[0], assets, layer.name)
    for _, sounding in soundings(shot, assets):
        heard(sounding.path, sounding.label)
    for hint in hints:
        print(f"note: {hint}", file=sys.stderr)
    for finding in find(shot, SetView(shot, assets, None)):
        print(f"{finding.level}: {finding.message}", file=sys.stderr)
    if any(
        one.recipe.format.ends_at_white and ("depth" in (one.passes or layer.passes))
        for one in forms
        for layer in layers
    ):
        near, far = depth_range(shot, assets)
        print(f"depth: white is {near:g} units from the camera, black is {far:g}", file=sys.stderr)
    steps = "frames and movies" if any(one.recipe.format.container for one in forms) else "frames"
    progress = None
    for progress in deliver(delivery, arguments.workers):
        for error in progress.errors:
            print(f"\n{error}", file=sys.stderr)
        end = "" if sys.stderr.isatty() else "\n"
        print(
            f"\r{progress.ended}/{progress.total} {steps}, {progress.left:.0f} s left ",
            end=end,
            file=sys.stderr,
            flush=True,
        )
    assert progress is not None
    failed = progress.failed
    print(
        f"\n{progress.files} files in {delivery.package if delivery.packed and not failed else delivery.folder}, "
        + (f"read back and compared; {failed} {steps} FAILED" if failed else "all read back and compared"),
        file=sys.stderr,
    )
    return FAILED if failed else OK


def _carried(recipe: Recipe) -> str:
    """What a recipe keeps and loses, and what can be chosen."""
    options = [
        f"{one.name}={'|'.join(name for name, _ in one.choices) if one.choices else one.kind.upper()}"
        for one in recipe.options
    ]
    return f"keeps: {recipe.keeps} loses: {recipe.loses} options: {' '.join(options)}"


#: What can be listed: each with how it is found, as (name, title, note).
LISTS: dict[str, Callable[[], list[tuple[str, str, str]]]] = {
    "passes": lambda: (
        [(one.name, one.title, one.note) for one in passes]
        + [(f"{one.name}:NAME", one.title, one.note) for one in families]
    ),
    "elements": lambda: [(one.name, one.title, inspect.getdoc(one.parameters) or "") for one in element_kinds],
    "lights": lambda: [(one.name, one.title, inspect.getdoc(one.parameters) or "") for one in light_kinds],
    "recipes": lambda: [(one.name, one.title, _carried(one)) for one in recipes],
    "checks": lambda: [(one.name, one.name.replace("_", " "), one.note) for one in checks],
}


def _list(arguments: argparse.Namespace) -> int:
    found = LISTS[arguments.what]()
    if arguments.json:
        rows = [{"name": name, "title": title, "note": note} for name, title, note in found]
        print(json.dumps(rows, indent=2, ensure_ascii=False))
        return OK
    wide = max(len(name) for name, _, _ in found)
    for name, title, note in found:
        print(f"{name:{wide}}  {title}" + (f": {note.splitlines()[0]}" if note else ""))
    return OK


def _verify(arguments: argparse.Namespace) -> int:
    wrong = files = size = 0
    started = time.monotonic()
    for one in verify(Path(arguments.package)):
        files, size = files + 1, size + one.bytes
        if one.wrong:
            wrong += 1
            print(f"{one.path}: {one.wrong}", file=sys.stderr)
    seconds = max(time.monotonic() - started, 1e-6)
    print(
        f"{files} files, {size / 1e6:.1f} MB in {seconds:.1f} s: " + (f"{wrong} do NOT hold" if wrong else "all hold"),
        file=sys.stderr,
    )
    return FAILED if wrong else OK


def _schema(_: argparse.Namespace) -> int:
    print(json.dumps(shot_schema(), indent=2, ensure_ascii=False))
    return OK


def _positive(text: str, most: int) -> int:
    value = int(text)
    if not 1 <= value <= most:
        raise argparse.ArgumentTypeError(f"must be 1 to {most}")
    return value


def build_parser() -> argparse.ArgumentParser:
    """The command line of the core."""
    parser = argparse.ArgumentParser(prog="zeitbild", description="Render shot documents without server or database.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    render = commands.add_parser("render", help="render a shot document to files")
    render.add_argument("shot", metavar="SHOT.json", help="a shot document, or - for standard input")
    render.add_argument("--out", required=True, metavar="DIR", help="folder for the files")
    render.add_argument("--frames", metavar="SET", help="for example 1-10,20,30-40x2; default: the document's range")
    render.add_argument("--quality", choices=["rough", "check", "final"], help="default: the document's")
    render.add_argument("--layer", action="append", metavar="NAME", help="only this layer; may be given again")
    render.add_argument(
        "--pass",
        action="append",
        dest="passes",
        metavar="[RECIPE:]NAME",
        help="only this pass, of every layer, in all forms or in one; may be given again",
    )
    render.add_argument(
        "--recipe", action="append", metavar="NAME", help="see `list recipes`; default png8; may be given again"
    )
    render.add_argument(
        "--option",
        action="append",
        metavar="[RECIPE:]NAME=VALUE",
        help="of a recipe's files, e.g. compression=piz or webm:width=700",
    )
    render.add_argument(
        "--package",
        action="store_true",
        help="into a folder of this version, with manifest, notes and checksums, and packed as a ZIP (see `verify`)",
    )
    render.add_argument(
        "--version", type=partial(_positive, most=9999), default=1, metavar="N", help="number in file names"
    )
    render.add_argument(
        "--workers", type=partial(_positive, most=64), default=2, metavar="N", help="processes; default 2"
    )
    render.add_argument("--masters", type=Path, default=masters_folder(), metavar="DIR", help="where masters are kept")
    render.add_argument("--assets", type=Path, default=assets_folder(), metavar="DIR", help="where uploaded fonts lie")
    render.set_defaults(run=_render)
    lists = commands.add_parser("list", help="what there is: passes, elements, lights, recipes, checks")
    lists.add_argument("what", choices=list(LISTS))
    lists.add_argument("--json", action="store_true", help="as JSON")
    lists.set_defaults(run=_list)
    checked = commands.add_parser(
        "verify", help="check a package of a hand-off again, or the folder it was unpacked into"
    )
    checked.add_argument("package", metavar="PACKAGE")
    checked.set_defaults(run=_verify)
    schema = commands.add_parser("schema", help="print the JSON schema of shot documents")
    schema.set_defaults(run=_schema)
    return parser


def main(argv: Sequence[str] | None = None) -> int:
    """Run one command: 0 if all went well, 1 if something failed, 2 if what was given is wrong."""
    arguments = build_parser().parse_args(argv)
    try:
        code: int = arguments.run(arguments)
        return code
    except InputError as error:
        for problem in getattr(error, "problems", ()):
            print(f"{problem.field or 'document'}: {problem.message}", file=sys.stderr)
        if not hasattr(error, "problems"):
            print(f"{error.field + ': ' if error.field else ''}{error}", file=sys.stderr)
        return BAD_INPUT
    except (StorageError, ZeitbildError) as error:
        print(error, file=sys.stderr)
        return FAILED
    except BrokenPipeError:
        return FAILED


if __name__ == "__main__":
    sys.exit(main())
