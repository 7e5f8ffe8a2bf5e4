"""Remove masters that nobody needs any more."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from disk.cleaning import DAYS, clean, survey
from disk.room import free_bytes, said
from zeitbild.errors import StorageError


class Command(BaseCommand):
    """See the module."""

    help = "Remove rendered frames that no newest run, hand-off or open run needs and that are old."

    def add_arguments(self, parser: CommandParser) -> None:
        """Options."""
        parser.add_argument("--dry-run", action="store_true", help="only say what would go")
        parser.add_argument("--days", type=float, default=DAYS, help=f"since when it was not used ({DAYS:g})")

    def handle(self, *args: Any, **options: Any) -> None:
        """Say what is kept and why, and what goes."""
        try:
            found = (survey if options["dry_run"] else clean)(days=options["days"])
        except StorageError as error:
            raise CommandError(str(error)) from None
        for why, (count, size) in sorted(found.kept.items()):
            self.stdout.write(f"kept     {count:7} frames {said(size):>10}  {why}")
        verb = "may go  " if options["dry_run"] else "removed "
        self.stdout.write(
            f"{verb} {len(found.may_go):7} frames {said(found.going):>10}  older, and can be rendered again"
        )
        self.stdout.write(f"{said(free_bytes())} are free")
