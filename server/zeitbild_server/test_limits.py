"""Bodies that are too long, odd, or endless; too many open lines; downloads in pieces."""

import http.client
import json
import socket
import time
from pathlib import Path
from typing import Any

from runs.events import MOST_LINES
from runs.models import Run
from zeitbild_server.api import api
from zeitbild_server.downloads import range_of
from zeitbild_server.limits import LARGER, SMALL
from zeitbild_server.parsing import read_json
from zeitbild_server.testing import ServedCase, StudioCase, wait_until


class Parsing(StudioCase):
    def test_json_that_nobody_can_hold_is_refused(self) -> None:
        for body in (b'{"a": NaN}', b"[-Infinity]", b"[" * 200_000, b'{"a": "\\ud800"}', b'["\\udfff"]', b"{", b"\xff"):
            with self.assertRaises(ValueError):
                read_json(body)
        # A whole pair is a character.
        self.assertEqual(read_json(b'["\\ud83d\\ude00"]'), ["\N{GRINNING FACE}"])

    def test_half_a_character_is_told_and_not_kept(self) -> None:
        path = f"/api/projects/{self.project.id}/shots"
        response = self.client.post(path, b'{"code": "X1", "title": "\\ud800"}', content_type="application/json")
        self.assertEqual(response.status_code, 400)
        self.assertIn("half of a character", response.json()["detail"])
        self.assertEqual(self.project.shots.count(), 1)


class Documents(StudioCase):
    def test_whatever_takes_a_document_takes_a_large_one(self) -> None:
        found = []
        schema = api.get_openapi_schema()
        for path, methods in schema["paths"].items():
            for operation in methods.values():
                content = operation.get("requestBody", {}).get("content", {}).get("application/json")
                named = (content or {}).get("schema", {}).get("$ref", "").rpartition("/")[2]
                if "document" in schema["components"]["schemas"].get(named, {}).get("properties", {}):
                    found.append(path.format(shot_id=1, project_id=1))
        self.assertGreater(len(found), 12)
        small = [path for path in found if not any(pattern.match(path) for pattern, _ in LARGER)]
        self.assertEqual(small, [])


class Bodies(ServedCase):
    def _send(
        self, path: str, body: bytes | None, headers: dict[str, str] | None = None, who: bool = True
    ) -> tuple[int, Any]:
        line = http.client.HTTPConnection("127.0.0.1", self.port, timeout=240)
        head = {"Content-Type": "application/json", **(headers or {})}
        if who:
            head["Cookie"] = f"sessionid={self.client.cookies['sessionid'].value}"
        try:
            line.request("POST", path, body=body, headers=head)
        except (BrokenPipeError, ConnectionResetError):
            # Answered and closed before all was sent.
            pass
        try:
            answer = line.getresponse()
            return answer.status, json.loads(answer.read() or b"null")
        finally:
            line.close()

    def test_nobody_sends_more_than_a_little(self) -> None:
        big = b'{"username": "' + b"a" * SMALL + b'"}'
        for path in ("/api/session", f"/api/shots/{self.shot.id}/picture", f"/api/projects/{self.project.id}/pictures"):
            status, answer = self._send(path, big, who=False)
            self.assertEqual((status, answer["title"]), (413, "too-large"))
            self.assertIn("64 kB", answer["detail"])

    def test_members_send_documents_and_files_and_no_more(self) -> None:
        path = f"/api/shots/{self.shot.id}/examine"
        document = self.shot.current_document().model_dump(mode="json")
        padded = json.dumps({"document": document}).encode() + b" " * 300_000
        status, _ = self._send(path, padded)
        # Reached the application, which wants its token: a session alone is no permission.
        self.assertEqual(status, 403)
        status, answer = self._send(path, b" " * (6 << 20))
        self.assertEqual((status, answer["title"]), (413, "too-large"))
        status, answer = self._send("/api/length", b" " * (1 << 20))
        self.assertEqual(status, 413)

    def test_a_body_without_a_length_is_cut_off_while_it_comes(self) -> None:
        with socket.create_connection(("127.0.0.1", self.port), timeout=20) as line:
            line.sendall(
                b"POST /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nTransfer-Encoding: chunked\r\nContent-Type: application/json\r\n\r\n"
            )
            sent = 0
            try:
                for _ in range(1000):
                    line.sendall(b"4000\r\n" + b"a" * 0x4000 + b"\r\n")
                    sent += 0x4000
                    time.sleep(0.001)
            except (BrokenPipeError, ConnectionResetError):
                pass
            self.assertLess(sent, 1000 * 0x4000)

    def test_problems_of_a_huge_document_are_answered_soon(self) -> None:
        elements = [{"kind": "nothing", "id": f"e{n}"} for n in range(100_000)]
        body = json.dumps({"document": {**self.shot.current_document().model_dump(mode="json"), "elements": elements}})
        self.assertLess(len(body), 5 << 20)
        path = f"/api/shots/{self.shot.id}/examine"
        answer = self.client.post(path, body, content_type="application/json")
        self.assertEqual(answer.status_code, 422)
        self.assertLessEqual(len(answer.json()["problems"]), 100)

    def test_one_person_has_so_many_lines_open(self) -> None:
        # A run that nobody works on: its lines stay open.
        run = Run.objects.create(
            shot=self.shot,
            revision_id=self.shot.current_id or 0,
            document="{}",
            quality="rough",
            frame_set="1",
            state="stopping",
        )
        cookie = {"Cookie": f"sessionid={self.client.cookies['sessionid'].value}"}
        lines = []
        for _ in range(MOST_LINES):
            line = http.client.HTTPConnection("127.0.0.1", self.port, timeout=240)
            line.request("GET", f"/api/runs/{run.id}/events", headers=cookie)
            answer = line.getresponse()
            self.assertEqual(answer.status, 200)
            answer.read(6)
            lines.append(line)
        more = http.client.HTTPConnection("127.0.0.1", self.port, timeout=240)

        def status() -> int:
            more.request("GET", f"/api/runs/{run.id}/events", headers=cookie)
            answer = more.getresponse()
            if answer.status == 200:
                more.close()
                return 200
            answer.read()
            return answer.status

        self.assertEqual(status(), 429)
        for line in lines:
            line.close()
        wait_until(lambda: status() == 200)


