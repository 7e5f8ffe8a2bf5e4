"""The library of a project: listed with where files are used, put away and back, replaced in all shots or in none, and pictured."""

import io
from typing import Any
from unittest import mock

import numpy as np
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from projects.actions.create_project import create_project
from projects.models import Membership, Role
from zeitbild.drawings import SHIPPED
from zeitbild.fonts import SHIPPED as FONTS
from zeitbild.models import SHIPPED as MODELS
from zeitbild_server.testing import StudioCase

_BADGE, _WAVES = (SHIPPED[name].path.read_bytes() for name in ("badge", "waves"))


def _png(level: int = 200, size: tuple[int, int] = (24, 16)) -> bytes:
    out = io.BytesIO()
    Image.new("RGBA", size, (level, 60, 20, 255)).save(out, "PNG")
    return out.getvalue()


class Library(StudioCase):
    def setUp(self) -> None:
        super().setUp()
        self.place = f"/api/projects/{self.project.id}"
        self.bob = User.objects.create_user("bob", password="lamp-room-8")

    def _send(self, address: str, *files: tuple[str, bytes], expect: int = 200) -> Any:
        uploads = [SimpleUploadedFile(name, data) for name, data in files]
        response = self.client.post(f"{self.place}/{address}", {"file": uploads})
        self.assertEqual(response.status_code, expect, response.content[:300])
        return response.json() if response.content else None

    def _use(self, *elements: dict[str, Any]) -> None:
        self.shot.refresh_from_db()
        document = self.shot.current_document().model_dump(mode="json")
        document["elements"] = list(elements)
        self.post(f"/api/shots/{self.shot.id}/document", {"base": self.shot.current_id, "document": document}, "put")
        self.shot.refresh_from_db()

    def _rows(self) -> dict[str, Any]:
        return {row["title"]: row for row in self.get(f"{self.place}/library")}

    def test_everything_is_listed_with_where_it_is_used(self) -> None:
        self._send("fonts", ("own.ttf", FONTS["lobster-two"].path.read_bytes()))
        self._send("pictures", ("wood.png", _png()))
        logo = self._send("files/drawings", ("logo.svg", _BADGE))["key"]
        self._send("files/footage", *((f"sea_{n}.png", _png(n)) for n in (1, 2, 3)))
        self._use({"kind": "emblem", "id": "a", "name": "Sign", "drawing": logo}, {"kind": "title", "id": "b"})
        rows = self._rows()
        self.assertEqual(set(rows), {"Lobster Two Bold Italic", "wood.png", "logo.svg", "sea_1–3"})
        self.assertEqual(
            [(use["code"], use["elements"]) for use in rows["logo.svg"]["uses"]], [(self.shot.code, ["Sign"])]
        )
        self.assertEqual(rows["sea_1–3"]["uses"], [])
        self.assertEqual(rows["logo.svg"]["bytes"], len(_BADGE))
        self.assertIn("3 pictures", rows["sea_1–3"]["note"])

    def test_what_is_used_stays_and_what_is_not_goes_and_comes_back(self) -> None:
        logo = self._send("files/drawings", ("logo.svg", _BADGE))["key"]
        self._use({"kind": "emblem", "id": "a", "drawing": logo})
        address = f"{self.place}/library/drawings/{logo.removeprefix('asset:')}"
        answer = self.client.delete(address)
        self.assertEqual(answer.status_code, 422)
        self.assertIn(self.shot.code, answer.json()["detail"])
        self._use({"kind": "title", "id": "b"})
        self.assertEqual(self.client.delete(address).status_code, 204)
        self.assertEqual((self._rows(), self.get(f"{self.place}/files/drawings")), ({}, []))
        (away,) = self.get(f"{self.place}/library?deleted=true")
        self.assertEqual((away["title"], away["key"], away["bytes"]), ("logo.svg", logo, len(_BADGE)))
        self.assertEqual(self.client.delete(address).status_code, 404)
        # Undone to where it was used, it is still there, and can be saved.
        undone = self.post(f"/api/shots/{self.shot.id}/undo", {"base": self.shot.current_id})
        self.post(
            f"/api/shots/{self.shot.id}/document", {"base": undone["revision"], "document": undone["document"]}, "put"
        )
        self.assertEqual(self.client.post(f"{address}/back").status_code, 204)
        self.assertEqual(list(self._rows()), ["logo.svg"])
        self.assertEqual(self.get(f"{self.place}/library?deleted=true"), [])

    def test_what_was_put_away_is_back_when_it_is_brought_again(self) -> None:
        logo = self._send("files/drawings", ("logo.svg", _BADGE))["key"]
        self.client.delete(f"{self.place}/library/drawings/{logo.removeprefix('asset:')}")
        self.assertEqual(self._send("files/drawings", ("logo.svg", _BADGE))["key"], logo)
        self.assertEqual(list(self._rows()), ["logo.svg"])

    def test_another_file_in_its_place_in_every_shot(self) -> None:
        logo = self._send("files/drawings", ("logo.svg", _BADGE))["key"]
        elements = [{"kind": "emblem", "id": name, "drawing": logo} for name in ("a", "b")]
        self._use(*elements)
        other = self.post(f"{self.place}/shots", {"code": "KM900", "title": "Other"})
        document = {**other_document(self, other["id"]), "elements": elements[:1]}
        self.post(f"/api/shots/{other['id']}/document", {"base": other["revision"], "document": document}, "put")
        before = self.shot.current_id
        address = f"replace/{logo.removeprefix('asset:')}/drawings"
        found = self._send(address, ("new.svg", _WAVES))
        self.assertEqual(found["shots"], sorted([self.shot.code, "KM900"]))
        self.shot.refresh_from_db()
        self.assertEqual({one.drawing for one in self.shot.current_document().elements}, {found["key"]})  # type: ignore[union-attr]
        self.assertEqual(
            self.post(f"/api/shots/{self.shot.id}/undo", {"base": self.shot.current_id})["revision"], before
        )

    def test_what_is_refused_in_its_place_changes_nothing(self) -> None:
        logo = self._send("files/drawings", ("logo.svg", _BADGE))["key"]
        self._use({"kind": "emblem", "id": "a", "drawing": logo})
        before = self.shot.current_id
        address = f"replace/{logo.removeprefix('asset:')}/drawings"
        self._send(address, ("new.svg", b"<svg"), expect=422)
        with mock.patch("brought.actions.save_document", side_effect=RuntimeError), self.assertRaises(RuntimeError):
            self._send(address, ("new.svg", _WAVES))
        self.shot.refresh_from_db()
        self.assertEqual(self.shot.current_id, before)

    def test_a_poster_of_each_kind_shows_something(self) -> None:
        keys = {
            "fonts": self._send("fonts", ("own.ttf", FONTS["lobster-two"].path.read_bytes()))["key"],
            "pictures": self._send("pictures", ("wood.png", _png()))["key"],
            "drawings": self._send("files/drawings", ("logo.svg", _BADGE))["key"],
            "models": self._send("files/models", ("buoy.glb", MODELS["buoy"].path.read_bytes()))["key"],
            "footage": self._send("files/footage", *((f"sea_{n}.png", _png(n * 60)) for n in (1, 2, 3)))["key"],
        }
        for kind, key in keys.items():
            with self.subTest(kind):
                answer = self.client.get(f"{self.place}/library/{kind}/{key.removeprefix('asset:')}/poster")
                self.assertEqual(answer.status_code, 200, answer.content[:200])
                pixels = np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB"), int)
                self.assertEqual(pixels.shape, (192, 288, 3))
                middle = pixels[96, 144].tolist()
                # Of a sequence the middle one.
                flat = {"pictures": [200, 60, 20], "footage": [120, 60, 20]}
                if kind in flat:
                    self.assertEqual(middle, flat[kind])
                else:
                    self.assertGreater(int(np.ptp(pixels[60:130, 90:200].reshape(-1, 3), axis=0).max()), 60)

    def test_nobody_elses_files_are_seen_replaced_or_put_away(self) -> None:
        logo = self._send("files/drawings", ("logo.svg", _BADGE))["key"].removeprefix("asset:")
        self.client.force_login(self.bob)
        for method, address in (
            ("get", "library"),
            ("get", f"library/drawings/{logo}/poster"),
            ("delete", f"library/drawings/{logo}"),
            ("post", f"library/drawings/{logo}/back"),
        ):
            self.assertEqual(getattr(self.client, method)(f"{self.place}/{address}").status_code, 404, address)
        self._send(f"replace/{logo}/drawings", ("new.svg", _WAVES), expect=404)
        # Who may only look cannot change anything.
        Membership.objects.create(project=self.project, user=self.bob, role=Role.VIEWER)
        self.assertEqual(self.client.delete(f"{self.place}/library/drawings/{logo}").status_code, 403)

    def test_pasting_brings_files_along_that_one_may_see_and_no_others(self) -> None:
        logo = self._send("files/drawings", ("logo.svg", _BADGE))["key"]
        mine = create_project(self.ada, code="M", title="Mine", defaults={})
        self.assertEqual(
            self.client.post(f"/api/projects/{mine.id}/adopt", {"keys": [logo]}, "application/json").status_code, 204
        )
        self.assertEqual([row["key"] for row in self.get(f"/api/projects/{mine.id}/library")], [logo])
        bobs = create_project(self.bob, code="B", title="Bobs", defaults={})
        self.client.force_login(self.bob)
        self.client.post(
            f"/api/projects/{bobs.id}/adopt", {"keys": [logo, "asset:" + "0" * 64, "x"]}, "application/json"
        )
        self.assertEqual(self.get(f"/api/projects/{bobs.id}/library"), [])

    def test_hundreds_of_pictures_come_at_once(self) -> None:
        pictures = [(f"sea_{n:04d}.png", _png(n % 200, (8, 8))) for n in range(1, 301)]
        found = self._send("files/footage", *pictures)
        self.assertEqual((found["facts"]["count"], found["facts"]["notes"]), (300, []))
        twice = self._send("files/footage", pictures[0], pictures[0], expect=422)
        self.assertIn("two of the files are called sea_0001.png", twice["detail"])

    def test_large_files_are_never_in_memory_as_a_whole(self) -> None:
        big = b"\x00" * (6 << 20)
        with mock.patch("pathlib.Path.read_bytes", side_effect=AssertionError("read as a whole")):
            answer = self._send("files/footage", ("big.mov", big), expect=422)
        self.assertIn("big.mov", answer["detail"])


