"""Odd input to every route of the API description: an answer always, never one of 500, and nothing lost.

The requests are made from the description itself, so that new routes are tried without a word here; the seed is fixed.
"""

import json
import random
from typing import Any
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from projects.models import Project
from shots.models import Shot
from zeitbild_server.api import api
from zeitbild_server.testing import StudioCase

_ROUNDS = 24
_TEXTS = (
    "", " ", "a", "0", "-1", "1-", "ä" * 3000, "\x00", "\u202e", "\ud800", "\ud83d\ude00", "../../etc/passwd", "%s%n",
    "'; drop table shots_shot; --", "<script>", "1e400", "null", "x" * 70_000, "asset:" + "0" * 64, "1-999999999", "{frame:99999}",
    "NaN", "9" * 5000, "1/0", "00:00:00:00", "\r\nSet-Cookie: a=b",
)  # fmt: skip
_NUMBERS = (0, -1, 1, 2**31, -(2**31), 2**63, -(2**70), 10**400, 1e308, 1.5, 0.1, True)
_ODD: tuple[Any, ...] = (None, [], {}, [[]], {"a": {}}, *_NUMBERS[:5], "x", False)


class Odd:
    """Makes values of a JSON schema, most of them wrong in some way."""

    def __init__(self, seed: int, schemas: dict[str, Any], known: dict[str, Any]) -> None:
        self.random = random.Random(seed)
        self._schemas, self._known = schemas, known

    def value(self, schema: dict[str, Any], name: str = "", depth: int = 0) -> Any:
        choose = self.random
        if choose.random() < 0.12 or depth > 6:
            return choose.choice(_ODD)
        if name in self._known and choose.random() < 0.6:
            return self._mutated(self._known[name])
        if "$ref" in schema:
            return self.value(self._schemas[schema["$ref"].rpartition("/")[2]], name, depth + 1)
        for key in ("anyOf", "oneOf", "allOf"):
            if key in schema:
                return self.value(choose.choice(schema[key]), name, depth + 1)
        if "enum" in schema and choose.random() < 0.7:
            return choose.choice(schema["enum"])
        kind = schema.get("type")
        if kind == "object":
            members = schema.get("properties", {})
            made = {key: self.value(one, key, depth + 1) for key, one in members.items() if choose.random() < 0.9}
            if not members or choose.random() < 0.1:
                made[choose.choice(_TEXTS)[:200]] = choose.choice(_ODD)
            return made
        if kind == "array":
            return [self.value(schema.get("items", {}), name, depth + 1) for _ in range(choose.choice((0, 1, 3, 40)))]
        if kind in ("integer", "number"):
            return choose.choice(_NUMBERS)
        return choose.choice(_TEXTS)

    def _mutated(self, value: Any) -> Any:
        """A copy of a value that holds, with a few of its parts replaced."""
        copy = json.loads(json.dumps(value))
        for _ in range(self.random.choice((0, 1, 1, 3))):
            at, parent, key = copy, None, None
            while isinstance(at, dict | list) and at and (parent is None or self.random.random() < 0.8):
                parent = at
                key = self.random.choice(list(at)) if isinstance(at, dict) else self.random.randrange(len(at))
                at = at[key]  # type: ignore[index]
            if parent is None:
                return self.random.choice(_ODD)
            parent[key] = self.random.choice((*_ODD, *_NUMBERS, *_TEXTS))  # type: ignore[index]
        return copy


class AnyInput(StudioCase):
    def setUp(self) -> None:
        super().setUp()
        run, handoff = self.delivered()
        self.known: dict[str, Any] = {
            "project_id": self.project.id,
            "shot_id": self.shot.id,
            "run_id": run,
            "handoff_id": handoff,
            "layer": "sign",
            "frame": 1,
            "base": self.fresh().current_id,
            "revision": self.fresh().current_id,
            "document": self.shot.current_document().model_dump(mode="json"),
            "defaults": {"raster": {"width": 64, "height": 36}, "rate": "24"},
            "width": 32,
            "height": 18,
        }

    def _send(self, client: Client, odd: Odd, path: str, method: str, operation: dict[str, Any]) -> Any:
        query: dict[str, Any] = {}
        for parameter in operation.get("parameters", ()):
            name, schema = parameter["name"], parameter.get("schema", {})
            if parameter["in"] == "path":
                value = self.known.get(name, 1) if odd.random.random() < 0.85 else odd.value(schema, name)
                path = path.replace(f"{{{name}}}", str(value).encode("utf-8", "replace").decode()[:300] or "0")
            elif parameter["in"] == "query" and odd.random.random() < 0.9:
                query[name] = str(odd.value(schema, name)).encode("utf-8", "replace").decode()
        kinds = operation.get("requestBody", {}).get("content", {})
        if "multipart/form-data" in kinds:
            data = odd.random.choice((b"", b"x", b"OTTO" + b"\xff" * 99, b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff\xd9"))
            name = (odd.random.choice(_TEXTS) or "f").encode("utf-8", "replace").decode()[:400].replace("\x00", "")
            return client.post(path, {"file": SimpleUploadedFile(name or "f", data)})
        body: Any = None
        if "application/json" in kinds:
            body = json.dumps(odd.value(kinds["application/json"]["schema"]))
            if odd.random.random() < 0.05:
                body = odd.random.choice(("", "{", "[" * 100_000, "\ufeff{}", '{"a": 1' + "0" * 5000 + "}", "NaN"))
        full = path + ("?" + "&".join(f"{k}={v[:500]}" for k, v in query.items()) if query else "")
        return client.generic(method.upper(), full, body or "", content_type="application/json")

    def test_no_input_is_answered_with_500(self) -> None:
        # What a picture costs is no matter here, and one frame is no estimate.
        with mock.patch("shots.rendering.MAX_VIEW_PIXELS", 64 * 64):
            self._try_all()
        self.assertTrue(self.shot.revisions.filter(id=self.known["base"]).exists())

    def _try_all(self) -> None:
        description = api.get_openapi_schema()
        schemas = description.get("components", {}).get("schemas", {})
        client = Client(raise_request_exception=False)
        seen: set[int] = set()
        wrong: list[str] = []
        for path, methods in description["paths"].items():
            for method, operation in methods.items():
                if method not in ("get", "post", "put", "delete", "patch"):
                    continue
                for seed in range(_ROUNDS):
                    # What one request put away, the next one finds again.
                    Project.objects.update(deleted_at=None)
                    Shot.objects.update(deleted_at=None)
                    client.force_login(self.ada)
                    odd = Odd(seed * 1009 + len(path), schemas, self.known)
                    response = self._send(client, odd, path, method, operation)
                    seen.add(response.status_code)
                    if response.status_code >= 500 and response.status_code != 507:
                        wrong.append(f"{operation['operationId']} seed {seed}: {response.status_code}")
                    response.close()
        self.assertEqual(wrong, [])
        self.assertLessEqual({200, 404, 422}, seen)
