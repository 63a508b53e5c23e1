"""A worker of some queues that waits for the database, works, and ends when the database goes away."""

from __future__ import annotations

import time
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import InterfaceError, OperationalError, connection

from brisk_web.work.starting import CHECKS

_WAIT_S = 0.5  # between two looks for the database


class Command(BaseCommand):
    help = "Works through queues. Whoever starts it (supervisor, systemd) starts it again when it ends."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("queues", help="names of queues with commas: headers, scan, conclude, watch")
        parser.add_argument("--name", default="worker")
        parser.add_argument("--at-once", type=int, default=1, help="how many tasks are done at once")

    def handle(self, *args: Any, queues: str, name: str, at_once: int, **options: Any) -> None:
        self._wait_for_database()
        if says := next(filter(None, (check() for check in CHECKS)), ""):
            raise CommandError(says)
        connection.close()
        call_command(
            "procrastinate",
            "worker",
            "--queues", queues,
            "--name", name,
            "--concurrency", str(at_once),
            "--fetch-job-polling-interval", "1",
            "--shutdown-graceful-timeout", "5",
        )  # fmt: skip

    def _wait_for_database(self) -> None:
        told = False
        while True:
            try:
                connection.ensure_connection()
            except (OperationalError, InterfaceError):
                if not told:
                    self.stderr.write("The database does not answer yet; waiting for it.")
                told = True
                time.sleep(_WAIT_S)
            else:
                return
