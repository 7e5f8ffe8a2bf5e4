"""Add a person who can sign in, or give one a new password. Nobody is an administrator: projects have owners."""

from __future__ import annotations

import getpass
import sys
from typing import Any

from django.contrib.auth.models import User
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser

from accounts.actions.change_password import check_password_rules
from accounts.actions.sign_out_everywhere import sign_out_everywhere
from zeitbild.errors import InputError


class Command(BaseCommand):
    """See the module."""

    help = "Add a person who can sign in."

    def add_arguments(self, parser: CommandParser) -> None:
        """Options."""
        parser.add_argument("name")
        parser.add_argument("--new-password", action="store_true", help="for a person who is there already")

    def handle(self, *args: Any, **options: Any) -> None:
        """Ask for the password twice, or take a line of the input if that is no terminal."""
        name = options["name"]
        user = User.objects.filter(username=name).first()
        if options["new_password"] and user is None:
            raise CommandError(f"nobody here is called {name!r}")
        if not options["new_password"] and user is not None:
            raise CommandError(f"{name!r} is here already; --new-password gives a new password")
        user = user or User(username=name)
        try:
            user.clean_fields(exclude=["password"])
        except ValidationError as error:
            raise CommandError(" ".join(error.messages)) from None
        password = _password()
        try:
            check_password_rules(user, password)
        except InputError as error:
            raise CommandError(str(error)) from None
        user.set_password(password)
        user.save()
        sign_out_everywhere(user)
        self.stdout.write(f"{name} can sign in")


def _password() -> str:
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\n")
    while True:
        first = getpass.getpass("Password: ")
        if first == getpass.getpass("Once more: "):
            return first
        print("These were not the same.", file=sys.stderr)
