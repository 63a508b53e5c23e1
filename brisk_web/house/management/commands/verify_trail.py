"""Verify the chain over the audit trail, or export the trail as lines of JSON."""

from __future__ import annotations

import json
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from brisk_web.house import chain


class Command(BaseCommand):
    """``manage.py verify_trail [--kept NUMBER:DIGEST] [--export]``; the exit status is 1 where the chain is broken."""

    help = "Verify that no entry of the audit trail was changed, removed or slipped in."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take a head that was kept elsewhere, and whether to export."""
        parser.add_argument("--kept", metavar="NUMBER:DIGEST", help="a head that was kept elsewhere")
        parser.add_argument("--export", action="store_true", help="write all sealed entries, one line of JSON each")

    def handle(self, *args: Any, kept: str | None = None, export: bool = False, **options: Any) -> None:
        """Seal what waits, verify all, and say the head to keep."""
        chain.seal()
        wrong = chain.verify(kept=_head(kept) if kept else None)
        if wrong:
            raise CommandError(f"The audit trail is broken at seal {wrong.number}: {wrong.says}.")
        if export:
            for row in chain.rows():
                self.stdout.write(json.dumps(row, ensure_ascii=False))
            return
        number, digest = chain.head()
        self.stdout.write(f"The audit trail holds: {number} entries. Head to keep: {number}:{digest}")


def _head(text: str) -> tuple[int, str]:
    number, colon, digest = text.partition(":")
    if not colon or not number.isdigit() or len(digest) != len(chain.FIRST):
        raise CommandError(f"met {text!r} as --kept; expected a number, a colon and 64 hexadecimal digits")
    return int(number), digest.lower()
