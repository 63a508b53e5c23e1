"""Back the house up into a new folder."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from brisk_core.exact import spell_bytes
from brisk_web.backups.making import make
from brisk_web.backups.manifest import BackupRefused


class Command(BaseCommand):
    """``manage.py backup FOLDER``, as the owner of the tables; the house may run meanwhile."""

    help = "Back the house up into a new folder: database, data and keys, each file with its SHA-256."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the folder."""
        parser.add_argument("folder", type=Path)

    def handle(self, *args: Any, folder: Path, **options: Any) -> None:
        """Make it, and say what it holds."""
        try:
            manifest = make(folder)
        except BackupRefused as error:
            raise CommandError(str(error)) from error
        size = spell_bytes(sum(one.size for one in manifest.files))
        self.stdout.write(
            f"Backed up into {folder}: {manifest.rows:,} rows, {len(manifest.files):,} files, {size}. "
            "It holds the keys of the house: keep it as you keep them. "
            f"Head of the audit trail: {manifest.trail}"
        )
