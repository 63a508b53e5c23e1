"""What pages cost with few and with many deliverables: queries, and time against the plainest page of the house.

    DATABASE_URL=postgresql://... .venv/bin/python benchmarks/pages.py [FEW MANY]

Makes a database of its own beside the one that is named, and removes it. Ratios are against the sign-in page of this
run.
"""

from __future__ import annotations

import os
import statistics
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "brisk_web.config.settings")
os.environ.setdefault("BRISK_DATA", tempfile.mkdtemp(prefix="brisk-pages-"))

import django

django.setup()

from django.conf import settings
from django.contrib.auth import get_user_model
from django.db import connection
from django.test import Client
from django.test.runner import DiscoverRunner
from django.test.utils import CaptureQueriesContext

from brisk_core import sandbox
from brisk_core.sandbox import requests
from brisk_core.small_media import Small, make_small
from brisk_core.spec import shelf_specs
from brisk_web.checks.services import judge
from brisk_web.inspections.models import Inspection
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import take_in
from brisk_web.shelf.services import publish
from brisk_web.storage.models import MediaFile, StorageRoot

_TIMES = 7


def furnish(count: int, first: int, job: Job, root: StorageRoot, document: dict[str, object]) -> None:
    """Add deliverables with one judged attempt each, all of the same inspected contents under names of their own."""
    version = publish(shelf_specs()["pebbleview-wide"])
    for number in range(first, count):
        inspection = Inspection.objects.create(engine="bench", state="done", stage="conclude", document=document)
        file = MediaFile.objects.create(
            root=root, path=f"{number}.mp4", name=f"CANAL_{number:04}_V01.mp4", size=1000 + number, modified_ns=0,
            inspection=inspection,
        )  # fmt: skip
        rule = f"CANAL_{number:04}_V##.mp4"
        owed = Deliverable.objects.create(job=job, name=f"Part {number}", spec_version=version, naming_rule=rule)
        judge(take_in(file, owed))


def cost(client: Client, address: str) -> tuple[int, float]:
    """Return queries and milliseconds of a page, the middle of some times."""
    with CaptureQueriesContext(connection) as met:
        status = client.get(address).status_code
    queries = len(met)  # later requests empty the log
    if status != 200:
        raise SystemExit(f"{address} answered {status}")
    spent = []
    for _ in range(_TIMES):
        began = time.perf_counter()
        client.get(address)
        spent.append(1000 * (time.perf_counter() - began))
    return queries, statistics.median(spent)


@contextmanager
def own_house() -> Iterator[tuple[Client, float, StorageRoot, dict[str, object]]]:
    """Give a house in a database of its own: somebody who is signed in, what the plainest page takes (ms), a storage
    root, and the document of an inspection; it is removed at the end.
    """
    runner = DiscoverRunner(verbosity=0, interactive=False)
    runner.setup_test_environment()
    plain = {"staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"}}
    settings.STORAGES = settings.STORAGES | plain
    before = runner.setup_databases()
    try:
        folder = Path(tempfile.mkdtemp(prefix="brisk-pages-"))
        path = make_small(folder / "a.mp4", Small())
        document = sandbox.run(requests.Inspect(url=path.as_uri(), name=path.name, depth="full", take_digest=True))
        client = Client()
        bare = statistics.median(cost(client, "/sign-in")[1] for _ in range(3))
        client.force_login(get_user_model().objects.create_superuser("bench"))
        yield client, bare, StorageRoot.objects.create(name="Shelf", url=str(folder)), document
    finally:
        runner.teardown_databases(before)


def main() -> None:
    """Furnish, measure, print."""
    few, many = (int(text) for text in (sys.argv[1:3] or ("2", "200")))
    with own_house() as (client, bare, root, document):
        job = Job.objects.create(title="Canal")
        pages: dict[str, Callable[[], str]] = {
            "Desk": lambda: "/",
            "Files": lambda: "/files/",
            "Job": lambda: f"/jobs/{job.pk}/",
            "Check": lambda: f"/checks/{job.deliverables.first().renders.first().check_record.pk}/",
        }
        print(f"{'page':8}{'deliverables':>14}{'queries':>9}{'ms':>9}{'× bare':>9}")
        first = 0
        for count in (few, many):
            furnish(count, first, job, root, document)
            first = count
            for name, address in pages.items():
                queries, spent = cost(client, address())
                print(f"{name:8}{count:14}{queries:9}{spent:9.1f}{spent / bare:9.1f}")


if __name__ == "__main__":
    main()
