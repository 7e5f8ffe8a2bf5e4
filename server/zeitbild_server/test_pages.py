"""The page, its headers, its static files, and answers to what makes no sense."""

from pathlib import Path
from tempfile import TemporaryDirectory

from django.test import Client, override_settings

from zeitbild_server.static import HashedFiles
from zeitbild_server.testing import StudioCase


class Pages(StudioCase):
    def test_every_address_of_the_front_end_is_the_page(self) -> None:
        for path in ("/", "/projects/3", "/shots/1/proof", "/anything/else"):
            response = self.client.get(path)
            self.assertEqual(response.status_code, 200)
            self.assertIn(b'<div id="app">', response.content)

    def test_nothing_may_be_loaded_from_elsewhere(self) -> None:
        for path in ("/", "/api/session", "/api/projects"):
            headers = self.client.get(path).headers
            self.assertIn("default-src 'self'", headers["Content-Security-Policy"])
            self.assertEqual(headers["X-Content-Type-Options"], "nosniff")
            self.assertEqual(headers["X-Frame-Options"], "DENY")

    def test_the_page_names_no_other_host(self) -> None:
        text = self.client.get("/").content.decode()
        self.assertNotIn("http://", text)
        self.assertNotIn("https://", text)

    def test_other_host_names_are_refused(self) -> None:
        self.assertEqual(Client(SERVER_NAME="evil.example").get("/").status_code, 400)

    def test_a_front_end_that_is_not_built_says_how(self) -> None:
        with TemporaryDirectory() as folder, override_settings(WEB_DIST=Path(folder)):
            response = self.client.get("/")
        self.assertEqual(response.status_code, 503)
        self.assertIn(b"./zeitbild demo", response.content)

    def test_only_hashed_names_are_kept_for_ever(self) -> None:
        files = HashedFiles.__new__(HashedFiles)
        self.assertTrue(files.immutable_file_test("", "/static/web/assets/main-DB2ZX81m.js"))
        for url in ("/static/web/mark.svg", "/static/web/assets/main.js", "/static/other/main-DB2ZX81m.js"):
            self.assertFalse(files.immutable_file_test("", url))


class Requests(StudioCase):
    def test_unknown_addresses_and_methods(self) -> None:
        self.assertEqual(self.client.get("/api/nothing").status_code, 404)
        self.assertEqual(self.client.delete("/api/offers").status_code, 405)

    def test_bodies_that_are_no_json_or_lack_fields(self) -> None:
        for body in ("", "{", "[]", '{"document": 3}', "null"):
            response = self.client.post(f"/api/shots/{self.shot.id}/picture", body, content_type="application/json")
            self.assertIn(response.status_code, (400, 422), body)
            self.assertEqual(response["Content-Type"], "application/problem+json")

    def test_problems_follow_rfc_9457(self) -> None:
        answer = self.get("/api/shots/999999", expect=404)
        self.assertEqual({"type", "title", "status", "detail"} - set(answer), set())
        self.assertEqual(answer["status"], 404)

    def test_numbers_beyond_the_database_are_answered(self) -> None:
        for path in ("/api/shots/99999999999999999999999", "/api/projects/-1", "/api/runs/0"):
            self.assertIn(self.client.get(path).status_code, (404, 422), path)

    def test_offers_hold_everything_a_form_needs(self) -> None:
        offers = self.get("/api/offers")
        self.assertGreaterEqual(len(offers["fonts"]), 8)
        self.assertEqual([one["name"] for one in offers["passes"]][:3], ["beauty", "matte", "diffuse"])
        self.assertEqual(
            [one["name"] for one in offers["recipes"]][:6],
            ["exr", "exr-layer", "exr-frame", "png8", "png16", "tiff16"],
        )
        self.assertEqual(len(offers["rates"]), 8)
        for kind in offers["element_kinds"]:
            self.assertEqual(kind["default"]["kind"], kind["name"])

    def test_what_is_ready_made_has_pictures_that_differ(self) -> None:
        offers = self.get("/api/offers")
        self.assertGreaterEqual(len(offers["surroundings"]), 7)
        for what in ("finishes", "light_sets", "surroundings"):
            seen = set()
            for one in offers[what]:
                answer = self.client.get(one["picture"])
                self.assertEqual((answer.status_code, answer["Content-Type"]), (200, "image/png"))
                seen.add(answer.content)
            self.assertEqual(len(seen), len(offers[what]), what)
        for wrong in (
            "/api/previews?kind=finish&name=nothing",
            "/api/previews?kind=nothing&name=brass",
            "/api/previews",
        ):
            self.assertEqual(self.client.get(wrong).status_code, 422)
