"""Every address that names something of somebody's: closed to those who are signed out, and to strangers."""

from typing import Any

from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile

from zeitbild_server.api import api
from zeitbild_server.testing import StudioCase

#: Operations that wait for what is to come; a stranger gets the same answer from them as from the rest.
_METHODS = ("get", "post", "put", "delete")


class Access(StudioCase):
    def setUp(self) -> None:
        super().setUp()
        run = self.post(f"/api/shots/{self.shot.id}/runs", {"base": self.fresh().current_id, "frame_set": "1"})
        self.work()
        handoff = self.post(f"/api/runs/{run['id']}/handoffs", {"recipe": "png8"})
        self.work()
        self.places: dict[str, Any] = {
            "project_id": self.project.id,
            "shot_id": self.shot.id,
            "run_id": run["id"],
            "handoff_id": handoff["id"],
            "layer": "sign",
            "frame": 1,
            "revision": self.fresh().current_id,
        }
        document = self.shot.current_document().model_dump(mode="json")
        seen = {"document": document, "frame": 1}
        #: A body that holds, for every operation that takes one.
        self.bodies: dict[str, dict[str, Any]] = {
            "changeProject": {"code": "X", "title": "Taken"},
            "addMember": {"username": "eve"},
            "createShot": {"code": "X1", "title": "Mine"},
            "saveDocument": {"base": self.fresh().current_id, "document": document, "label": "x"},
            "renderPicture": {**seen, "width": 32, "height": 18},
            "examine": {"document": document},
            "frameCamera": seen,
            "histogram": seen,
            "findPalette": seen,
            "estimate": {"document": document},
            "startRun": {"base": self.fresh().current_id},
            "startHandOff": {"recipe": "png8"},
        }

    def _operations(self) -> list[tuple[str, str, str, dict[str, Any]]]:
        """Name, method, address and description of every operation that names something in its address."""
        found = []
        for path, methods in api.get_openapi_schema()["paths"].items():
            for method, operation in methods.items():
                if method in _METHODS and "{" in path:
                    found.append((operation["operationId"], method, path.format(**self.places), operation))
        return found

    def _answer(self, name: str, method: str, path: str, operation: dict[str, Any]) -> int:
        kinds = operation.get("requestBody", {}).get("content", {})
        if "multipart/form-data" in kinds:
            return self.client.post(path, {"file": SimpleUploadedFile("x.ttf", b"x")}).status_code
        if name == "probeCell":
            path += "?x=1&y=1"
        body = self.bodies.get(name, {})
        if kinds:
            self.assertIn(name, self.bodies, f"give a body for the new operation {name}")
        send = getattr(self.client, method)
        return int(
            send(path, body, content_type="application/json").status_code if method != "get" else send(path).status_code
        )

    def test_there_are_as_many_as_there_should_be(self) -> None:
        names = [name for name, *_ in self._operations()]
        self.assertEqual(len(names), len(set(names)))
        self.assertGreater(len(names), 40)
        self.assertLessEqual(set(self.bodies), set(names))

    def test_signed_out_people_reach_nothing(self) -> None:
        self.client.logout()
        for operation in self._operations():
            self.assertEqual(self._answer(*operation), 401, operation[:3])

    def test_strangers_reach_nothing_and_change_nothing(self) -> None:
        before = self.shot.current_document()
        self.client.force_login(User.objects.create_user("eve", password="x"))
        for operation in self._operations():
            self.assertEqual(self._answer(*operation), 404, operation[:3])
        self.client.force_login(self.ada)
        fresh = self.fresh()
        self.assertEqual(fresh.current_document(), before)
        self.assertIsNone(fresh.deleted_at)
        self.assertEqual(self.project.memberships.count(), 1)
        self.assertEqual(self.project.shots.count(), 1)
        self.assertEqual((self.project.fonts.count(), self.project.pictures.count()), (0, 0))

    def test_members_reach_what_strangers_do_not(self) -> None:
        for name in (
            "getProject",
            "getShot",
            "listPictures",
            "listFonts",
            "getRun",
            "getManifest",
            "histogram",
            "findPalette",
        ):
            operation = next(one for one in self._operations() if one[0] == name)
            self.assertEqual(self._answer(*operation), 200, name)