class Downloads(ServedCase):
    def _package(self) -> tuple[str, bytes]:
        run = self.post(f"/api/shots/{self.shot.id}/runs", {"base": self.fresh().current_id, "frame_set": "1-2"})
        wait_until(lambda: self.get(f"/api/runs/{run['id']}")["state"] == "done")
        handoff = self.post(f"/api/runs/{run['id']}/handoffs", {"forms": [{"recipe": "png8"}]})
        path = f"/api/handoffs/{handoff['id']}"
        wait_until(lambda: self.get(f"/api/shots/{self.shot.id}/handoffs")[0]["state"] == "done")
        whole = Path(self.data / "handoffs" / f"shot-{self.shot.id}" / "v001.zip").read_bytes()
        return f"{path}/package", whole

    def _get(self, path: str, **headers: str) -> tuple[int, bytes, dict[str, str]]:
        line = http.client.HTTPConnection("127.0.0.1", self.port, timeout=240)
        cookie = f"sessionid={self.client.cookies['sessionid'].value}"
        line.request("GET", path, headers={"Cookie": cookie, **{k.replace("_", "-"): v for k, v in headers.items()}})
        answer = line.getresponse()
        try:
            return answer.status, answer.read(), {name.lower(): value for name, value in answer.getheaders()}
        finally:
            line.close()

    def test_a_download_goes_on_where_it_broke_off(self) -> None:
        path, whole = self._package()
        status, data, headers = self._get(path)
        self.assertEqual((status, data, headers["accept-ranges"]), (200, whole, "bytes"))
        half = len(whole) // 2
        status, rest, headers = self._get(path, Range=f"bytes={half}-", If_Range=headers["etag"])
        self.assertEqual((status, whole[:half] + rest), (206, whole))
        self.assertEqual(headers["content-range"], f"bytes {half}-{len(whole) - 1}/{len(whole)}")
        self.assertEqual(self._get(path, Range="bytes=-5")[1], whole[-5:])
        self.assertEqual(self._get(path, Range="bytes=0-0")[1], whole[:1])
        self.assertEqual(self._get(path, Range=f"bytes={half}-", If_Range='"other"')[0], 200)
        self.assertEqual(self._get(path, Range=f"bytes={len(whole)}-")[0], 416)

    def test_ranges_as_the_standard_has_them(self) -> None:
        # RFC 9110, section 14.1.2: its examples, of a representation of 10000 bytes.
        for header, expected in (
            ("bytes=0-499", (0, 500)),
            ("bytes=500-999", (500, 1000)),
            ("bytes=-500", (9500, 10000)),
            ("bytes=9500-", (9500, 10000)),
            ("bytes=0-99999", (0, 10000)),
            ("bytes=-99999", (0, 10000)),
            ("bytes=0-0,-1", None),
            ("bytes=5-3", None),
            ("lines=1-2", None),
            ("bytes=-", None),
            ("", None),
        ):
            self.assertEqual(range_of(header, 10000), expected, header)
        for header in ("bytes=10000-", "bytes=-0"):
            with self.assertRaises(ValueError):
                range_of(header, 10000)
