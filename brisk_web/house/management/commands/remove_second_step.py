"""Let a person in with the password alone whose phone and recovery codes are gone, where no lead can."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.core.management.base import BaseCommand, CommandError, CommandParser

from brisk_web.house.people import let_in_without_second_step


class Command(BaseCommand):
    """``manage.py remove_second_step NAME``; the exit status is 1 where there is nobody of that name."""

    help = "Ask a person for the password alone when signing in."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the name that the person signs in with."""
        parser.add_argument("name")

    def handle(self, *args: Any, name: str, **options: Any) -> None:
        """Remove it and say what came of it."""
        person = User.objects.filter(username=name).first()
        if person is None:
            raise CommandError(f"met {name!r}; expected the name that somebody signs in with")
        removed = let_in_without_second_step(person, by=None)
        self.stdout.write(f"{name} signs in with the password alone {'now' if removed else 'already'}.")
