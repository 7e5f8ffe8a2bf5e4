"""Health, figures, the access log, copies and putting them in place, and what an installation is checked for."""

import http.client
import io
import json
import logging
import os
import shutil
import sqlite3
import stat
import subprocess
import sys
import threading
from contextlib import closing
from pathlib import Path
from unittest import mock

from django.core.checks import run_checks
from django.db import OperationalError, connection
from django.test import Client, override_settings
from prometheus_client.parser import text_string_to_metric_families

from operation.backup import DATABASE, LIST, back_up, restore, verify
from workers.active import ActiveWorker
from workers.presence import new_name
from zeitbild.errors import StorageError
from zeitbild.farm import FramePool
from zeitbild_server.testing import ServedCase, StudioCase, threads, wait_until

ROOT = Path(__file__).parents[2]


class Names(StudioCase):
    def test_the_launcher_is_answered_whatever_others_call_this_machine(self) -> None:
        # It asks http://127.0.0.1 until it is told that the server is there.
        asked = "from zeitbild_server import settings; print(settings.ALLOWED_HOSTS)"
        env = {**os.environ, "ZEITBILD_HOSTS": "studio.example,films.example", "ZEITBILD_DATA": str(self.data)}
        env["PYTHONPATH"] = os.pathsep.join(str(ROOT / name) for name in ("core", "server"))
        said = subprocess.run([sys.executable, "-c", asked], env=env, capture_output=True, text=True, check=True).stdout
        self.assertEqual(said.strip(), "['studio.example', 'films.example', '127.0.0.1']")


class Health(StudioCase):
    def test_ready_only_with_database_disk_and_worker(self) -> None:
        self.client.logout()
        answer = self.client.get("/health")
        self.assertEqual((answer.status_code, answer.json()["worker"]), (503, "no worker is there"))
        self.assertEqual(self.client.get("/health?lives").json(), {"lives": True})
        with FramePool(1, threads) as pool, ActiveWorker(new_name(), pool):
            answer = self.client.get("/health")
            self.assertEqual((answer.status_code, answer.json()["ready"]), (200, True))
            with override_settings(DISK_RESERVE=1 << 60):
                answer = self.client.get("/health")
                self.assertEqual(answer.status_code, 503)
                self.assertIn("in reserve", answer.json()["disk"])
            with mock.patch("operation.health.connection.cursor", side_effect=OperationalError("gone")):
                self.assertIn("gone", self.client.get("/health").json()["database"])


