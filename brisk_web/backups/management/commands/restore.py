"""Bring a backup back into an empty house."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from brisk_web.backups.manifest import BackupRefused
from brisk_web.backups.restoring import restore


class Command(BaseCommand):
    """``manage.py restore FOLDER``, as the owner of an empty database, before the house is started."""

    help = "Bring a backup back: the database has to be empty, and the data folder that of a house that never ran."
    requires_system_checks: tuple[str, ...] = ()

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the folder."""
        parser.add_argument("folder", type=Path)

    def handle(self, *args: Any, folder: Path, **options: Any) -> None:
        """Bring it back, and say what it held."""
        try:
            manifest = restore(folder)
        except BackupRefused as error:
            raise CommandError(str(error)) from error
        self.stdout.write(
            f"Brought back what was backed up on {manifest.made_at}: {manifest.rows:,} rows, "
            f"{len(manifest.files):,} files; the audit trail holds. "
            "Starting the house brings its tables to this version."
        )
