"""Fifty people at once: nothing of theirs is lost, each conflict is answered, nobody is kept waiting for ever."""

import http.client
import json
import random
import threading
import time
from typing import Any

from django.contrib.auth.models import User
from django.db import connections
from django.test import Client

from projects.models import Membership
from shots.models import Revision
from zeitbild_server.testing import ServedCase

PEOPLE, SECONDS = 50, 12.0


class Person(threading.Thread):
    """Saves, takes back, drags and watches, as fast as the answers come."""

    def __init__(self, case: ServedCase, number: int, client: Client, until: float) -> None:
        super().__init__(daemon=True)
        self.random = random.Random(number)
        self.port, self.shot, self.until = case.port, case.shot.id, until
        self.head = {
            "Cookie": "; ".join(f"{name}={one.value}" for name, one in client.cookies.items()),
            "X-CSRFToken": client.cookies["csrftoken"].value,
            "Content-Type": "application/json",
        }
        self.number = number
        self.saved: list[int] = []
        self.conflicts = 0
        self.odd: list[str] = []
        self.answers = 0

    def ask(self, method: str, path: str, body: Any = None) -> tuple[int, Any]:
        """One request on a line of its own."""
        line = http.client.HTTPConnection("127.0.0.1", self.port, timeout=240)
        try:
            line.request(method, path, None if body is None else json.dumps(body), self.head)
            answer = line.getresponse()
            data = answer.read()
            self.answers += 1
            is_json = "json" in (answer.getheader("Content-Type") or "")
            return answer.status, json.loads(data) if is_json else None
        finally:
            line.close()

    def run(self) -> None:
        """Until the time is over."""
        path = f"/api/shots/{self.shot}"
        _, shot = self.ask("GET", path)
        while time.monotonic() < self.until or self.answers < 3:
            what = self.random.random()
            if what < 0.4:
                document = {**shot["document"], "title": f"By {self.number}, {len(self.saved)}"}
                status, answer = self.ask("PUT", f"{path}/document", {"base": shot["revision"], "document": document})
                if status == 200:
                    self.saved.append(answer["revision"])
            elif what < 0.6:
                status, answer = self.ask("POST", f"{path}/undo", {"base": shot["revision"]})
            elif what < 0.9:
                body = {"document": shot["document"], "frame": 1, "width": 64, "height": 36}
                status, answer = self.ask("POST", f"{path}/picture", body)
                answer = shot if status == 200 else answer
            else:
                status, answer = self.ask("GET", "/api/studio")
                answer = shot if status == 200 else answer
            if status == 200:
                shot = answer
            elif status == 409:
                # Somebody was faster: looked at, and tried from there.
                self.conflicts += 1
                _, shot = self.ask("GET", path)
            elif status != 422:
                self.odd.append(f"{status} {answer}")


class Together(ServedCase):
    def test_fifty_people_lose_nothing(self) -> None:
        people: list[Person] = []
        until = time.monotonic() + SECONDS
        for number in range(PEOPLE):
            user = User.objects.create_user(f"p{number}")
            Membership.objects.create(project=self.project, user=user)
            client = Client()
            client.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
            client.get("/api/session")
            people.append(Person(self, number, client, until))
        for one in people:
            one.start()
        for one in people:
            one.join(timeout=240)
            self.assertFalse(one.is_alive(), f"person {one.number} still waits for an answer")
        connections.close_all()
        self.assertEqual([odd for one in people for odd in one.odd][:5], [])
        # Each got something done or was told why not, and every revision that was answered is there, with what was saved.
        self.assertTrue(all(one.answers > 1 for one in people))
        self.assertGreater(sum(one.conflicts for one in people), 0)
        kept = {row.id: row for row in Revision.objects.filter(shot=self.shot)}
        count = 0
        for one in people:
            for place, revision in enumerate(one.saved):
                self.assertEqual(kept[revision].document["title"], f"By {one.number}, {place}")
                count += 1
        self.assertEqual(len(kept), count + 1)
        # Each revision grew from one that is there.
        self.assertTrue(all(row.parent_id in kept for row in kept.values() if row.parent_id))