class Figures(ServedCase):
    def _get(self, path: str, **headers: str) -> tuple[int, str]:
        line = http.client.HTTPConnection("127.0.0.1", self.port, timeout=240)
        line.request("GET", path, headers=headers)
        answer = line.getresponse()
        try:
            return answer.status, answer.read().decode()
        finally:
            line.close()

    def test_figures_are_what_monitoring_reads_and_count_what_happened(self) -> None:
        cookie = f"sessionid={self.client.cookies['sessionid'].value}"
        for _ in range(3):
            self.assertEqual(self._get(f"/api/shots/{self.shot.id}", Cookie=cookie)[0], 200)
        self._get("/api/nothing/here")
        run = self.post(f"/api/shots/{self.shot.id}/runs", {"base": self.fresh().current_id, "frame_set": "1-2"})
        wait_until(lambda: self.get(f"/api/runs/{run['id']}")["state"] == "done")
        status, text = self._get("/metrics")
        self.assertEqual(status, 200)
        # Read by the library's own parser, which is not what wrote it.
        figures = {
            (sample.name, *sorted(sample.labels.items())): sample.value
            for family in text_string_to_metric_families(text)
            for sample in family.samples
        }
        key = ("zeitbild_requests_total", ("method", "GET"), ("route", "api/shots/<shot_id>"), ("status", "200"))
        self.assertGreaterEqual(figures.get(key, 0), 2, sorted(name for name in figures if "requests" in name[0]))
        self.assertGreater(figures[("zeitbild_disk_free_bytes",)], 0)
        self.assertEqual(figures[("zeitbild_workers",)], 1)
        cells = sum(value for name, value in figures.items() if name[0] == "zeitbild_cells")
        self.assertEqual(cells, run["progress"]["total"])
        # Addresses that nobody made make no figures of their own.
        self.assertNotIn("nothing", text)

    def test_figures_are_for_this_machine_or_by_token(self) -> None:
        far = Client(REMOTE_ADDR="10.0.0.9")
        self.assertEqual(far.get("/metrics").status_code, 403)
        with override_settings(METRICS_TOKEN="t0ken"):
            self.assertEqual(far.get("/metrics", headers={"Authorization": "Bearer t0ken"}).status_code, 200)
            self.assertEqual(far.get("/metrics", headers={"Authorization": "Bearer other"}).status_code, 403)
            self.assertEqual(far.get("/metrics").status_code, 403)

    def test_every_request_is_a_line(self) -> None:
        out = io.StringIO()
        handler = logging.StreamHandler(out)
        logger = logging.getLogger("zeitbild.access")
        logger.addHandler(handler)
        self.addCleanup(logger.removeHandler, handler)
        cookie = f"sessionid={self.client.cookies['sessionid'].value}"
        self._get(f"/api/shots/{self.shot.id}", Cookie=cookie)
        self._get("/api/projects")
        # Written when the last byte has left, which may be after it was read.
        wait_until(lambda: "/api/projects" in out.getvalue())
        lines = [json.loads(line) for line in out.getvalue().splitlines()]
        own = next(line for line in lines if line["path"] == f"/api/shots/{self.shot.id}")
        self.assertEqual((own["who"], own["method"], own["status"], own["from"]), ("ada", "GET", 200, "127.0.0.1"))
        self.assertGreater(own["bytes"], 100)
        self.assertGreater(own["ms"], 0)
        nobody = next(line for line in lines if line["path"] == "/api/projects")
        self.assertEqual((nobody["who"], nobody["status"]), (None, 401))


