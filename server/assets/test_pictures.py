"""Uploaded pictures of surroundings: taken in, used, refused, and kept to their project."""

from typing import Any

import cv2
import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile

from projects.actions.create_project import create_project
from zeitbild_server.testing import StudioCase


def _sky(width: int = 64, height: int = 32, level: float = 1.0) -> bytes:
    done, data = cv2.imencode(".hdr", np.full((height, width, 3), level, np.float32))
    assert done
    return bytes(data.tobytes())


class Pictures(StudioCase):
    def _upload(self, data: bytes, name: str = "shore.hdr", expect: int = 200) -> Any:
        place = f"/api/projects/{self.project.id}/skies"
        response = self.client.post(place, {"file": SimpleUploadedFile(name, data)})
        self.assertEqual(response.status_code, expect, response.content[:300])
        return response.json()

    def _document(self, key: str) -> Any:
        document = self.shot.current_document().model_dump(mode="json")
        document["environment"] |= {"source": "picture", "picture": key}
        return document

    def test_an_uploaded_picture_is_listed_lights_and_is_saved(self) -> None:
        picture = self._upload(_sky(level=3))
        self.assertEqual((picture["title"], picture["width"], picture["height"]), ("shore.hdr", 64, 32))
        self.assertEqual(self.get(f"/api/projects/{self.project.id}/pictures"), [picture])
        self.assertEqual(self._upload(_sky(level=3))["key"], picture["key"])
        place = f"/api/shots/{self.shot.id}"
        lit, dark = (
            self.post(f"{place}/histogram", {"document": self._document(key), "frame": 1})
            for key in (picture["key"], "")
        )
        bright = [sum(share * bin for bin, share in enumerate(one["red"])) for one in (lit, dark)]
        self.assertGreater(bright[0], bright[1])
        body = {"base": self.shot.current_id, "document": self._document(picture["key"])}
        self.post(f"{place}/document", body, "put")

    def test_what_is_no_such_picture_says_so(self) -> None:
        for data, words in ((b"", "no picture"), (b"text", "no picture"), (_sky(64, 64), "twice as wide")):
            answer = self._upload(data, "../../evil\\name.hdr", expect=422)
            self.assertIn(words, answer["detail"])
            self.assertIn("name.hdr", answer["detail"])
            self.assertNotIn("evil", answer["detail"])

    def test_a_picture_of_another_project_cannot_be_used(self) -> None:
        key = self._upload(_sky())["key"]
        other = create_project(self.ada, code="B", title="Other", defaults={})
        row = self.post(f"/api/projects/{other.id}/shots", {"code": "B1", "title": "x"})
        for place, body in (
            (f"/api/shots/{row['id']}/histogram", {"document": self._document(key), "frame": 1}),
            (f"/api/shots/{row['id']}/palette", {"document": self._document(key), "frame": 1}),
        ):
            answer = self.post(place, body, expect=422)
            self.assertEqual(answer["problems"][0]["field"], "environment.picture")
        body = {"base": row["revision"], "document": self._document(key)}
        self.post(f"/api/shots/{row['id']}/document", body, "put", expect=422)

    def test_a_copied_project_keeps_its_pictures(self) -> None:
        picture = self._upload(_sky())
        copy = self.post(f"/api/projects/{self.project.id}/duplicate")
        self.assertEqual(self.get(f"/api/projects/{copy['id']}/pictures"), [picture])

    def test_pictures_for_surfaces_have_any_shape(self) -> None:
        place = f"/api/projects/{self.project.id}/pictures"
        picture = self.client.post(place, {"file": SimpleUploadedFile("tiles.hdr", _sky(40, 30))}).json()
        self.assertEqual((picture["title"], picture["width"], picture["height"]), ("tiles.hdr", 40, 30))
        document = self.shot.current_document().model_dump(mode="json")
        document["elements"][0]["face"]["base_map"] = picture["key"]
        asked = {"document": document, "frame": 1, "width": 96, "height": 54}
        drawn = self.client.post(f"/api/shots/{self.shot.id}/picture", asked, content_type="application/json")
        self.assertEqual(drawn.status_code, 200, drawn.content[:300])
        self.post(f"/api/shots/{self.shot.id}/document", {"base": self.shot.current_id, "document": document}, "put")
        # The same picture as surroundings says at its field what is wrong.
        document["environment"] |= {"source": "picture", "picture": picture["key"]}
        answer = self.post(f"/api/shots/{self.shot.id}/histogram", {"document": document, "frame": 1}, expect=422)
        self.assertEqual(answer["problems"][0]["field"], "environment.picture")
        self.assertEqual(self.client.post(place, {"file": SimpleUploadedFile("x.png", b"no")}).status_code, 422)
