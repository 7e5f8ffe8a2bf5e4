"""The command line: files, exit codes, messages."""

import contextlib
import io
import json
import subprocess
import tempfile
import unittest
import zipfile
from pathlib import Path

import OpenEXR
from PIL import Image

from zeitbild.cli import BAD_INPUT, FAILED, OK, main
from zeitbild.document.layers import Layer
from zeitbild.document.reading import write_shot
from zeitbild.testing import small_shot


class CommandLine(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.shot = self.folder / "shot.json"
        self.shot.write_text(write_shot(small_shot()), encoding="utf-8")

    def _run(self, *words: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            try:
                code = main(words)
            except SystemExit as ended:
                code = int(ended.code or 0)
        return code, out.getvalue(), err.getvalue()

    def _render(self, *words: str) -> tuple[int, str, str]:
        common = ("--masters", str(self.folder / "m"), "--assets", str(self.folder / "a"), "--quality", "rough")
        return self._run("render", str(self.shot), "--out", str(self.folder / "out"), *common, *words)

    def test_renders_the_frames_it_is_asked_for(self) -> None:
        code, _, said = self._render("--frames", "1,4-6x2", "--workers", "1")
        self.assertEqual(code, OK, said)
        names = sorted(path.name for path in (self.folder / "out").rglob("*beauty*.png"))
        self.assertEqual([name.split(".")[-2] for name in names], ["0001", "0004", "0006"])
        self.assertIn("3/3 frames", said)
        # The same again finds all files there and right.
        self.assertEqual(self._render("--frames", "1", "--workers", "1")[0], OK)

    def test_several_forms_are_packed_and_hold(self) -> None:
        words = ("--frames", "1-3", "--workers", "1", "--package", "--version", "7", "--pass", "beauty")
        forms = ("--recipe", "png16", "--recipe", "gif", "--recipe", "png16", "--option", "gif:ground=#203040")
        code, _, said = self._render(*words, *forms, "--option", "fit=contain", "--option", "width=64")
        self.assertEqual(code, OK, said)
        self.assertIn("4/4", said)
        folder, package = self.folder / "out" / "KM010_v007", self.folder / "out" / "KM010_v007.zip"
        self.assertEqual(sorted(one.name for one in folder.iterdir() if one.is_dir()), ["gif", "png16", "png16-2"])
        # What common tools say of the checksums (GNU coreutils), and what is in the files.
        checked = subprocess.run(
            ["sha256sum", "-c", "--strict", "SHA256SUMS"], cwd=folder, capture_output=True, text=True
        )
        self.assertEqual((checked.returncode, checked.stderr), (0, ""))
        self.assertEqual(len(list((folder / "png16").rglob("*.png"))), 3)
        (gif,) = (folder / "gif").rglob("*.gif")
        with Image.open(gif) as moving:
            self.assertEqual((moving.size[0], moving.n_frames), (64, 3))  # type: ignore[attr-defined]
        manifest = json.loads((folder / "gif" / "manifest.json").read_text(encoding="utf-8"))
        self.assertEqual((manifest["version"], manifest["quality"]), (7, "rough"))
        for place in (package, folder):
            code, _, said = self._run("verify", str(place))
            self.assertEqual(code, OK, said)
        with zipfile.ZipFile(package) as archive:
            self.assertIsNone(archive.testzip())
            self.assertEqual(len(archive.namelist()), len(set(archive.namelist())))
        # What is delivered is never touched.
        before = package.read_bytes()
        code, _, said = self._render(*words, *forms)
        self.assertEqual(code, BAD_INPUT)
        self.assertIn("version: ", said)
        self.assertEqual(package.read_bytes(), before)
        # One of its files is another one now.
        (folder / "gif" / "README.txt").write_text("changed", encoding="utf-8")
        self.assertEqual(self._run("verify", str(folder))[0], FAILED)

    def test_layers_that_lack_frames_keep_their_numbers_at_another_rate(self) -> None:
        # Frames 1, 3 and 5 are shown, as 1, 2 and 3; the layer has none before 3.
        layer = Layer(name="sign", passes=("beauty",), frames="3-6")
        self.shot.write_text(write_shot(small_shot(layers=(layer,))), encoding="utf-8")
        words = (
            "--frames",
            "1-6",
            "--workers",
            "1",
            "--package",
            "--version",
            "3",
            "--recipe",
            "png8",
            "--option",
            "rate=15",
        )
        code, _, said = self._render(*words)
        self.assertEqual(code, OK, said)
        (folder,) = (self.folder / "out").glob("*_v003")
        manifest = json.loads((folder / "manifest.json").read_text(encoding="utf-8"))
        files = [(one["frame"], one["shows"]) for one in manifest["files"]]
        self.assertEqual(files, [(2, 3), (3, 5)])
        self.assertEqual(manifest["frames"]["numbers"], {"set": "2-3", "count": 2})
        self.assertIn("Frames 2-3 (2), 15 frames a second", (folder / "README.txt").read_text(encoding="utf-8"))

    def test_options_belong_to_forms(self) -> None:
        for words, expected in (
            (("--recipe", "png8", "--option", "compression=piz"), "compression"),
            (("--recipe", "png8", "--recipe", "exr", "--option", "png8:compression=piz"), "compression"),
            (("--recipe", "png8", "--option", "exr:compression=piz"), "compression"),
            (("--recipe", "png8", "--recipe", "exr", "--option", "nothing=1"), "nothing"),
            (("--recipe", "exr", "--option", "compression=fast"), "compression"),
            (("--option", "width"), "width"),
        ):
            code, _, said = self._render("--frames", "1", *words)
            self.assertEqual(code, BAD_INPUT, words)
            self.assertIn(expected, said)
            self.assertFalse((self.folder / "out").exists())

    def test_passes_belong_to_forms(self) -> None:
        forms = ("--recipe", "exr-layer", "--recipe", "png8", "--workers", "1", "--package", "--frames", "1-2")
        own = ("--pass", "exr-layer:beauty", "--pass", "exr-layer:depth", "--pass", "matte")
        code, _, said = self._render(*forms, *own)
        self.assertEqual(code, OK, said)
        folder = self.folder / "out" / "KM010_v001"
        held = set()
        for form in ("exr-layer", "png8"):
            manifest = json.loads((folder / form / "manifest.json").read_text(encoding="utf-8"))
            held |= {(form, one["pass"]) for file in manifest["files"] for one in file["holds"]}
        self.assertEqual(held, {("exr-layer", "beauty"), ("exr-layer", "depth"), ("png8", "matte")})
        # By another reader of OpenEXR than ours: the parts of a file.
        exr = next((folder / "exr-layer").rglob("*.exr"))
        with OpenEXR.File(str(exr)) as file:
            channels = {name for part in file.parts for name in part.channels}
        self.assertTrue(any("depth" in name.lower() or name == "Z" for name in channels), channels)
        for words, expected in (
            (("--pass", "webm:beauty"), "none of exr-layer, png8"),
            (("--pass", "exr-layer:beauty"), "png8 gets no pass"),
            (("--pass", "exr-layer:nothing", "--pass", "beauty"), "nothing"),
        ):
            code, _, said = self._render(*forms, *words)
            self.assertEqual(code, BAD_INPUT, words)
            self.assertIn(expected, said)

    def test_what_one_form_cannot_hold_is_said_before_anything_is_written(self) -> None:
        code, _, said = self._render("--frames", "1", "--recipe", "exr", "--recipe", "webm", "--pass", "depth")
        self.assertEqual(code, BAD_INPUT)
        self.assertIn("cannot hold Depth", said)
        self.assertFalse((self.folder / "out").exists())

    def test_files_in_the_way_are_a_failure_that_says_so(self) -> None:
        target = self.folder / "out" / "KM010_sign_beauty_v001" / "KM010_sign_beauty_v001.0001.png"
        target.parent.mkdir(parents=True)
        target.write_bytes(b"mine")
        code, _, said = self._render("--frames", "1", "--workers", "1")
        self.assertEqual(code, FAILED)
        self.assertIn("never overwritten", said)
        self.assertEqual(target.read_bytes(), b"mine")

    def test_bad_input_is_told_apart_from_failure(self) -> None:
        for words, expected in (
            (("--frames", "1-"), "frame set"),
            (("--layer", "none"), "no layer"),
            (("--recipe", "bmp"), "png8"),
            (("--workers", "0"), "1 to 64"),
        ):
            code, _, said = self._render(*words)
            self.assertEqual(code, BAD_INPUT, words)
            self.assertIn(expected, said)
        self.shot.write_text('{"version": 1, "raster": {"width": 1}}', encoding="utf-8")
        code, _, said = self._render()
        self.assertEqual(code, BAD_INPUT)
        self.assertIn("raster.width", said)

    def test_what_the_document_lacks_is_said_once_before_the_first_frame(self) -> None:
        raw = json.loads(self.shot.read_text(encoding="utf-8"))
        for change, expected in (
            ({"word": "ღ"}, "no glyph"),
            ({"word": "  "}, "word"),
            ({"font": "asset:" + "0" * 64}, "elements.0.font"),
        ):
            changed = {**raw, "elements": [{**raw["elements"][0], **change}]}
            self.shot.write_text(json.dumps(changed), encoding="utf-8")
            code, _, said = self._render()
            self.assertEqual(code, BAD_INPUT)
            self.assertIn(expected, said)
            self.assertEqual(len(said.strip().splitlines()), 1, said)
            self.assertFalse((self.folder / "out").exists())

    def test_findings_and_the_reach_of_depth_are_told(self) -> None:
        code, _, said = self._render("--frames", "1", "--workers", "1")
        self.assertEqual(code, OK)
        self.assertIn("depth: white is", said)

    def test_missing_files_are_bad_input(self) -> None:
        code, _, said = self._run("render", str(self.folder / "none.json"), "--out", str(self.folder))
        self.assertEqual(code, BAD_INPUT)
        self.assertIn("cannot be read", said)

    def test_schema_is_json(self) -> None:
        code, out, _ = self._run("schema")
        self.assertEqual(code, OK)
        self.assertEqual(json.loads(out)["title"], "Shot")
