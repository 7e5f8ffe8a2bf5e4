"""Links by which anybody may look at a hand-off: what they show, when they end, what they never lead to."""

import io
import zipfile
from datetime import timedelta
from typing import Any
from unittest import mock

from asgiref.sync import async_to_sync
from django.test import Client
from django.utils import timezone

from handoffs import shared
from handoffs.actions import links
from handoffs.models import HandOff, Link
from handoffs.selectors import version_folder
from journal.models import Entry
from zeitbild_server.testing import StudioCase


def _all(answer: Any) -> bytes:
    if not answer.streaming:
        return bytes(answer.content)

    async def gathered() -> bytes:
        return b"".join([block async for block in answer])

    return async_to_sync(gathered)()


class Links(StudioCase):
    def setUp(self) -> None:
        super().setUp()
        _, number = self.delivered()
        self.handoff = HandOff.objects.get(id=number)
        self.address = f"/api/handoffs/{number}/links"
        self.stranger = Client()
        shared.quota.forget()

    def made(self, days: int = 7) -> str:
        return str(self.post(self.address, {"days": days})["path"])

    def test_anybody_with_it_sees_the_note_the_files_and_the_package(self) -> None:
        path = self.made()
        page = self.stranger.get(path)
        self.assertEqual(page.status_code, 200)
        text = page.content.decode()
        self.assertIn(self.handoff.shot.code, text)
        self.assertIn("package.zip", text)
        self.assertIn("holds until", text)
        self.assertEqual(page["Referrer-Policy"], "no-referrer")
        self.assertIn("noindex", page["X-Robots-Tag"])
        self.assertIn("no-store", page["Cache-Control"])
        data = _all(self.stranger.get(path + "package.zip"))
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            names = packed.namelist()
        folder = version_folder(self.handoff)
        for one in folder.rglob("*"):
            if one.is_file():
                answer = self.stranger.get(path + one.relative_to(folder).as_posix())
                self.assertEqual(answer.status_code, 200, one)
                if one.suffix != ".html":
                    self.assertEqual(_all(answer), one.read_bytes())
        self.assertGreater(len(names), 3)
        (own,) = self.get(self.address)
        self.assertEqual((own["visits"], own["path"]), (1, path))
        self.assertIsNotNone(own["last_at"])
        self.assertEqual(Entry.objects.filter(what="package-downloaded", name="somebody with a link").count(), 1)
        self.assertEqual(Entry.objects.filter(what="link-made").count(), 1)

    def test_a_part_of_a_file_is_given_as_movies_ask_for_it(self) -> None:
        answer = self.stranger.get(self.made() + "README.txt", headers={"range": "bytes=0-9"})
        self.assertEqual((answer.status_code, len(_all(answer))), (206, 10))

    def test_nothing_else_is_reached_by_it(self) -> None:
        path = self.made()
        for inner in (
            *(
                "../v001.zip",
                "%2e%2e/v001.zip",
                "..%2fv001.zip",
                "/etc/passwd",
                "%2fetc%2fpasswd",
                "nothing.png",
                "a%00b",
                "..%5cv001.zip",
            ),
            *("README.html/../../v001.zip", "."),
        ):
            self.assertIn(self.stranger.get(path + inner).status_code, (404, 301), inner)
        # A way out that somebody laid in the folder.
        link = version_folder(self.handoff) / "out.png"
        link.symlink_to("/etc/hostname")
        self.assertEqual(self.stranger.get(path + "out.png").status_code, 404)
        link.unlink()
        for method in ("post", "put", "delete", "patch"):
            self.assertEqual(getattr(self.stranger, method)(path).status_code, 405)
        self.assertEqual(self.stranger.get(self.address).status_code, 401)

    def test_it_ends_by_hand_by_days_and_with_what_it_leads_to(self) -> None:
        path = self.made()
        link = Link.objects.get()
        self.assertEqual(self.stranger.get(path).status_code, 200)
        Link.objects.update(expires_at=timezone.now() - timedelta(seconds=1))
        self.assertEqual(self.stranger.get(path).status_code, 404)
        self.assertEqual(self.get(self.address), [])
        Link.objects.update(expires_at=timezone.now() + timedelta(days=1))
        self.post(f"/api/shots/{self.shot.id}", method="delete", expect=204)
        self.assertEqual(self.stranger.get(path).status_code, 404)
        self.post(f"/api/shots/{self.shot.id}/restore")
        self.assertEqual(self.stranger.get(path).status_code, 200)
        self.post(f"{self.address}/{link.id}", method="delete", expect=204)
        for inner in ("", "package.zip", "README.txt"):
            gone = self.stranger.get(path + inner)
            self.assertEqual(gone.status_code, 404)
            self.assertNotIn(self.handoff.shot.code, gone.content.decode())
        self.assertEqual(self.get(self.address), [])
        # Ended once more it stays ended; another's does not exist.
        self.post(f"{self.address}/{link.id}", method="delete", expect=204)
        self.post(f"{self.address}/{link.id + 9}", method="delete", expect=422)

    def test_links_cannot_be_guessed_and_whoever_tries_is_slowed_down(self) -> None:
        path = self.made()
        number, _, sign = path.removeprefix("/shared/").rstrip("/").partition(".")
        self.assertGreater(len(sign), 25)
        for wrong in (
            f"{number}.{sign[:-1]}x",
            f"{int(number) + 1}.{sign}",
            number,
            "x",
            f"{number}.{'A' * len(sign)}",
        ):
            self.assertEqual(self.stranger.get(f"/shared/{wrong}/").status_code, 404, wrong)
        for _ in range(shared.MOST_WRONG):
            last = self.stranger.get("/shared/1.wrong/")
        self.assertEqual((last.status_code, last["Retry-After"]), (429, "60"))
        self.assertEqual(self.stranger.get(path).status_code, 200)
        with mock.patch.object(shared, "MOST", 30):
            statuses = [self.stranger.get(path).status_code for _ in range(40)]
        self.assertEqual(statuses[-1], 429)

    def test_days_and_their_number_have_limits(self) -> None:
        for days in (0, 91, -1):
            self.post(self.address, {"days": days}, expect=422)
        with mock.patch.object(links, "MOST_LINKS", 2):
            self.made()
            self.made(1)
            self.assertIn("2 links", self.post(self.address, {"days": 1}, expect=422)["detail"])
        HandOff.objects.update(state=HandOff.State.WRITING)
        self.assertIn("verified", self.post(self.address, {"days": 1}, expect=422)["detail"])
