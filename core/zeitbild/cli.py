"""Headless use: render a document to files, print the schema. No server, no database."""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections.abc import Sequence
from functools import partial
from pathlib import Path

from zeitbild.assets import AssetFolder
from zeitbild.checks import SetView, find
from zeitbild.document.reading import parse_shot, shot_schema, write_shot
from zeitbild.errors import InputError, StorageError, ZeitbildError
from zeitbild.farm import FramePool, write_cell
from zeitbild.handoff.recipes import recipes
from zeitbild.naming import plan_files
from zeitbild.paths import assets_folder, masters_folder
from zeitbild.resolve import depth_range, resolve
from zeitbild.timing import parse_frames

OK, FAILED, BAD_INPUT = 0, 1, 2


def _render(arguments: argparse.Namespace) -> int:
    try:
        text = Path(arguments.shot).read_text(encoding="utf-8") if arguments.shot != "-" else sys.stdin.read()
    except (OSError, UnicodeDecodeError) as error:
        raise InputError(f"{arguments.shot} cannot be read: {error}") from None
    shot = parse_shot(text)
    frames = parse_frames(arguments.frames) if arguments.frames else tuple(shot.timing.frames)
    recipe = recipes.get(arguments.recipe)
    quality = arguments.quality or shot.quality
    layers = [shot.layer(arguments.layer).name] if arguments.layer else [layer.name for layer in shot.layers]
    plan_files(shot, version=arguments.version, ext=recipe.format.extension, frames=frames)
    # What the document lacks (a font, a glyph, an upload) is said before the first frame, not once for each.
    assets = AssetFolder(arguments.assets)
    for layer in layers:
        resolve(shot, frames[0], assets, layer)
    for hint in plan_files(shot, version=arguments.version, ext=recipe.format.extension, frames=frames).hints:
        print(f"note: {hint}", file=sys.stderr)
    for finding in find(shot, SetView(shot, assets, None)):
        print(f"{finding.level}: {finding.message}", file=sys.stderr)
    if any("depth" in shot.layer(layer).passes for layer in layers) and recipe.format.extension != "exr":
        near, far = depth_range(shot, assets)
        print(f"depth: white is {near:g} units from the camera, black is {far:g}", file=sys.stderr)
    document = write_shot(shot)
    common = (quality, recipe.name, arguments.version, arguments.assets, arguments.masters, Path(arguments.out))
    tasks = [((layer, frame), (document, frame, layer, *common)) for layer in layers for frame in frames]
    done = failed = files = 0
    started = time.monotonic()
    with FramePool(min(arguments.workers, len(tasks))) as pool:
        for outcome in pool.run(write_cell, tasks):
            if outcome is None:
                continue
            if outcome.error:
                failed += 1
                print(f"\nframe {outcome.task[1]} of {outcome.task[0]}: {outcome.error}", file=sys.stderr)
            else:
                done += 1
                files += len(outcome.result or ())
            left = (time.monotonic() - started) / max(done + failed, 1) * (len(tasks) - done - failed)
            end = "" if sys.stderr.isatty() else "\n"
            print(f"\r{done + failed}/{len(tasks)} frames, {left:.0f} s left ", end=end, file=sys.stderr, flush=True)
    print(
        f"\n{files} files in {arguments.out}, all read back and compared"
        + (f"; {failed} frames FAILED" if failed else ""),
        file=sys.stderr,
    )
    return FAILED if failed else OK


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
    render.add_argument("--layer", metavar="NAME", help="only this layer")
    render.add_argument("--recipe", default="png8", metavar="NAME", help="png8, png16 or exr; default png8")
    render.add_argument(
        "--version", type=partial(_positive, most=9999), default=1, metavar="N", help="number in file names"
    )
    render.add_argument(
        "--workers", type=partial(_positive, most=64), default=2, metavar="N", help="processes; default 2"
    )
    render.add_argument("--masters", type=Path, default=masters_folder(), metavar="DIR", help="where masters are kept")
    render.add_argument("--assets", type=Path, default=assets_folder(), metavar="DIR", help="where uploaded fonts lie")
    render.set_defaults(run=_render)
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
