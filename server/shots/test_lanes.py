"""Looking together: whose picture comes next, what goes before what, and what is given up."""

import asyncio
import contextlib
import http.client
import json
import threading
import time
from pathlib import Path
from typing import Any
from unittest import TestCase

from django.contrib.auth.models import User
from django.test import Client

from projects.models import Membership
from shots.lanes import SHORT, Lane, Task, compute
from zeitbild.document.reading import parse_shot
from zeitbild.document.shot import Shot
from zeitbild.kernels import PARALLEL
from zeitbild_server.errors import Overtaken
from zeitbild_server.testing import ServedCase, wait_until

DEMO = Path(__file__).parents[2] / "demo"


class Order(TestCase):
    def _blocked(self, lane: Lane) -> threading.Event:
        """Keeps a lane busy until the event is set."""
        go = threading.Event()
        began = threading.Event()

        def wait() -> None:
            began.set()
            go.wait(20)

        lane.add(Task(0, wait))
        began.wait(20)
        return go

    def test_persons_take_turns_and_each_gets_the_newest_first(self) -> None:
        lane, went = Lane("test", 1, 1), []
        go = self._blocked(lane)
        tasks = [
            Task(person, lambda what=(person, n): went.append(what))
            for person, n in ((1, 1), (1, 2), (1, 3), (2, 1), (3, 1))
        ]
        for task in tasks:
            lane.add(task)
        go.set()
        for task in tasks:
            task.done.result(timeout=60)
        self.assertEqual(went, [(1, 3), (2, 1), (3, 1), (1, 2), (1, 1)])

    def test_one_person_cannot_line_up_without_end(self) -> None:
        lane = Lane("test", 1, 1)
        go = self._blocked(lane)
        tasks = [Task(1, lambda: None) for _ in range(Lane.MOST + 3)]
        for task in tasks:
            lane.add(task)
        for task in tasks[:3]:
            self.assertIsInstance(task.done.exception(timeout=60), Overtaken)
        go.set()
        tasks[-1].done.result(timeout=60)

    def test_what_waits_in_a_line_is_given_up_for_what_is_asked_for_after_it(self) -> None:
        lane, went = Lane("test", 1, 1), []
        go = self._blocked(lane)
        tasks = [
            Task(person, lambda what=(person, line, n): went.append(what), line)
            for person, line, n in ((1, "a", 1), (1, "", 2), (1, "b", 3), (2, "a", 4), (1, "a", 5), (1, "", 6))
        ]
        for task in tasks:
            lane.add(task)
        # Of another line, of nobody's line and another person's there is nothing to give up.
        self.assertIsInstance(tasks[0].done.exception(timeout=60), Overtaken)
        go.set()
        for task in tasks[1:]:
            task.done.result(timeout=60)
        self.assertEqual({n for _, _, n in went}, {2, 3, 4, 5, 6})

    def test_an_error_is_the_answer_and_the_lane_goes_on(self) -> None:
        lane = Lane("test", 1, 1)

        async def both() -> int:
            with self.assertRaises(ZeroDivisionError):
                await compute(lane, 1, lambda: 1 // 0)
            return await compute(lane, 1, lambda: 7)

        self.assertEqual(asyncio.run(both()), 7)

    def test_a_lane_that_ends_gives_up_what_is_under_way_and_takes_nothing_more(self) -> None:
        lane, began = Lane("test", 1, 1), threading.Event()

        def long() -> None:
            began.set()
            with PARALLEL:
                while True:
                    PARALLEL.breathe()
                    time.sleep(0.001)

        under_way, after = Task(1, long), Task(2, lambda: None)
        lane.add(under_way)
        self.assertTrue(began.wait(60))
        lane.add(after)
        lane.end(60)
        self.assertIsInstance(under_way.done.exception(timeout=0), Overtaken)
        self.assertFalse(after.done.done())

    def test_what_is_cancelled_is_given_up_waiting_or_under_way(self) -> None:
        lane, ended = Lane("test", 1, 1), []

        def long() -> None:
            try:
                with PARALLEL:
                    while True:
                        PARALLEL.breathe()
                        time.sleep(0.001)
            finally:
                ended.append(1)

        async def go() -> int:
            under_way = asyncio.ensure_future(compute(lane, 1, long))
            await asyncio.sleep(0.05)
            waiting = asyncio.ensure_future(compute(lane, 2, lambda: ended.append(2)))
            await asyncio.sleep(0.01)
            waiting.cancel()
            under_way.cancel()
            return await compute(lane, 3, lambda: 5)

        self.assertEqual(asyncio.run(go()), 5)
        self.assertEqual(ended, [1])


class Together(ServedCase):
    def document(self) -> Shot:
        """A set with soft shadows, mirrors and blur."""
        return parse_shot((DEMO / "KM035.json").read_text(encoding="utf-8")).model_copy(update={"shot": "KM010"})

    def _ask(self, client: Client, width: int, height: int, quality: str, line: str = "") -> http.client.HTTPConnection:
        body = {"document": self.shot.current_document().model_dump(mode="json"), "frame": 5, "line": line}
        body |= {"width": width, "height": height, "quality": quality}
        client.get("/api/session")
        asking = http.client.HTTPConnection("127.0.0.1", self.port, timeout=120)
        cookies = "; ".join(f"{name}={one.value}" for name, one in client.cookies.items())
        token = client.cookies["csrftoken"].value
        head = {"Cookie": cookies, "X-CSRFToken": token, "Content-Type": "application/json"}
        asking.request("POST", f"/api/shots/{self.shot.id}/picture", json.dumps(body), head)
        return asking

    def _answered(self, asked: http.client.HTTPConnection) -> int:
        answer = asked.getresponse()
        answer.read()
        return answer.status

    def test_a_picture_that_a_newer_one_overtook_is_none_and_no_failure(self) -> None:
        go = threading.Event()
        self.addCleanup(go.set)
        SHORT.add(Task(0, lambda: go.wait(60)))
        older = self._ask(self.client, 64, 36, "rough", "one")
        wait_until(lambda: bool(SHORT._waiting))
        newer = self._ask(self.client, 64, 36, "rough", "one")
        self.assertEqual(self._answered(older), 204)
        go.set()
        self.assertEqual(self._answered(newer), 200)

    def test_rough_pictures_come_while_somebody_elses_dearest_is_drawn_and_hanging_up_ends_it(self) -> None:
        ben = Client()
        user = User.objects.create_user("ben", password="x")
        Membership.objects.create(project=self.project, user=user)
        ben.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
        # Loaded and warm.
        self.assertEqual(self._answered(self._ask(self.client, 320, 180, "rough")), 200)
        ended: list[Any] = []
        dearest = self._ask(ben, 3840, 2160, "final")

        def wait() -> None:
            # In the end he hangs up, and there is no answer.
            with contextlib.suppress(http.client.HTTPException, OSError):
                ended.append(dearest.getresponse())

        thread = threading.Thread(target=wait)
        thread.daemon = True
        thread.start()
        time.sleep(0.5)
        for _ in range(5):
            self.assertEqual(self._answered(self._ask(self.client, 320, 180, "rough")), 200)
        self.assertEqual(ended, [], "the dear picture was too cheap for this test")
        # He goes: what he asked for ends in the middle, and the lock is free.
        sock = dearest.sock
        assert sock is not None
        sock.shutdown(2)
        wait_until(lambda: not PARALLEL._waiting and PARALLEL._owner is None)
