"""Uploaded fonts: taken in, used, refused, and kept to their project."""

from io import BytesIO

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from fontTools.ttLib import TTFont

from projects.actions.create_project import create_project
from zeitbild.assets import AssetFolder
from zeitbild.fonts import SHIPPED
from zeitbild.geometry.font import strangers_face
from zeitbild.geometry.test_font_styles import varying
from zeitbild.paths import assets_folder
from zeitbild_server.testing import StudioCase


def _packed(data: bytes, flavor: str) -> bytes:
    """A font packed by an independent library."""
    with TTFont(BytesIO(data), recalcTimestamp=False) as font:
        font.flavor = flavor
        out = BytesIO()
        font.save(out)
    return out.getvalue()


class Fonts(StudioCase):
    def _upload(self, data: bytes, name: str = "Own.otf", expect: int = 200) -> dict:  # type: ignore[type-arg]
        response = self.client.post(f"/api/projects/{self.project.id}/fonts", {"file": SimpleUploadedFile(name, data)})
        self.assertEqual(response.status_code, expect, response.content[:300])
        return response.json()  # type: ignore[no-any-return]

    def _document(self, font: str) -> dict:  # type: ignore[type-arg]
        document = self.shot.current_document().model_dump(mode="json")
        document["elements"][0]["font"] = font
        return document

    def test_an_uploaded_font_is_listed_and_renders(self) -> None:
        font = self._upload(SHIPPED["lobster-two"].path.read_bytes())
        self.assertEqual(font["title"], "Lobster Two Bold Italic")
        self.assertEqual(self.get(f"/api/projects/{self.project.id}/fonts"), [font])
        body = {"document": self._document(font["key"]), "frame": 1, "width": 96, "height": 54}
        self.assertEqual(
            self.client.post(f"/api/shots/{self.shot.id}/picture", body, content_type="application/json").status_code,
            200,
        )
        self.post(
            f"/api/shots/{self.shot.id}/document", {"base": self.shot.current_id, "document": body["document"]}, "put"
        )

    def test_fonts_as_the_web_packs_them_are_those_that_they_were(self) -> None:
        for name in ("lobster-two", "lato-black"):
            data = SHIPPED[name].path.read_bytes()
            plain = self._upload(data)
            for flavor in ("woff", "woff2"):
                with self.subTest(name=name, flavor=flavor):
                    packed = self._upload(_packed(data, flavor), f"Own.{flavor}")
                    self.assertEqual(packed["title"], plain["title"])
                    one, other = (
                        strangers_face(AssetFolder(assets_folder()).path(font["key"].removeprefix("asset:")), name)
                        for font in (plain, packed)
                    )
                    shaped = [face.shaped("AgÄ&8", 0, 5, True, True) for face in (one, other)]
                    np.testing.assert_array_equal(shaped[0].advances, shaped[1].advances)
                    for left, right in zip(shaped[0].glyphs, shaped[1].glyphs, strict=True):
                        for own, same in zip(one.curves(int(left)), other.curves(int(right)), strict=True):
                            np.testing.assert_array_equal(own.curves, same.curves)
                    # The same file is the same font.
                    self.assertEqual(self._upload(_packed(data, flavor), "Again.woff")["key"], packed["key"])

    def test_packed_fonts_that_are_broken_or_too_large_say_so(self) -> None:
        data = SHIPPED["lato-black"].path.read_bytes()
        for flavor in ("woff", "woff2"):
            packed = _packed(data, flavor)
            huge = packed[:16] + (2_000_000_000).to_bytes(4, "big") + packed[20:]
            for wrong, words in ((packed[: len(packed) // 2], "is broken"), (huge, "unpacks to 2000 MB")):
                with self.subTest(flavor=flavor, words=words):
                    self.assertIn(words, self._upload(wrong, f"Own.{flavor}", expect=422)["detail"])

    def test_the_same_font_twice_is_one(self) -> None:
        data = SHIPPED["lobster-two"].path.read_bytes()
        self.assertEqual(self._upload(data), self._upload(data))

    def test_broken_fonts_say_so(self) -> None:
        for data in (b"", b"not a font", SHIPPED["amiri"].path.read_bytes()[:5000]):
            answer = self._upload(data, "../../evil\\name.ttf", expect=422)
            self.assertIn("name.ttf", answer["detail"])
            self.assertNotIn("evil", answer["detail"])

    def test_a_font_of_another_project_cannot_be_used(self) -> None:
        font = self._upload(SHIPPED["lobster-two"].path.read_bytes())
        other = create_project(self.ada, code="B", title="Other", defaults={})
        row = self.post(f"/api/projects/{other.id}/shots", {"code": "B1", "title": "x"})
        body = {"base": row["revision"], "document": self._document(font["key"])}
        answer = self.post(f"/api/shots/{row['id']}/document", body, "put", expect=422)
        self.assertEqual(answer["problems"][0]["field"], "elements.0.font")
        picture = {"document": self._document(font["key"]), "frame": 1, "width": 96, "height": 54}
        self.post(f"/api/shots/{row['id']}/picture", picture, expect=422)

    def test_a_copied_project_keeps_its_fonts(self) -> None:
        font = self._upload(SHIPPED["lobster-two"].path.read_bytes())
        copy = self.post(f"/api/projects/{self.project.id}/duplicate")
        self.assertEqual(self.get(f"/api/projects/{copy['id']}/fonts"), [font])

    def test_each_style_of_a_file_can_be_chosen(self) -> None:
        regular = self._upload(varying(), "Bar.ttf")
        listed = self.get(f"/api/projects/{self.project.id}/fonts")
        self.assertEqual([one["title"] for one in listed], ["Bar Regular", "Bar Thin", "Bar Bold", "Bar Black"])
        self.assertEqual(listed[0], regular)
        seen = set()
        for key in [one["key"] for one in listed]:
            document = self._document(key)
            document["elements"][0]["word"] = "A"
            body = {"document": document, "frame": 1, "width": 96, "height": 54}
            answer = self.client.post(f"/api/shots/{self.shot.id}/picture", body, content_type="application/json")
            self.assertEqual(answer.status_code, 200, answer.content[:300])
            seen.add(answer.content)
        self.assertEqual(len(seen), 4)
        library = self.get(f"/api/projects/{self.project.id}/library")
        self.assertIn("4 styles", str(library))
        body = {"document": self._document(f"{regular['key']}#9"), "frame": 1, "width": 96, "height": 54}
        answer = self.post(f"/api/shots/{self.shot.id}/picture", body, expect=422)
        self.assertIn("4 styles", str(answer))
        copy = self.post(f"/api/projects/{self.project.id}/duplicate")
        self.assertEqual(self.get(f"/api/projects/{copy['id']}/fonts"), listed)
