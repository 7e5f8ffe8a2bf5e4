"""Whether an installation is fit for others than oneself: ``./zeitbild check --deploy``."""

from __future__ import annotations

import stat
from typing import Any

from django.conf import settings
from django.core.checks import CheckMessage, Error, Warning, register


@register(deploy=True)
def readable_by_owner_only(app_configs: Any, **more: Any) -> list[CheckMessage]:
    """Data folder, database and its log are nobody else's to read."""
    found: list[CheckMessage] = []
    names = ("", "secret_key", "zeitbild.sqlite3", "zeitbild.sqlite3-wal", "zeitbild.sqlite3-shm")
    for path in (settings.DATA / name if name else settings.DATA for name in names):
        if path.exists() and stat.S_IMODE(path.stat().st_mode) & 0o077:
            found.append(Error(f"{path} can be read by others", hint="chmod go-rwx it", id="zeitbild.E001"))
    return found


@register(deploy=True)
def behind_https(app_configs: Any, **more: Any) -> list[CheckMessage]:
    """Cookies travel encrypted only, and host names are named."""
    found: list[CheckMessage] = []
    if not settings.HTTPS:
        found.append(
            Error(
                "cookies are sent over plain connections",
                hint="put a proxy with HTTPS in front and set ZEITBILD_HTTPS=1",
                id="zeitbild.E002",
            )
        )
    if set(settings.ALLOWED_HOSTS) <= {"localhost", "127.0.0.1", "[::1]"}:
        found.append(
            Warning("only this machine's own names are answered", hint="set ZEITBILD_HOSTS", id="zeitbild.W001")
        )
    return found
