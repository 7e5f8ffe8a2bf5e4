"""Files for elements: taken in, told about, used, refused, and kept to their project."""

import io
import zipfile
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from assets.actions import add_file, read_again
from assets.selectors import named_assets
from projects.actions.create_project import create_project
from zeitbild.drawings import SHIPPED
from zeitbild.errors import DrawingError
from zeitbild_server.testing import StudioCase

_STAR = SHIPPED["badge"].path.read_bytes()


class Files(StudioCase):
    def _upload(self, data: bytes, name: str = "own.svg", expect: int = 200, kind: str = "drawings") -> dict:  # type: ignore[type-arg]
        address = f"/api/projects/{self.project.id}/files/{kind}"
        response = self.client.post(address, {"file": SimpleUploadedFile(name, data)})
        self.assertEqual(response.status_code, expect, response.content[:300])
        return response.json()  # type: ignore[no-any-return]

    def _document(self, drawing: str) -> dict:  # type: ignore[type-arg]
        document = self.shot.current_document().model_dump(mode="json")
        document["elements"] = [{"kind": "emblem", "id": "logo", "drawing": drawing}]
        return document

    def test_a_drawing_is_listed_with_its_colours_and_renders(self) -> None:
        drawing = self._upload(_STAR)
        self.assertEqual([one["name"] for one in drawing["facts"]["finishes"]], ["#2f4858", "#d9a441"])
        self.assertEqual((drawing["facts"]["width"], drawing["facts"]["notes"]), (94, []))
        self.assertEqual(self.get(f"/api/projects/{self.project.id}/files/drawings"), [drawing])
        document = self._document(drawing["key"])
        body = {"document": document, "frame": 1, "width": 96, "height": 54}
        self.post(f"/api/shots/{self.shot.id}/document", {"base": self.shot.current_id, "document": document}, "put")
        answer = self.client.post(f"/api/shots/{self.shot.id}/picture", body, content_type="application/json")
        self.assertEqual(answer.status_code, 200)

    def test_what_is_known_of_a_file_is_read_again_when_more_can_be_known(self) -> None:
        drawing = self._upload(_STAR)
        address = f"/api/projects/{self.project.id}/files/drawings"
        file = self.project.files.get()
        file.facts = {"summary": "as it was", "notes": ["a filter"]}
        file.save()
        self.assertEqual(self.get(address), [drawing])
        with mock.patch.object(read_again, "files") as kinds:
            kinds.get.return_value.version = file.facts.get("version", 1)
            self.get(address)
            kinds.get.return_value.facts.assert_not_called()
        # What cannot be read any more stays as it was known.
        file.facts = {"summary": "as it was"}
        file.save()
        with mock.patch("zeitbild.library.drawing.read_drawing", side_effect=DrawingError("broken", "drawing")):
            self.assertEqual(self.get(address)[0]["facts"]["summary"], "as it was")
        self.assertEqual(self._upload(_STAR)["key"], drawing["key"])

    def test_pictures_of_parts_become_a_drawing_whose_parts_they_are(self) -> None:
        def picture(colour: str) -> bytes:
            file = io.BytesIO()
            Image.new("RGBA", (30, 20), colour).save(file, "PNG")
            return file.getvalue()

        address = f"/api/projects/{self.project.id}/files/drawings"
        places = ["bird/02 head/eye.png", "bird/01 body.png", "bird/02 head/beak.png"]
        parts = [
            SimpleUploadedFile(place.split("/")[-1], picture(colour))
            for place, colour in zip(places, ("#111", "#e33", "#fa0"), strict=True)
        ]
        answer = self.client.post(address, {"file": parts, "place": places})
        self.assertEqual(answer.status_code, 200, answer.content[:300])
        found = answer.json()
        self.assertEqual(found["title"], "bird")
        limbs = [(limb["name"], limb["inside"]) for limb in found["facts"]["limbs"]]
        self.assertEqual(limbs, [("body", ""), ("head", ""), ("beak", "head"), ("eye", "head")])
        # The same in a ZIP, and one that holds something else.
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as file:
            for place in places:
                file.writestr(place, picture("#111"))
            file.writestr("__MACOSX/._eye.png", b"notes")
        self.assertEqual(len(self._upload(packed.getvalue(), "bird.zip")["facts"]["limbs"]), 4)
        with zipfile.ZipFile(packed, "a") as file:
            file.writestr("bird/plan.psd", b"layers")
        self.assertIn("plan.psd", self._upload(packed.getvalue(), "bird.zip", expect=422)["detail"])
        self.assertIn("unpacked", self._upload(packed.getvalue()[:400], "bird.zip", expect=422)["detail"])
        self.assertEqual(self.project.files.count(), 2)

    def test_the_same_file_twice_is_one(self) -> None:
        self.assertEqual(self._upload(_STAR), self._upload(_STAR, "again.svg"))

    def test_what_was_left_out_is_told(self) -> None:
        told = self._upload(_STAR.replace(b"</svg>", b"<text>Kap</text></svg>"))["facts"]["notes"]
        self.assertIn("Kap", told[0])

    def test_broken_files_say_so_and_are_not_kept(self) -> None:
        for data in (b"", b"not a drawing", _STAR[:100], b'<svg xmlns="http://www.w3.org/2000/svg"/>'):
            answer = self._upload(data, "../../evil\\name.svg", expect=422)
            self.assertIn("name.svg", answer["detail"])
            self.assertNotIn("evil", answer["detail"])
        self.assertEqual(self.project.files.count(), 0)

    def test_limits_and_unknown_kinds_are_told(self) -> None:
        self.assertIn("drawings", self._upload(_STAR, kind="nonsense", expect=422)["detail"])
        with mock.patch.object(add_file, "MAX_FILES", 0):
            self.assertIn("0 files", self._upload(_STAR, expect=422)["detail"])

    def test_a_file_of_another_project_cannot_be_used(self) -> None:
        drawing = self._upload(_STAR)
        other = create_project(self.ada, code="B", title="Other", defaults={})
        row = self.post(f"/api/projects/{other.id}/shots", {"code": "B1", "title": "x"})
        document = self._document(drawing["key"])
        self.assertEqual(list(named_assets(document)), ["elements.0.drawing"])
        body = {"base": row["revision"], "document": document}
        answer = self.post(f"/api/shots/{row['id']}/document", body, "put", expect=422)
        self.assertEqual(answer["problems"][0]["field"], "elements.0.drawing")

    def test_a_copied_project_keeps_its_files(self) -> None:
        drawing = self._upload(_STAR)
        copy = self.post(f"/api/projects/{self.project.id}/duplicate")
        self.assertEqual(self.get(f"/api/projects/{copy['id']}/files/drawings"), [drawing])
