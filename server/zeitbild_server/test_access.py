"""Every address that names something of somebody's: closed to those who are signed out, and to strangers."""

from typing import Any

from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone

from assets.actions.add_file import add_file
from assets.models import Font
from brought.keeping import keep
from handoffs.actions.links import make_link
from handoffs.models import HandOff
from projects.actions.create_project import create_project
from projects.models import Membership, Project, Role
from shots.models import Shot
from zeitbild.drawings import SHIPPED
from zeitbild.library import files
from zeitbild_server.api import api
from zeitbild_server.testing import StudioCase

#: Least roles that differ from the rule: reading is for viewers, everything else for editors.
_LOOKING = {
    *("renderPicture", "examine", "frameCamera", "whereElementsLie", "elementsAt", "histogram", "findPalette"),
    *(
        "giveUpJob",
        "movingValues",
        "retime",
        "speak",
        "foundStrokes",
        "marksOfElement",
        "waveforms",
        "listen",
        "wayOfElement",
    ),
}
_OWNING = {"deleteProject", "restoreProject", "addMember", "changeMember", "getJournal"}
#: Anybody may leave; putting others out is for owners, and has a test of its own.
_LEAVING = {"removeMember"}
#: Operations that wait for what is to come; a stranger gets the same answer from them as from the rest.
_METHODS = ("get", "post", "put", "delete")


