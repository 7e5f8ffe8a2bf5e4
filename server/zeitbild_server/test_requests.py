"""What carries requests: threads that are lent, writers in line, sessions and tokens without threads of their own."""

import asyncio
import contextlib
import http.client
import json
import threading
from typing import Any
from unittest import TestCase, mock

from asgiref.sync import sync_to_async
from django.db import connection, connections

from zeitbild_server.testing import ServedCase, StudioCase, wait_until
from zeitbild_server.threads import KeptThreads
from zeitbild_server.writing import _line, writing


class Writers(StudioCase):
    def test_they_are_served_in_the_order_in_which_they_came(self) -> None:
        served: list[int] = []
        threads = []

        def write(number: int) -> None:
            try:
                with writing():
                    served.append(number)
            finally:
                connection.close()

        with writing():
            for number in range(8):
                thread = threading.Thread(target=write, args=(number,))
                thread.start()
                threads.append(thread)
                wait_until(lambda number=number: len(_line._waiting) > number)
        for thread in threads:
            thread.join(60)
        self.assertEqual(served, list(range(8)))

    def test_one_that_fails_is_taken_back_and_lets_the_next_one_go(self) -> None:
        with self.assertRaises(ZeroDivisionError), writing():
            self.project.shots.update(title="Lost")
            _ = 1 // 0
        self.assertNotEqual(self.fresh().title, "Lost")
        with writing():
            self.project.shots.update(title="Kept")
        self.assertEqual(self.fresh().title, "Kept")

    def test_within_a_write_another_is_part_of_it(self) -> None:
        with self.assertRaises(ZeroDivisionError), writing():
            with writing():
                self.project.shots.update(title="Lost")
            self.assertTrue(connection.in_atomic_block)
            _ = 1 // 0
        self.assertFalse(connection.in_atomic_block)
        self.assertNotEqual(self.fresh().title, "Lost")


class Threads(TestCase):
    def test_each_request_has_one_and_they_are_used_again(self) -> None:
        used: list[int] = []
        together = threading.Barrier(3)

        async def application(scope: Any, receive: Any, send: Any) -> None:
            def work() -> None:
                if scope.get("waits"):
                    # Nobody gets through before three are under way at once.
                    together.wait(60)
                used.append(threading.get_ident())

            await sync_to_async(work)()
            await sync_to_async(work)() if not scope.get("waits") else None

        async def ask() -> None:
            served = KeptThreads(application)
            await asyncio.gather(*(served({"type": "http", "waits": True}, None, None) for _ in range(3)))
            for _ in range(4):
                await served({"type": "http"}, None, None)
            self.assertEqual(len(served._idle), 3)

        asyncio.run(ask())
        self.assertEqual(len(set(used[:3])), 3)
        self.assertLessEqual(set(used[3:]), set(used[:3]))

    def test_a_thread_that_is_still_at_work_for_who_hung_up_is_lent_to_nobody(self) -> None:
        go, began, ended = threading.Event(), threading.Event(), threading.Event()
        self.addCleanup(go.set)

        def work() -> None:
            began.set()
            go.wait(60)
            ended.set()

        async def application(scope: Any, *_: Any) -> None:
            await sync_to_async(work if scope.get("long") else (lambda: None))()

        async def ask() -> None:
            served = KeptThreads(application)
            hung_up = asyncio.ensure_future(served({"type": "http", "long": True}, None, None))
            while not began.is_set():
                await asyncio.sleep(0.01)
            hung_up.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await asyncio.wait_for(hung_up, 60)
            self.assertFalse(ended.is_set(), "it was waited for")
            # Another is served at once.
            await asyncio.wait_for(served({"type": "http"}, None, None), 60)
            self.assertFalse(ended.is_set())
            self.assertEqual(len(served._idle), 1)
            go.set()

        asyncio.run(ask())
        self.assertTrue(ended.wait(60))

    def test_a_request_that_fails_gives_its_thread_back(self) -> None:
        async def application(*_: Any) -> None:
            raise ZeroDivisionError

        async def ask() -> int:
            served = KeptThreads(application)
            for _ in range(3):
                with self.assertRaises(ZeroDivisionError):
                    await served({"type": "http"}, None, None)
            return len(served._idle)

        self.assertEqual(asyncio.run(ask()), 1)


class Served(ServedCase):
    def _ask(self, method: str, path: str, body: Any = None, **head: str) -> tuple[int, dict[str, Any]]:
        line = http.client.HTTPConnection("127.0.0.1", self.port, timeout=240)
        cookies = "; ".join(f"{name}={one.value}" for name, one in self.client.cookies.items())
        line.request(method, path, json.dumps(body), {"Cookie": cookies, "Content-Type": "application/json", **head})
        answer = line.getresponse()
        data = json.loads(answer.read() or b"{}")
        line.close()
        return answer.status, data

    def test_connections_to_the_database_stay_open(self) -> None:
        opened: list[int] = []
        real = type(connections["default"]).get_new_connection

        def count(*arguments: Any) -> Any:
            opened.append(threading.get_ident())
            return real(*arguments)

        with mock.patch.object(type(connections["default"]), "get_new_connection", count):
            for _ in range(12):
                self.assertEqual(self._ask("GET", f"/api/shots/{self.shot.id}")[0], 200)
        # The worker beside the server may open some as well; twelve requests do not take twelve.
        self.assertLess(len(opened), 12)

    def test_who_changes_something_carries_the_token(self) -> None:
        self.client.get("/api/session")
        path, body = f"/api/shots/{self.shot.id}/undo", {"base": self.shot.current_id}
        self.assertEqual(self._ask("POST", path, body)[0], 403)
        token = self.client.cookies["csrftoken"].value
        self.assertEqual(self._ask("POST", path, body, **{"X-CSRFToken": token})[0], 422)

    def test_a_session_ends_for_the_next_request_on_any_thread(self) -> None:
        self.client.get("/api/session")
        token = self.client.cookies["csrftoken"].value
        self.assertEqual(self._ask("GET", f"/api/shots/{self.shot.id}")[0], 200)
        self.assertEqual(self._ask("DELETE", "/api/session", **{"X-CSRFToken": token})[0] // 100, 2)
        for _ in range(3):
            self.assertEqual(self._ask("GET", f"/api/shots/{self.shot.id}")[0], 401)
