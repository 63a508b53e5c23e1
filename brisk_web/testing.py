"""What tests of the web share: people, a data folder, media in a root, and a worker that empties the queue."""

from __future__ import annotations

import shutil
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any
from unittest import mock

from django.contrib.auth import get_user_model
from django.contrib.auth.models import Group
from django.db import connection
from django.test import TransactionTestCase, override_settings
from procrastinate.contrib.django import app

from brisk_core import sandbox
from brisk_core.facts import inspection_from_json
from brisk_core.samples.tests.shared import Canned, canned, checksum_of
from brisk_core.sandbox import requests
from brisk_core.small_media import Small, make_small
from brisk_core.spec import parse_spec
from brisk_web.accounts.roles import ROLES, ensure_roles
from brisk_web.shelf.models import SpecVersion
from brisk_web.shelf.services import publish
from brisk_web.storage.models import MediaFile, StorageRoot
from brisk_web.storage.services import register

SPEC = """
brisk_spec: 1
id: small
name: Small spec
family: web
source: a test
issued: 2026-03-02
lines:
  - { id: rate, characteristic: picture.frame_rate, condition: { equals: 25 } }
  - { id: codec, characteristic: picture.codec, condition: { equals: avc } }
  - { id: index-first, characteristic: wrapper.index_first, condition: { equals: true } }
  - { id: length, characteristic: edit.length, condition: { same_as_timeline: true } }
"""


#: What migrations make and every test needs.
_KEPT_TABLES = {
    "django_migrations",
    "django_content_type",
    "auth_permission",
    "auth_group",
    "auth_group_permissions",
}
#: Integrity lines that apply to a small file without sound.
SILENT_INTEGRITY = (
    "complete",
    "extension",
    "contradictions",
    "level",
    "unreadable",
    "burst",
    "gaps",
    "duplicates",
    "disorder",
)


def person(role: str, name: str = "") -> Any:
    """Return a person with a role, who signs in by its name or another one."""
    user = get_user_model().objects.create_user(name or role, password="right-word")
    user.groups.set([Group.objects.get(name=role)])
    return user


def spec_version(text: str = SPEC) -> SpecVersion:
    """Publish a spec."""
    return publish(parse_spec(text))


class HouseMixin:
    """A data folder, a root with media, people of every role."""

    people: dict[str, Any]

    def setUp(self) -> None:
        super().setUp()  # type: ignore[misc]
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)  # type: ignore[attr-defined]
        self.folder = Path(folder.name)
        override = override_settings(DATA_FOLDER=self.folder / "data", PLACES=(str(self.folder),))
        override.enable()
        self.addCleanup(override.disable)  # type: ignore[attr-defined]
        (self.folder / "shelf").mkdir()
        ensure_roles()
        self.people = {role: person(role) for role in ROLES}
        self.root = StorageRoot.objects.create(name="Shelf", url=str(self.folder / "shelf"))

    def sign_in(self, role: str = "operator") -> None:
        """Let the test's client be a person."""
        self.client.force_login(self.people[role])  # type: ignore[attr-defined]

    def media(self, name: str = "a.mp4", *, by: str = "operator", **recipe: Any) -> MediaFile:
        """Make a small file in the root and register it, which queues its inspection."""
        make_small(self.folder / "shelf" / name, Small(**recipe))
        return register(self.root, name, by=self.people[by])


def canned_scans() -> Any:
    """Return a patch by which scans of pictures and sound are made once for all tests; the rest is read for real."""
    for_real = sandbox.run
    scanned: dict[str, Canned] = {}  # by checksum

    def run(request: requests.Request[Any], **more: Any) -> Any:
        if isinstance(request, requests.ScanPart):
            found = canned(request.url)
            scanned[found.checksum] = found
            return None
        if not isinstance(request, requests.Conclude):
            return for_real(request, **more)
        if known := scanned.get(checksum_of(inspection_from_json(request.document))):
            shutil.copyfile(known.scan_path, request.scan_path)
            return known.document | {"file": request.document["file"]}
        return for_real(request, **more)

    return mock.patch("brisk_core.sandbox.run", run)


class QueueTestCase(HouseMixin, TransactionTestCase):
    """A house whose queue can be worked through by a real worker in this process."""

    scans_for_real = False

    def setUp(self) -> None:
        if not self.scans_for_real:
            scans = canned_scans()
            scans.start()
            self.addCleanup(scans.stop)
        # The queue's tables are not Django's own, so the test case does not empty them.
        with connection.cursor() as cursor:
            cursor.execute("TRUNCATE procrastinate_jobs, procrastinate_workers RESTART IDENTITY CASCADE")
        super().setUp()

    def _fixture_teardown(self) -> None:
        """Empty the tables that hold something; roles and their permissions stay, so nothing is made anew."""
        names = connection.introspection.django_table_names(only_existing=True, include_views=False)
        tables = [connection.ops.quote_name(name) for name in names if name not in _KEPT_TABLES]
        with connection.cursor() as cursor:
            cursor.execute(" UNION ALL ".join(f"(SELECT '{name}' FROM {name} LIMIT 1)" for name in tables))  # noqa: S608
            filled = [name for (name,) in cursor.fetchall()]
            if filled:
                cursor.execute(f"TRUNCATE {', '.join(filled)} RESTART IDENTITY CASCADE")

    def lose_tasks(self) -> None:
        """Let the queue forget every task."""
        with connection.cursor() as cursor:
            cursor.execute("TRUNCATE procrastinate_jobs RESTART IDENTITY CASCADE")

    def work(self) -> None:
        """Do every task that waits, and those that they queue, in a thread: a browser's loop may run in this one."""
        with ThreadPoolExecutor(1) as pool:
            pool.submit(self._work).result()

    @staticmethod
    def _work(queues: list[str] | None = None) -> None:
        connector: Any = app.connector  # Django's, which has one for workers
        with app.replace_connector(connector.get_worker_connector()) as working:
            working.run_worker(queues=queues, wait=False, install_signal_handlers=False, listen_notify=False)
