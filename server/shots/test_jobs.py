"""Estimates and findings as jobs: begun, looked for, given up; by whom, and how often."""

import asyncio
import threading
import time
from collections.abc import Callable
from typing import Any
from unittest import mock

from django.contrib.auth.models import User
from django.test import override_settings

from projects.models import Membership, Role
from shots import jobs
from zeitbild.errors import InputError
from zeitbild.kernels import PARALLEL
from zeitbild_server.testing import StudioCase, wait_until


@override_settings(JOB_PATIENCE=0.05)
class Jobs(StudioCase):
    def setUp(self) -> None:
        super().setUp()
        self.go, self.began, self.ended = threading.Event(), threading.Event(), threading.Event()
        self.addCleanup(self.go.set)
        self.path = f"/api/shots/{self.shot.id}"

    def _held(self, then: Callable[[], Any]) -> Any:
        """Estimates wait until they may go on, and breathe meanwhile."""

        def estimate(*_: Any) -> Any:
            self.began.set()
            try:
                while not self.go.wait(0.01):
                    PARALLEL.breathe()
            finally:
                self.ended.set()
            return then()

        return mock.patch("shots.api.estimate", estimate)

    def _begin(self) -> str:
        document = self.shot.current_document().model_dump(mode="json")
        name = self.post(f"{self.path}/estimate", {"document": document}, expect=202)["job"]
        self.assertTrue(self.began.wait(60))
        return f"{self.path}/jobs/{name}"

    def _result(self) -> dict[str, Any]:
        numbers = dict.fromkeys(("frames", "cells", "files", "reused", "proof_seconds", "seconds", "bytes"), 1)
        return {**numbers, "file_bytes": 7, "layers": []}

    def test_a_job_is_begun_once_and_looked_for_until_it_is_done(self) -> None:
        with self._held(self._result):
            job = self._begin()
            self.assertEqual(self.get(job, expect=202)["waits"], False)
            self.go.set()
            wait_until(lambda: self.client.get(job).status_code == 200)
        # It stays there for who did not get the answer.
        self.assertEqual(self.get(job)["file_bytes"], 7)
        self.post(job, method="delete", expect=204)
        self.get(job, expect=404)

    def test_what_a_job_raises_is_the_answer_to_who_looks(self) -> None:
        def fail() -> None:
            raise InputError("no such thing", "quality")

        with self._held(fail):
            job = self._begin()
            self.go.set()
            wait_until(lambda: self.client.get(job).status_code == 422)
        self.assertEqual(self.get(job, expect=422)["problems"], [{"field": "quality", "message": "no such thing"}])

    def test_one_that_is_given_up_ends_in_its_middle(self) -> None:
        with self._held(self._result):
            job = self._begin()
            self.post(job, method="delete", expect=204)
            self.assertTrue(self.ended.wait(60), "it went on")
        self.assertFalse(self.go.is_set())
        self.get(job, expect=404)

    def test_one_that_nobody_looks_for_is_given_up_and_forgotten(self) -> None:
        with self._held(self._result), mock.patch("shots.jobs.LOOKED_FOR", 0.2):
            first = self._begin()
            self.assertTrue(self.ended.wait(60), "it went on")
            second = self._begin()
        names = {name for _, name in jobs._jobs}
        self.assertNotIn(first.rpartition("/")[2], names)
        self.assertIn(second.rpartition("/")[2], names)

    def test_jobs_are_reached_by_who_may_look_at_the_shot_and_under_no_other(self) -> None:
        with self._held(self._result):
            job = self._begin()
            self.go.set()
            wait_until(lambda: self.client.get(job).status_code == 200)
        copy = self.post(f"{self.path}/duplicate")["id"]
        self.get(job.replace(self.path, f"/api/shots/{copy}"), expect=404)
        eve = User.objects.create_user("eve", password="x")
        self.client.force_login(eve)
        self.get(job, expect=404)
        self.post(job, method="delete", expect=404)
        Membership.objects.create(project=self.project, user=eve, role=Role.VIEWER)
        self.assertEqual(self.get(job)["file_bytes"], 7)

    def test_one_whose_page_is_gone_before_it_has_a_name_is_given_up_at_once(self) -> None:
        ended = threading.Event()

        def work() -> None:
            try:
                while True:
                    PARALLEL.breathe()
                    time.sleep(0.001)
            finally:
                ended.set()

        async def ask() -> None:
            asked = asyncio.ensure_future(jobs.begin(self.shot.id, self.ada.id, work))
            await asyncio.sleep(0.1)
            asked.cancel()
            with self.assertRaises(asyncio.CancelledError):
                await asked

        before = set(jobs._jobs)
        with override_settings(JOB_PATIENCE=60):
            asyncio.run(ask())
        self.assertTrue(ended.wait(60), "it went on")
        self.assertEqual(set(jobs._jobs), before)

    def test_what_is_done_at_once_is_not_kept(self) -> None:
        document = self.shot.current_document().model_dump(mode="json")
        before = set(jobs._jobs)
        with override_settings(JOB_PATIENCE=240), mock.patch("shots.api.estimate", lambda *_: self._result()):
            self.assertEqual(self.post(f"{self.path}/estimate", {"document": document})["file_bytes"], 7)
        self.assertEqual(set(jobs._jobs), before)

    def test_findings_are_jobs_too(self) -> None:
        def examine(*_: Any) -> Any:
            self.go.wait(60)
            raise InputError("held")

        with mock.patch("shots.api.examine", examine):
            document = self.shot.current_document().model_dump(mode="json")
            name = self.post(f"{self.path}/examine", {"document": document}, expect=202)["job"]
            self.go.set()
            wait_until(lambda: self.client.get(f"{self.path}/jobs/{name}").status_code == 422)
