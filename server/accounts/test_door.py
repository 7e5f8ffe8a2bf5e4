"""Signing in after wrong passwords, rules for passwords, sessions that end, and what the journal says of it."""

import asyncio
import io
from unittest import mock

from axes.models import AccessAttempt
from django.conf import settings
from django.contrib.auth.models import User
from django.core.management import CommandError, call_command
from django.test import Client
from django.utils import timezone

from accounts.actions.sign_in import MOST_FROM_ADDRESS
from journal.models import Entry
from zeitbild_server.testing import StudioCase

GOOD = "lamp-room-seven"


class Door(StudioCase):
    def setUp(self) -> None:
        super().setUp()
        self.client.logout()
        self.waited: list[float] = []
        real = asyncio.sleep

        async def sleep(seconds: float) -> None:
            self.waited.append(seconds)
            await real(0)

        patched = mock.patch("accounts.api.asyncio.sleep", sleep)
        patched.start()
        self.addCleanup(patched.stop)

    def _try(self, password: str, expect: int, name: str = "ada", client: Client | None = None) -> None:
        body = {"username": name, "password": password}
        response = (client or self.client).post("/api/session", body, content_type="application/json")
        self.assertEqual(response.status_code, expect, response.content)

    def test_wrong_passwords_make_the_next_try_wait_longer_and_then_shut_the_door(self) -> None:
        for number in range(settings.AXES_FAILURE_LIMIT - 1):
            self._try(f"wrong {number}", 403)
        self.assertEqual(self.waited[0], 0)
        self.assertEqual(self.waited[1:5], [0.1, 0.2, 0.4, 0.8])
        self.assertLessEqual(max(self.waited), 3)
        self._try("the last one", 429)
        # The right one does not help any more, from there.
        self._try("lamp-room-7", 429)
        self.assertIsNone(self.get("/api/session")["username"])
        # Others come in, and the same person from elsewhere.
        User.objects.create_user("ben", password=GOOD)
        self._try(GOOD, 200, "ben", Client())
        self._try("lamp-room-7", 200, "ada", Client(REMOTE_ADDR="10.0.0.9"))
        told = list(Entry.objects.filter(name="ada").order_by("id").values_list("what", flat=True))
        self.assertEqual(told[0], "sign-in-failed")
        self.assertIn("sign-in-locked", told)
        self.assertEqual(told[-1], "signed-in")

    def test_a_lock_ends_and_a_right_password_forgets_wrong_ones(self) -> None:
        for _ in range(settings.AXES_FAILURE_LIMIT):
            self.client.post("/api/session", {"username": "ada", "password": "no"}, content_type="application/json")
        AccessAttempt.objects.update(attempt_time=timezone.now() - 2 * settings.AXES_COOLOFF_TIME)
        self._try("lamp-room-7", 200)
        self.client.logout()
        self.waited.clear()
        self._try("lamp-room-7", 200)
        self.assertEqual(self.waited, [0])

    def test_many_names_from_one_address_shut_it_out(self) -> None:
        for number in range(MOST_FROM_ADDRESS):
            AccessAttempt.objects.create(
                username=f"n{number}", ip_address="127.0.0.1", failures_since_start=1, attempt_time=timezone.now()
            )
        self._try("lamp-room-7", 429)
        self._try("lamp-room-7", 200, client=Client(REMOTE_ADDR="10.0.0.9"))

    def test_others_are_served_while_somebody_waits_at_the_door(self) -> None:
        # The wait is the event loop's, not a thread's.
        self._try("wrong", 403)
        with mock.patch("time.sleep", side_effect=AssertionError("a thread waits")):
            self._try("wrong", 403)
        self.assertEqual(self.waited[-1], 0.1)

    def test_odd_names_are_wrong_names(self) -> None:
        for name in ("", "\x00", "a" * 5000, "ada\x00"):
            self._try("x", 403, name)


class Passwords(StudioCase):
    def _change(self, old: str, new: str, expect: int) -> dict[str, object]:
        answer: dict[str, object] = self.post("/api/session/password", {"old": old, "new": new}, "put", expect)
        return answer

    def test_a_new_password_keeps_the_rules_and_ends_other_sessions(self) -> None:
        elsewhere = Client()
        elsewhere.force_login(self.ada, backend="django.contrib.auth.backends.ModelBackend")
        self.assertEqual(elsewhere.get("/api/projects").status_code, 200)
        self.assertIn("not your password", str(self._change("wrong", GOOD, 422)["detail"]))
        for bad in ("short", "1234567890123", "password123"):
            self._change("lamp-room-7", bad, 422)
        self._change("lamp-room-7", GOOD, 200)
        self.assertEqual(self.client.get("/api/projects").status_code, 200)
        self.assertEqual(elsewhere.get("/api/projects").status_code, 401)
        self.assertTrue(User.objects.get(username="ada").check_password(GOOD))

    def test_signing_out_everywhere_ends_all_sessions_of_that_person_alone(self) -> None:
        elsewhere, ben = Client(), Client()
        elsewhere.force_login(self.ada, backend="django.contrib.auth.backends.ModelBackend")
        ben.force_login(User.objects.create_user("ben"), backend="django.contrib.auth.backends.ModelBackend")
        self.assertEqual(self.client.delete("/api/session?everywhere=true").status_code, 200)
        self.assertEqual(elsewhere.get("/api/projects").status_code, 401)
        self.assertEqual(self.client.get("/api/projects").status_code, 401)
        self.assertEqual(ben.get("/api/projects").status_code, 200)

    def test_people_are_added_by_the_rules_and_are_no_administrators(self) -> None:
        def add(*words: str, typed: str) -> str:
            said = io.StringIO()
            with mock.patch("sys.stdin", io.StringIO(f"{typed}\n")):
                call_command("add_user", *words, stdout=said)
            return said.getvalue()

        with self.assertRaisesRegex(CommandError, "too short"):
            add("cleo", typed="short")
        with self.assertRaisesRegex(CommandError, "valid username"):
            add("no spaces", typed=GOOD)
        self.assertFalse(User.objects.filter(username="cleo").exists())
        self.assertIn("can sign in", add("cleo", typed=GOOD))
        cleo = User.objects.get(username="cleo")
        self.assertFalse(cleo.is_staff or cleo.is_superuser)
        with self.assertRaisesRegex(CommandError, "here already"):
            add("cleo", typed=GOOD)
        with self.assertRaisesRegex(CommandError, "nobody"):
            add("nobody", "--new-password", typed=GOOD)
        add("cleo", "--new-password", typed="another-lamp-9")
        self.assertTrue(User.objects.get(username="cleo").check_password("another-lamp-9"))