class Access(StudioCase):
    def setUp(self) -> None:
        super().setUp()
        run, handoff = self.delivered()
        self.places: dict[str, Any] = {
            "project_id": self.project.id,
            "shot_id": self.shot.id,
            "run_id": run,
            "handoff_id": handoff,
            "other_id": handoff,
            "link_id": make_link(self.ada, HandOff.objects.get(id=handoff), 5).id,
            "form": 1,
            "at": 0,
            "layer": "sign",
            "job": "none",
            "kind": "drawings",
            "frame": 1,
            "revision": self.fresh().current_id,
        }
        drawing = SimpleUploadedFile("badge.svg", SHIPPED["badge"].path.read_bytes())
        brought = add_file(self.project, files.get("drawings"), [drawing])
        self.places |= {
            "sha256": brought.sha256,
            "kept": keep(self.project, "finish", "Brass", {"roughness": 0.2}).id,
        }
        self.ben = User.objects.create_user("ben", password="x")
        self.places["member_id"] = Membership.objects.create(project=self.project, user=self.ben).id
        document = self.shot.current_document().model_dump(mode="json")
        seen = {"document": document, "frame": 1}
        #: A body that holds, for every operation that takes one.
        self.bodies: dict[str, dict[str, Any]] = {
            "keepNamingRule": {"name": "Plain", "rule": "{shot}.{frame:04}.{ext}"},
            "changeProject": {"code": "X", "title": "Taken"},
            "addMember": {"username": "eve"},
            "changeMember": {"role": "viewer"},
            "undo": {"base": self.fresh().current_id},
            "redo": {"base": self.fresh().current_id},
            "createShot": {"code": "X1", "title": "Mine"},
            "saveDocument": {"base": self.fresh().current_id, "document": document, "label": "x"},
            "renderPicture": {**seen, "width": 32, "height": 18},
            "examine": {"document": document},
            "frameCamera": seen,
            "whereElementsLie": seen,
            "elementsAt": {**seen, "x": 1, "y": 1},
            "adoptFiles": {"keys": [f"asset:{brought.sha256}"]},
            "keep": {"kind": "finish", "name": "Mine", "content": {}},
            "movingValues": {"document": document, "frames": [1]},
            "waveforms": {"document": document, "first": 1, "count": 4},
            "wayOfElement": {"document": document, "element": document["elements"][0]["id"], "frames": [1]},
            "listen": {"document": document, "first": 1, "count": 4},
            "retime": {"document": document, "what": "reverse-all"},
            "foundStrokes": {"document": document, "element": "none"},
            "marksOfElement": {"document": document, "element": "none"},
            "speak": {"document": document, "sound": "", "mouth": "", "values": {}},
            "histogram": seen,
            "findPalette": seen,
            "estimate": {"document": document},
            "startRun": {"base": self.fresh().current_id},
            "makeLink": {"days": 3},
            "tryForms": {"forms": [{"recipe": "png8"}]},
            "aimForSize": {"form": {"recipe": "webp-moving"}, "megabytes": 2, "by": "width"},
            "startHandOff": {"forms": [{"recipe": "png8"}]},
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
        self.assertEqual(self.project.memberships.count(), 2)
        self.assertEqual(self.project.shots.count(), 1)
        self.assertEqual((self.project.fonts.count(), self.project.pictures.count()), (0, 0))
        self.assertEqual((self.project.files.count(), self.project.kept.count()), (1, 1))

    def _least(self, name: str, method: str) -> Role:
        if name in _OWNING:
            return Role.OWNER
        return Role.VIEWER if method == "get" or name in _LOOKING else Role.EDITOR

    def test_members_may_what_their_role_says_on_every_route(self) -> None:
        cat = User.objects.create_user("cat", password="x")
        mine = Membership.objects.create(project=self.project, user=cat)
        User.objects.create_user("eve", password="x")
        started = self.fresh().current_id
        for role in Role:
            for operation in self._operations():
                name, method = operation[:2]
                if name in _LEAVING or name.startswith("watch"):
                    continue
                Project.objects.update(deleted_at=timezone.now() if name == "restoreProject" else None)
                Shot.objects.filter(id=self.shot.id).update(
                    deleted_at=timezone.now() if name == "restoreShot" else None, current=started
                )
                Membership.objects.filter(id=mine.id).update(role=role)
                self.client.force_login(cat)
                answer = self._answer(*operation)
                with self.subTest(role=role, operation=name):
                    if role.rank < self._least(name, method).rank:
                        self.assertEqual(answer, 403)
                    elif name == "lookForJob":
                        # There is none (test_jobs), and a member is told so.
                        self.assertEqual(answer, 404)
                    else:
                        # Some have nothing to do (nothing to undo, no font in the file), but none is refused.
                        self.assertIn(answer, (200, 204, 422))

    def test_one_may_leave_and_only_owners_put_others_out(self) -> None:
        people = f"/api/projects/{self.project.id}/members"
        ids = {one["username"]: one["id"] for one in self.get(people)}
        self.assertEqual({one["username"]: one["role"] for one in self.get(people)}, {"ada": "owner", "ben": "editor"})
        # The last owner stays, and stays one.
        self.post(f"{people}/{ids['ada']}", method="delete", expect=422)
        self.assertIn("owner", self.post(f"{people}/{ids['ada']}", {"role": "editor"}, "put", expect=422)["detail"])
        self.client.force_login(self.ben)
        self.post(f"{people}/{ids['ada']}", method="delete", expect=403)
        self.post(f"{people}/{ids['ben']}", method="delete", expect=204)
        self.get(f"/api/projects/{self.project.id}", expect=404)
        self.client.force_login(self.ada)
        again = {one["username"]: one["id"] for one in self.post(people, {"username": "ben", "role": "viewer"})}
        self.post(people, {"username": "ben"}, expect=422)
        self.post(f"{people}/{again['ben']}", {"role": "emperor"}, "put", expect=422)
        self.post(f"{people}/{again['ben']}", {"role": "owner"}, "put")
        # With two owners the first may go.
        self.post(f"{people}/{ids['ada']}", method="delete", expect=204)
        self.client.force_login(self.ben)
        told = [
            (one["name"], one["what"], one["about"]) for one in self.get(f"/api/projects/{self.project.id}/journal")
        ]
        self.assertIn(("ada", "left the project", ""), told)
        self.assertIn(("ada", "changed the role of", "ben, owner"), told)
        self.assertIn(("ada", "shared the project with", "ben, viewer"), told)

    def test_nobodys_file_is_used_through_examining_or_framing(self) -> None:
        # A font of another project, named by its digest.
        other = create_project(self.ben, code="B", title="Ben's", defaults={})
        Font.objects.create(project=other, sha256="ab" * 32, title="Ben's own", file_name="b.ttf")
        document = self.shot.current_document().model_dump(mode="json")
        document["elements"][0]["font"] = "asset:" + "ab" * 32
        for what in ("examine", "framing", "histogram", "palette", "estimate"):
            body = {"document": document, "frame": 1}
            refused = self.post(f"/api/shots/{self.shot.id}/{what}", body, expect=422)
            self.assertIn("not in the project", refused["detail"], what)

    def test_a_poster_of_a_revision_that_is_not_there_is_missing(self) -> None:
        self.assertEqual(
            self.client.get(f"/api/shots/{self.shot.id}/poster/{self.fresh().current_id}").status_code, 200
        )
        self.assertEqual(self.client.get(f"/api/shots/{self.shot.id}/poster/999999").status_code, 404)
