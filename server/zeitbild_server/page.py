"""The one page: names the scripts and styles that the front end's build lists in its manifest."""

from __future__ import annotations

import json

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.csrf import ensure_csrf_cookie

_ENTRY = "src/main.ts"


@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse:
    """The front end, or a sentence on how to build it."""
    manifest = settings.WEB_DIST / ".vite" / "manifest.json"
    if not manifest.exists():
        return HttpResponse(
            "The front end is not built yet: run ./zeitbild demo", status=503, content_type="text/plain"
        )
    chunks = json.loads(manifest.read_text(encoding="utf-8"))
    entry = chunks[_ENTRY]
    return render(request, "page.html", {"script": entry["file"], "styles": entry.get("css", [])})
