"""Serving of the built front end: names with a hash may be kept for ever."""

from __future__ import annotations

import re

from servestatic.middleware import ServeStaticMiddleware

_HASHED = re.compile(r"^.+[.-][0-9A-Za-z_-]{8,}\.[a-z0-9]+$")


class HashedFiles(ServeStaticMiddleware):  # type: ignore[misc]
    """ServeStatic that knows the names the front end's build tool gives."""

    def immutable_file_test(self, path: str, url: str) -> bool:
        """True for files below the build's assets folder whose names carry a hash of their content."""
        return "/web/assets/" in url and bool(_HASHED.match(url.rsplit("/", 1)[-1]))
