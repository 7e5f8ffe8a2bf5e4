"""What stands beside the files of a hand-off, for shots with names that are hard to write into pages and addresses."""

import json
import tempfile
import unittest
from html.parser import HTMLParser
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import opentimelineio as otio

from zeitbild.assets import AssetFolder
from zeitbild.document.layers import Layer
from zeitbild.document.reading import write_shot
from zeitbild.document.shot import Timing
from zeitbild.farm import write_files, write_sequence
from zeitbild.farm.testing import make_cells
from zeitbild.handoff import Delivered, Order, Packed, Part, packed_forms, recipes
from zeitbild.masters import MasterStore
from zeitbild.resolve import reach_of
from zeitbild.sources import rendered_layers
from zeitbild.testing import small_shot

_HOSTILE = "<script>alert('1')</script> \"Lantern\" & <b>Co"
_FORMS: tuple[tuple[str, str, dict[str, str]], ...] = (
    ("png8", "png8", {}),
    ("webm", "webm", {"width": "64"}),
    ("gif", "gif", {"rate": "50"}),
    ("h264", "h264", {}),
    ("exr-frame", "exr-frame", {}),
)


class _Links(HTMLParser):
    """Tags of a page, and the addresses that it names."""

    def __init__(self) -> None:
        super().__init__()
        self.tags: list[str] = []
        self.addresses: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append(tag)
        self.addresses += [value for name, value in attrs if name in ("src", "href") and value]


class HardNames(unittest.TestCase):
    folder: Path
    packed: Packed

    @classmethod
    def setUpClass(cls) -> None:
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        layer = Layer(name="sign", title=_HOSTILE, note=_HOSTILE, passes=("beauty", "matte"))
        shot = small_shot(
            timing=Timing(first=9, last=12, handles=1, cycle=False),
            layers=(layer,),
            title=_HOSTILE,
            naming="{shot} #{pass}/{layer} 100%.{frame:04}.{ext}",
            quality="rough",
        )
        assets, masters = cls.folder / "assets", cls.folder / "masters"
        document, frames = write_shot(shot), list(shot.timing.delivered)
        cells = [(frame, make_cells(document, frame, ("sign",), "rough", assets, masters)) for frame in frames]
        parts = []
        for folder, name, options in _FORMS:
            recipe = recipes.get(name)
            rest: tuple[Any, ...] = (
                name,
                tuple(options.items()),
                ("sign",),
                (),
                3,
                assets,
                masters,
                cls.folder / folder,
            )
            if recipe.format.container:
                records = write_sequence(document, tuple(cells), *rest)
            else:
                records = [one for frame, own in cells for one in write_files(document, frame, str(frame), own, *rest)]
            source = AssetFolder(assets)
            parts.append(
                Part(Order(recipe, 3, reach_of(shot, source), recipe.chosen(options), source), folder, records)
            )
        sources = rendered_layers(MasterStore(masters), cells)
        what = Delivered(shot.layers, frames, "rough", "2026-11-27T12:00:00+00:00")
        cls.packed = packed_forms(shot, parts, what, cls.folder, lambda layer, frame: sources[layer].picture(frame))

    def test_pages_say_what_they_should_and_run_nothing(self) -> None:
        for name in ("README.html", "play.html"):
            page = _Links()
            page.feed(self.packed.beside[name].decode())
            self.assertNotIn("script", page.tags, name)
            # Bold are the titles of forms and nothing that was typed.
            self.assertEqual(page.tags.count("b"), len(_FORMS) if name == "README.html" else 0)
            files = [one for one in page.addresses if not one.startswith("data:")]
            for address in files:
                self.assertIn(unquote(address), self.packed.files, address)
                self.assertTrue((self.folder / unquote(address)).is_file(), address)
        self.assertIn("alert(&#x27;1&#x27;)", self.packed.beside["README.html"].decode())
        self.assertEqual(len([one for one in files if one.endswith(".webm")]), 1)

    def test_the_timeline_finds_every_file_and_the_piece_without_its_handles(self) -> None:
        timeline = otio.adapters.read_from_string(self.packed.beside["timeline.otio"].decode(), "otio_json")
        named = set()
        for clip in timeline.find_clips():
            media, own = clip.media_reference, clip.source_range
            if isinstance(media, otio.schema.ImageSequenceReference):
                count = media.number_of_images_in_sequence()
                named |= {unquote(media.target_url_for_image_number(number)) for number in range(count)}
                # Frames 9 to 12 of 8 to 13.
                self.assertEqual((media.start_frame, count), (8, 6))
                self.assertEqual((own.start_time.value, own.duration.value), (9, 4))
            else:
                named.add(unquote(media.target_url))
                # One frame is before it, of thirty a second or of fifty.
                self.assertIn((own.start_time.value, own.duration.value), ((1, 4), (2, 7)))
        self.assertEqual(named, set(self.packed.files))

    def test_manifests_list_their_files_and_notes_name_them(self) -> None:
        whole = json.loads(self.packed.beside["manifest.json"])
        self.assertEqual([one["folder"] for one in whole["forms"]], [folder for folder, _, _ in _FORMS])
        for folder, _, _ in _FORMS:
            manifest = json.loads(self.packed.beside[f"{folder}/manifest.json"])
            listed = {f"{folder}/{one['path']}" for one in manifest["files"]}
            self.assertEqual(listed, {path for path in self.packed.files if path.startswith(f"{folder}/")})
            text = self.packed.beside[f"{folder}/README.txt"].decode()
            self.assertIn(_HOSTILE, text)
            self.assertIn("The piece itself is frames 9-12", text)
        said = {folder: self.packed.beside[f"{folder}/README.txt"].decode() for folder, _, _ in _FORMS}
        self.assertIn("Colour is straight", said["png8"])
        self.assertIn("no alpha: what is clear lies over #000000", said["h264"])
        self.assertIn("A pixel is there or not", said["gif"])
        self.assertIn("premultiplied", said["exr-frame"])
        self.assertIn("64 x 36 square pixels", said["webm"])
