"""Bring database, static files and the house itself up to date, in one process."""

import secrets
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.auth.models import Group
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser

from brisk_web.accounts.roles import LEAD
from brisk_web.demo import house as demo
from brisk_web.inspections.finding import index_missing
from brisk_web.shelf.services import publish_shelf
from brisk_web.storage.house_data import OtherDataFolder, settle


class Command(BaseCommand):
    help = "Migrates, collects static files, publishes the shipped specs; with --demo loads the demonstration house."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--demo", action="store_true")
        parser.add_argument(
            "--new-data", action="store_true", help="the house's data folder is lost, this is its new one"
        )

    def handle(self, *args: Any, demo: bool, new_data: bool, **options: Any) -> None:
        call_command("migrate", verbosity=0)
        call_command("collectstatic", verbosity=0, interactive=False)
        try:
            settle(new=new_data)
        except OtherDataFolder as other:
            raise CommandError(str(other)) from other
        index_missing()
        says = self._load_demo() if demo else self._open()
        # What ./start prints at every start; the first password of an empty house is printed once and not kept.
        (Path(settings.DATA_FOLDER) / "accounts").write_text(says if demo else "", encoding="utf-8")
        self.stdout.write(says)

    def _load_demo(self) -> str:
        demo.load()
        lines = [f"Demo accounts, password {demo.PASSWORD}:"]
        return "\n".join(lines + [f"  {name:8} {role}" for name, role, _ in demo.ACCOUNTS])

    def _open(self) -> str:
        publish_shelf()
        people = get_user_model().objects
        if people.exists():
            return ""
        password = secrets.token_urlsafe(12)
        user = people.create_user("lead", password=password)
        user.is_staff = user.is_superuser = True  # the first person may make the others
        user.save()
        user.groups.set([Group.objects.get(name=LEAD)])
        return f"The first account is lead, password {password} (printed only now)."
