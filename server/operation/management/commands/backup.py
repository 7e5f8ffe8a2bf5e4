"""Copy everything that cannot be made again, while Zeitbild runs."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from operation.backup import back_up, verify
from zeitbild.errors import StorageError


class Command(BaseCommand):
    """See the module."""

    help = "Copy the database, uploaded files and hand-offs into a new folder, and read the copy back."

    def add_arguments(self, parser: CommandParser) -> None:
        """Options."""
        parser.add_argument("folder", type=Path)
        parser.add_argument("--verify", action="store_true", help="only read a copy that is there")

    def handle(self, *args: Any, **options: Any) -> None:
        """Copy, and say what was copied."""
        folder = options["folder"].resolve()
        try:
            if options["verify"]:
                made = verify(folder)
            else:
                made = back_up(settings.DATA, Path(str(settings.DATABASES["default"]["NAME"])), folder)
        except StorageError as error:
            raise CommandError(str(error)) from None
        self.stdout.write(f"{made.files} files, {made.bytes / 1e6:.1f} MB in {folder}, all read back and compared")
