"""Files as answers that can be resumed: ranges of bytes (RFC 9110, section 14)."""

from __future__ import annotations

import re
from collections.abc import AsyncIterator
from pathlib import Path

from asgiref.sync import sync_to_async
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase

_BLOCK = 1 << 20
_RANGE = re.compile(r"^bytes=(\d{0,18})-(\d{0,18})$")


def range_of(header: str, size: int) -> tuple[int, int] | None:
    """First byte and the one after the last of a Range header; None if the whole file is to be given, ValueError if nothing is left.

    Of several ranges none is honoured, as the standard allows.
    """
    match = _RANGE.match(header.strip())
    if match is None or match.groups() == ("", ""):
        return None
    if match[1] == "":
        first, end = max(0, size - int(match[2])), size
    else:
        first = int(match[1])
        end = min(size, int(match[2]) + 1) if match[2] else size
        if match[2] and int(match[2]) < first:
            return None
    if first >= size or end <= first:
        raise ValueError("no byte of the file lies in this range")
    return first, end


async def _blocks(path: Path, first: int, end: int) -> AsyncIterator[bytes]:
    handle = path.open("rb")
    try:
        handle.seek(first)
        while first < end:
            block = await sync_to_async(handle.read, thread_sensitive=False)(min(_BLOCK, end - first))
            if not block:
                return
            first += len(block)
            yield block
    finally:
        handle.close()


def file_answer(
    request: HttpRequest, path: Path, name: str, content_type: str, *, inline: bool = False
) -> tuple[HttpResponseBase, int]:
    """A file to be kept under a name (or to be shown where it is asked for, if it is ``inline``), or the range of it that was asked
    for, and its first byte."""
    stat = path.stat()
    size, tag = stat.st_size, f'"{stat.st_mtime_ns:x}-{stat.st_size:x}"'
    headers = {"Accept-Ranges": "bytes", "ETag": tag}
    wanted = None
    if request.headers.get("If-Range", tag) == tag:
        try:
            wanted = range_of(request.headers.get("Range", ""), size)
        except ValueError:
            return HttpResponse(status=416, headers={**headers, "Content-Range": f"bytes */{size}"}), -1
    first, end = wanted or (0, size)
    headers |= {
        "Content-Disposition": f'{"inline" if inline else "attachment"}; filename="{name}"',
        "Content-Length": str(end - first),
    }
    if wanted:
        headers["Content-Range"] = f"bytes {first}-{end - 1}/{size}"
    answer = StreamingHttpResponse(
        _blocks(path, first, end), status=206 if wanted else 200, content_type=content_type, headers=headers
    )
    return answer, first
