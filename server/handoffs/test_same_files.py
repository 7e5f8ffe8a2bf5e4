"""The command line and the application give the same files, byte for byte."""

import contextlib
import hashlib
import io
import json
import zipfile

from asgiref.sync import async_to_sync
from django.http import StreamingHttpResponse

from zeitbild.cli import OK, main
from zeitbild.handoff import SUMS
from zeitbild_server.testing import StudioCase


async def _whole(response: StreamingHttpResponse) -> bytes:
    return b"".join([block async for block in response])


class SameFiles(StudioCase):
    def _handed_off(self, recipe: str, passes: tuple[str, ...] = ()) -> dict[str, str]:
        run = self.post(f"/api/shots/{self.shot.id}/runs", {"base": self.fresh().current_id})
        self.work()
        handoff = self.post(f"/api/runs/{run['id']}/handoffs", {"forms": [{"recipe": recipe, "passes": passes}]})
        self.work()
        response = self.client.get(f"/api/handoffs/{handoff['id']}/package")
        self.assertEqual(response["Content-Type"], "application/zip")
        self.assertIn(f"KM010_v{handoff['version']:03}.zip", response["Content-Disposition"])
        data = async_to_sync(_whole)(response)
        self.assertEqual(len(data), int(response["Content-Length"]))
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            self.assertEqual(json.loads(archive.read("manifest.json"))["recipe"], recipe)
            # The list of checksums names everything but itself, as it is.
            listed = dict(line.split("  ")[::-1] for line in archive.read(SUMS).decode().splitlines())
            self.assertEqual({*listed, SUMS}, set(archive.namelist()))
            for name, digest in listed.items():
                self.assertEqual(hashlib.sha256(archive.read(name)).hexdigest(), digest, name)
            return {
                name: hashlib.sha256(archive.read(name)).hexdigest()
                for name in archive.namelist()
                if name
                not in (
                    "manifest.json",
                    "README.txt",
                    "README.html",
                    "timeline.otio",
                    "play.html",
                    "exposure-sheet.pdf",
                    SUMS,
                )
            }

    def _rendered(self, recipe: str, version: int, passes: tuple[str, ...] = ()) -> dict[str, str]:
        document = self.data / "KM010.json"
        document.write_bytes(self.client.get(f"/api/shots/{self.shot.id}/document").content)
        out = self.data / f"out-{recipe}"
        # Masters of its own: the command line renders everything itself.
        words = [
            "render",
            str(document),
            "--out",
            str(out),
            "--recipe",
            recipe,
            "--version",
            str(version),
            "--workers",
            "1",
        ]
        words += ["--masters", str(self.data / "other-masters"), "--assets", str(self.data / "assets")]
        for name in passes:
            words += ["--pass", name]
        with contextlib.redirect_stderr(io.StringIO()):
            self.assertEqual(main(words), OK)
        return {
            str(path.relative_to(out)): hashlib.sha256(path.read_bytes()).hexdigest()
            for path in out.rglob("*")
            if path.is_file()
        }

    def test_for_every_recipe(self) -> None:
        for version, recipe in enumerate(("png8", "png16", "exr"), start=1):
            with self.subTest(recipe=recipe):
                handed_off = self._handed_off(recipe)
                self.assertEqual(len(handed_off), 18)
                self.assertEqual(handed_off, self._rendered(recipe, version))

    def test_for_files_that_hold_all_frames(self) -> None:
        passes = ("beauty", "matte")
        handed_off = self._handed_off("apng", passes)
        self.assertEqual(list(handed_off), [f"KM010_sign_{name}_v001/KM010_sign_{name}_v001.png" for name in passes])
        self.assertEqual(handed_off, self._rendered("apng", 1, passes))