def other_document(case: StudioCase, shot: int) -> Any:
    return case.get(f"/api/shots/{shot}")["document"]


class Keeping(StudioCase):
    def setUp(self) -> None:
        super().setUp()
        self.place = f"/api/projects/{self.project.id}/kept"
        self.document = self.shot.current_document().model_dump(mode="json")

    def _keep(self, kind: str, name: str, content: Any, expect: int = 200) -> Any:
        return self.post(self.place, {"kind": kind, "name": name, "content": content}, expect=expect)

    def test_everything_that_can_be_kept_is_listed_and_pictured(self) -> None:
        element = [self.document["elements"][0]]
        finish = {"base_colour": "#d9a94e", "metalness": 1, "roughness": 0.2}
        made = [
            self._keep("finish", "Brass", finish),
            self._keep("lights", "Evening", self.document["lights"]),
            self._keep("camera", "Low", self.document["camera"]),
            self._keep("element", "Word", element),
        ]
        self.assertEqual({one["name"] for one in self.get(self.place)}, {"Brass", "Evening", "Low", "Word"})
        for one in made:
            with self.subTest(one["kind"]):
                answer = self.client.get(f"{self.place}/{one['id']}/poster")
                self.assertEqual(answer.status_code, 200, answer.content[:200])
                pixels = np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB"), int)
                self.assertGreater(int(np.ptp(pixels.reshape(-1, 3), axis=0).max()), 60)

    def test_a_group_is_kept_with_what_stands_in_it(self) -> None:
        solid = {"kind": "solid", "id": "a", "name": "A", "inside": "g", "surface": {"base_colour": "#d02020"}}
        other = {**solid, "id": "b", "shown": False}
        one = self._keep("element", "Both", [{"kind": "group", "id": "g", "name": "G", "shown": False}, solid, other])
        alone = self._keep("element", "Place", [{"kind": "group", "id": "g", "name": "G"}])
        levels = []
        for kept in (one, alone):
            answer = self.client.get(f"{self.place}/{kept['id']}/poster")
            self.assertEqual(answer.status_code, 200, answer.content[:200])
            pixels = np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB"), int)
            levels.append(int((pixels[..., 0] - pixels[..., 2]).max()))
        self.assertGreater(levels[0], 60)
        self.assertEqual(levels[1], 0)

    def test_the_same_name_again_takes_its_place(self) -> None:
        first = self._keep("finish", "Brass", {"roughness": 0.2})
        other = self._keep("finish", " Brass ", {"roughness": 0.7})
        self.assertEqual(
            (other["id"], [one["content"] for one in self.get(self.place)]), (first["id"], [{"roughness": 0.7}])
        )
        # A camera may be called the same.
        self._keep("camera", "Brass", {})
        self.assertEqual(len(self.get(self.place)), 2)

    def test_what_does_not_hold_is_refused(self) -> None:
        for kind, content in (
            ("finish", {"roughness": 7}),
            ("finish", []),
            ("lights", {"kind": "sun"}),
            ("lights", [{"kind": "nonsense"}]),
            ("camera", {"angle": "wide"}),
            ("element", [{"kind": "emblem", "id": "a", "drawing": "asset:" + "0" * 64}]),
            ("element", "word"),
            ("element", []),
            ("element", self.document["elements"][0]),
            # What it names has to come along.
            ("element", [{"kind": "solid", "id": "a", "name": "A", "inside": "b"}]),
            ("element", [{"kind": "solid", "id": "a", "name": "A", "surface": {"named": "Brass"}}]),
            ("shot", {}),
        ):
            with self.subTest(kind, content=content):
                self._keep(kind, "x", content, expect=422)
        self._keep("finish", "   ", {}, expect=422)
        self.assertEqual(self.get(self.place), [])

    def test_it_goes_and_comes_back_unless_its_name_is_taken(self) -> None:
        one = self._keep("finish", "Brass", {"roughness": 0.2})
        self.assertEqual(self.client.delete(f"{self.place}/{one['id']}").status_code, 204)
        self.assertEqual(self.get(self.place), [])
        self.assertEqual([row["name"] for row in self.get(f"{self.place}?deleted=true")], ["Brass"])
        self.assertEqual(self.client.post(f"{self.place}/{one['id']}/back").status_code, 204)
        self.assertEqual(self.get(f"{self.place}?deleted=true"), [])
        self.client.delete(f"{self.place}/{one['id']}")
        self._keep("finish", "Brass", {"roughness": 0.9})
        self.assertEqual(self.client.post(f"{self.place}/{one['id']}/back").status_code, 422)
        self.assertEqual([row["content"] for row in self.get(self.place)], [{"roughness": 0.9}])

    def test_a_copied_project_keeps_it_too(self) -> None:
        self._keep("finish", "Brass", {"roughness": 0.2})
        copy = self.post(f"/api/projects/{self.project.id}/duplicate")
        self.assertEqual([one["name"] for one in self.get(f"/api/projects/{copy['id']}/kept")], ["Brass"])

    def test_it_is_the_projects_own(self) -> None:
        one = self._keep("finish", "Brass", {"roughness": 0.2})
        self.client.force_login(User.objects.create_user("bob", password="lamp-room-8"))
        for method, address in (
            ("get", ""),
            ("delete", f"/{one['id']}"),
            ("post", f"/{one['id']}/back"),
            ("get", f"/{one['id']}/poster"),
        ):
            self.assertEqual(getattr(self.client, method)(self.place + address).status_code, 404)