class Copies(StudioCase):
    def setUp(self) -> None:
        super().setUp()
        run = self.post(f"/api/shots/{self.shot.id}/runs", {"base": self.fresh().current_id, "frame_set": "1"})
        self.work()
        self.post(f"/api/runs/{run['id']}/handoffs", {"forms": [{"recipe": "png8"}]})
        self.work()
        (self.data / "assets" / "ab").mkdir(parents=True)
        (self.data / "assets" / "ab" / ("ab" * 32)).write_bytes(b"a font")
        (self.data / "assets" / "ab" / ".half.part").write_bytes(b"half")
        self.database = Path(str(connection.settings_dict["NAME"]))
        self.target = self.data.with_name(f"{self.data.name}-copy")
        self.addCleanup(shutil.rmtree, self.target, True)

    def _titles(self, database: Path) -> list[str]:
        with closing(sqlite3.connect(database)) as opened:
            return [row[0] for row in opened.execute("SELECT title FROM projects_project")]

    def test_a_copy_is_whole_while_people_write(self) -> None:
        stop = threading.Event()

        def write() -> None:
            with closing(sqlite3.connect(self.database, timeout=20)) as other:
                number = 0
                while not stop.is_set():
                    number += 1
                    other.execute("UPDATE projects_project SET title = ?", (f"Title {number}",))
                    other.commit()

        writer = threading.Thread(target=write)
        writer.start()
        try:
            made = back_up(self.data, self.database, self.target)
        finally:
            stop.set()
            writer.join()
        self.assertEqual(len(self._titles(self.target / DATABASE)), 1)
        names = {path.relative_to(self.target).as_posix() for path in self.target.rglob("*") if path.is_file()}
        self.assertEqual(made.files, len(names) - 1)
        self.assertIn(f"handoffs/shot-{self.shot.id}/v001.zip", names)
        self.assertIn("assets/ab/" + "ab" * 32, names)
        self.assertFalse([name for name in names if "half" in name or name.startswith("masters")])
        self.assertEqual(stat.S_IMODE(self.target.stat().st_mode) & 0o077, 0)
        with self.assertRaisesRegex(StorageError, "not empty"):
            back_up(self.data, self.database, self.target)

    def test_a_damaged_copy_is_named(self) -> None:
        back_up(self.data, self.database, self.target)
        asset = self.target / "assets" / "ab" / ("ab" * 32)
        asset.write_bytes(b"other")
        with self.assertRaisesRegex(StorageError, "is not what was copied"):
            verify(self.target)
        asset.unlink()
        with self.assertRaisesRegex(StorageError, "is missing"):
            verify(self.target)
        (self.target / LIST).write_text('{"format": 1, "files": {"../x": "0", "zeitbild.sqlite3": "0"}}')
        with self.assertRaisesRegex(StorageError, "outside"):
            verify(self.target)
        with self.assertRaisesRegex(StorageError, "no copy"):
            verify(self.data)

    def test_put_in_place_it_is_what_it_was_and_nothing_is_lost(self) -> None:
        back_up(self.data, self.database, self.target)
        place = self.data.with_name(f"{self.data.name}-place")
        place.mkdir()
        self.addCleanup(shutil.rmtree, place, True)
        (place / "zeitbild.sqlite3").write_bytes(b"what was there")
        (place / "masters").mkdir()
        (place / "masters" / "m.exr").write_bytes(b"m")
        aside = restore(self.target, place)
        assert aside is not None
        self.addCleanup(shutil.rmtree, aside, True)
        self.assertEqual((aside / "zeitbild.sqlite3").read_bytes(), b"what was there")
        self.assertEqual(self._titles(place / DATABASE), ["Kap Morgen"])
        self.assertTrue((place / "masters" / "m.exr").exists())
        package = f"handoffs/shot-{self.shot.id}/v001.zip"
        self.assertEqual((place / package).read_bytes(), (self.data / package).read_bytes())
        (self.target / "assets" / "ab" / ("ab" * 32)).write_bytes(b"other")
        with self.assertRaises(StorageError):
            restore(self.target, place)
        self.assertEqual(self._titles(place / DATABASE), ["Kap Morgen"])

    def test_by_the_commands(self) -> None:
        env = {**os.environ, "PYTHONPATH": os.pathsep.join([str(ROOT / "core"), str(ROOT / "server")])}
        env["ZEITBILD_DATABASE"] = str(self.database)
        manage = [sys.executable, str(ROOT / "server" / "manage.py"), "backup", str(self.target)]
        done = subprocess.run(manage, env=env, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("all read back and compared", done.stdout)
        again = subprocess.run(manage, env=env, capture_output=True, text=True, check=False)
        self.assertEqual(again.returncode, 1)
        self.assertIn("not empty", again.stderr)
        done = subprocess.run([*manage, "--verify"], env=env, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, done.stderr)


class Deployment(StudioCase):
    def _found(self) -> set[str | None]:
        return {one.id for one in run_checks(include_deployment_checks=True) if not one.is_silenced()}

    def test_a_plain_installation_is_told_what_it_lacks(self) -> None:
        with override_settings(ALLOWED_HOSTS=["localhost"]):
            self.assertLessEqual({"zeitbild.E002", "zeitbild.W001"}, self._found())

    def test_behind_https_all_is_well(self) -> None:
        with override_settings(
            HTTPS=True,
            ALLOWED_HOSTS=["kap-morgen.example"],
            SESSION_COOKIE_SECURE=True,
            CSRF_COOKIE_SECURE=True,
            SECURE_HSTS_SECONDS=31536000,
        ):
            self.assertEqual({one for one in self._found() if one and one.startswith(("zeitbild", "security"))}, set())
            answer = Client(headers={"host": "kap-morgen.example"}).get("/api/session")
            self.assertEqual(answer.headers["Strict-Transport-Security"], "max-age=31536000")

    def test_what_others_can_read_is_named(self) -> None:
        self.data.chmod(0o755)
        with override_settings(DATA=self.data):
            self.assertIn("zeitbild.E001", self._found())
            self.data.chmod(0o700)
            self.assertNotIn("zeitbild.E001", self._found())
