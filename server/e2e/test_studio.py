"""A studio that is shared: roles, the journal, one's password, and what is said when a worker or the server is gone."""

import threading
from typing import Any
from unittest import mock

from django.contrib.auth.models import User
from django.test import override_settings
from playwright.sync_api import Page, Route, expect

from e2e.browser import BrowserCase
from projects.models import Membership, Role
from shots import jobs
from shots.examine import estimate
from zeitbild_server.testing import wait_until


class People(BrowserCase):
    def _sign_in_as(self, name: str, password: str) -> Page:
        self.context.clear_cookies()
        page = self.open_page()
        page.goto(self.address)
        page.get_by_label("Name").fill(name)
        page.get_by_label("Password").fill(password)
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("heading", name="Projects")).to_be_visible()
        return page

    def test_an_owner_lets_people_in_changes_what_they_may_and_reads_the_journal(self) -> None:
        User.objects.create_user("ben", password="gallery-12-b")
        page = self.sign_in()
        page.get_by_role("link", name="Kap Morgen").click()
        page.get_by_label("Let in (name here)").fill("ben")
        page.get_by_role("radiogroup", name="As").get_by_role("radio", name="viewer").click()
        page.get_by_role("button", name="Let in").click()
        row = page.get_by_role("row", name="ben")
        expect(row.get_by_role("radio", name="viewer")).to_be_checked()
        row.get_by_role("radio", name="editor").click()
        wait_until(lambda: Membership.objects.get(user__username="ben").role == Role.EDITOR)
        row.get_by_role("button", name="Remove").click()
        row.get_by_role("button", name="Stay").click()
        expect(row.get_by_role("button", name="Remove", exact=True)).to_be_visible()
        # The last owner cannot go.
        page.get_by_role("button", name="Leave").click()
        page.get_by_role("button", name="Really leave").click()
        expect(page.get_by_text("keeps at least one owner")).to_be_visible()
        row.get_by_role("button", name="Remove", exact=True).click()
        page.get_by_role("button", name="Really remove ben").click()
        expect(row).to_have_count(0)
        page.get_by_role("button", name="Who did what").click()
        expect(page.get_by_text("ada removed ben")).to_be_visible()
        expect(page.get_by_text("ada shared the project with ben, viewer")).to_be_visible()

    def test_who_may_look_looks_and_nothing_is_kept(self) -> None:
        ben = User.objects.create_user("ben", password="gallery-12-b")
        Membership.objects.create(project=self.project, user=ben, role=Role.VIEWER)
        page = self._sign_in_as("ben", "gallery-12-b")
        page.get_by_role("link", name="Kap Morgen").click()
        expect(page.get_by_role("row", name="ada")).to_be_visible()
        for name in ("New shot", "Rename and defaults", "Duplicate", "Let in", "Who did what"):
            expect(page.get_by_role("button", name=name)).to_have_count(0)
        page.goto(f"{self.address}/shots/{self.shot.id}/build")
        self.picture(page)
        expect(page.get_by_text("only looking", exact=True)).to_be_visible()
        before = self.fresh().current_id
        # Turned to see the other side, as anybody would.
        page.locator("canvas").first.focus()
        page.keyboard.press("ArrowRight")
        expect(page.get_by_text("changes are not kept")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_text("only looking", exact=True)).to_be_visible()
        page.goto(f"{self.address}/shots/{self.shot.id}/run")
        expect(page.get_by_role("heading", name="Run", exact=True)).to_be_visible()
        expect(page.get_by_role("button", name="Start the run")).to_have_count(0)
        self.assertEqual(self.fresh().current_id, before)

    def test_a_password_is_changed_by_its_owner(self) -> None:
        page = self.sign_in()
        page.get_by_role("link", name="ada").click()
        page.get_by_label("Password now").fill("wrong")
        page.get_by_label("New password (ten characters or more)").fill("short")
        page.get_by_label("New password once more").fill("shorter")
        page.get_by_role("button", name="Change it").click()
        expect(page.get_by_text("not the same")).to_be_visible()
        page.get_by_label("New password once more").fill("short")
        page.get_by_role("button", name="Change it").click()
        expect(page.get_by_text("This is not your password.")).to_be_visible()
        page.get_by_label("Password now").fill("lamp-room-7")
        page.get_by_role("button", name="Change it").click()
        expect(page.get_by_text("too short")).to_be_visible()
        for label in ("New password (ten characters or more)", "New password once more"):
            page.get_by_label(label).fill("lens-and-prism-4")
        page.get_by_role("button", name="Change it").click()
        expect(page.get_by_text("Your password is changed")).to_be_visible()
        self.assertTrue(User.objects.get(username="ada").check_password("lens-and-prism-4"))
        page.get_by_role("button", name="Sign out everywhere").click()
        expect(page.get_by_role("button", name="Sign in")).to_be_visible()


class Gone(BrowserCase):
    def test_a_worker_that_is_gone_is_told_and_what_waits_goes_on(self) -> None:
        page = self.desk("run")
        expect(page.get_by_text("No worker is there")).to_have_count(0)
        self._ending.set()
        self._working.join(timeout=240)
        expect(page.get_by_text("No worker is there")).to_be_visible()
        page.get_by_role("button", name="Start the run").click()
        expect(page.get_by_role("heading", name="Waiting: no worker is there")).to_be_visible()
        expect(page.get_by_label("Progress").get_by_text("left")).to_have_count(0)
        self._ending = threading.Event()
        self._working = threading.Thread(target=self._work_on, daemon=True)
        self._working.start()
        expect(page.get_by_role("heading", name="Rendered", exact=True)).to_be_visible()
        expect(page.get_by_text("No worker is there")).to_have_count(0)

    def test_a_server_that_is_gone_is_told_and_what_was_done_meanwhile_is_saved(self) -> None:
        page = self.desk("build")
        self.picture()

        def gone(route: Route) -> None:
            route.abort("connectionrefused")

        page.route("**/api/**", gone)
        expect(page.get_by_text("The server does not answer.")).to_be_visible()
        page.get_by_label("Word").first.fill("Boje")
        page.keyboard.press("Tab")
        expect(page.get_by_text("not saved: no connection")).to_be_visible()
        self.assertNotIn("Boje", str(self.fresh().current_document().elements))
        page.unroute("**/api/**", gone)
        self.saved()
        expect(page.get_by_text("The server does not answer.")).to_have_count(0)
        self.assertIn("Boje", str(self.fresh().current_document().elements))
        self.picture()


class Estimates(BrowserCase):
    def test_one_that_takes_long_is_looked_for_and_begun_anew_if_the_server_forgot_it(self) -> None:
        go, begun, real = threading.Event(), [], estimate

        def held(*arguments: Any) -> Any:
            begun.append(1)
            go.wait(60)
            return real(*arguments)

        self.addCleanup(go.set)
        with override_settings(JOB_PATIENCE=0.2), mock.patch("shots.api.estimate", held):
            page = self.desk("run")
            expect(page.get_by_text("A frame of each layer is rendered")).to_be_visible()
            # As a server that was started again.
            jobs._jobs.clear()
            wait_until(lambda: len(begun) > 1)
            go.set()
            expect(page.get_by_label("Before the start")).to_be_visible()
            expect(page.get_by_text("A frame of each layer is rendered")).to_have_count(0)
            expect(page.get_by_role("alert")).to_have_count(0)
