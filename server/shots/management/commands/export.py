"""Print the document of a shot, ready for ``./zeitbild render``."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from shots.models import Shot
from zeitbild.document.reading import write_shot


class Command(BaseCommand):
    """See the module."""

    help = "Print a shot's document."

    def add_arguments(self, parser: CommandParser) -> None:
        """Options."""
        parser.add_argument("shot", help="shot code, such as KM010")

    def handle(self, *args: Any, **options: Any) -> None:
        """Print it; CommandError if there is no such shot, or several."""
        shots = list(
            Shot.objects.filter(code=options["shot"], deleted_at=None, project__deleted_at=None).select_related(
                "project"
            )
        )
        if not shots:
            raise CommandError(f"there is no shot {options['shot']}")
        if len(shots) > 1:
            where = ", ".join(shot.project.title for shot in shots)
            raise CommandError(
                f"{options['shot']} exists in several projects ({where}); export it from the application"
            )
        self.stdout.write(write_shot(shots[0].current_document()), ending="")
