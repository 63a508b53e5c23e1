"""What every page costs in a full house: 10,000 files, 2,000 deliverables with a check each, 200 of them on one job.

    DATABASE_URL=postgresql://... .venv/bin/python benchmarks/full_house.py [FILES DELIVERABLES ON_ONE_JOB]

Makes a database of its own beside the one that is named, fills it, and removes it. Prints queries and milliseconds of
server time, and the ratio to the sign-in page of this run; marks more than 20 queries (of a check 30) and 300 ms.
"""

from __future__ import annotations

import logging
import sys
from datetime import timedelta
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))
from django.contrib.auth import get_user_model
from django.db import connection, models
from django.urls import reverse
from django.utils import timezone
from psycopg import sql

from benchmarks.pages import cost, furnish, own_house  # sets Django up
from brisk_web.checks.models import Check, Finding
from brisk_web.inspections.finding import index_facts
from brisk_web.inspections.models import Fact, Inspection
from brisk_web.jobs.models import Deliverable, Job, Render
from brisk_web.pages.tests.furnished import addresses
from brisk_web.storage.models import MediaFile, StorageRoot

_MOST_QUERIES, _MOST_QUERIES_OF_A_CHECK, _MOST_MS = 20, 30, 300
_OTHER_JOBS = 36


def copies(model: type[models.Model], source: int, target: type[models.Model], column: str) -> None:
    """Copy the rows that hang on one row to all others of its table."""
    names = [field.column for field in model._meta.concrete_fields if not field.primary_key and field.column != column]
    parts = {
        "rows": sql.Identifier(model._meta.db_table),
        "others": sql.Identifier(target._meta.db_table),
        "column": sql.Identifier(column),
        "names": sql.SQL(", ").join(map(sql.Identifier, names)),
        "copied": sql.SQL(", ").join(sql.Identifier("r", name) for name in names),
    }
    asked = sql.SQL(
        "INSERT INTO {rows} ({column}, {names}) SELECT t.id, {copied} FROM {others} t CROSS JOIN {rows} r "
        "WHERE r.{column} = %s AND t.id <> %s"
    )
    with connection.cursor() as cursor:
        cursor.execute(asked.format(**parts), [source, source])


def fill(root: StorageRoot, document: dict[str, object], files: int, owed: int, on_one: int) -> dict[str, object]:
    """Fill the house from one deliverable that went the whole way; return the ids of one of everything."""
    job = Job.objects.create(title="Canal")
    furnish(1, 0, job, root, document)
    check = Check.objects.get()
    first = check.media_file
    now = timezone.now()
    inspections = Inspection.objects.bulk_create(
        [Inspection(engine="bench", state="done", stage="conclude", document=document) for _ in range(files)]
    )
    media = MediaFile.objects.bulk_create(
        MediaFile(
            root=root, path=f"in/{n}.mp4", name=f"CANAL_{n:05}_V01.mp4", size=1000 + n, modified_ns=0, inspection=one
        )
        for n, one in enumerate(inspections, 1)
    )
    jobs = [job, *Job.objects.bulk_create(Job(title=f"Canal, part {n}") for n in range(_OTHER_JOBS))]
    places = [job] * (on_one - 1) + [jobs[1 + n % _OTHER_JOBS] for n in range(owed - on_one)]
    rows = Deliverable.objects.bulk_create(
        Deliverable(
            job=there, name=f"Part {n}", spec_version=check.spec_version, naming_rule=f"CANAL_{n:05}_V##.mp4",
            due_at=now + timedelta(hours=n - owed // 2),
        )
        for n, there in enumerate(places, 1)
    )  # fmt: skip
    template = Render.objects.get()
    renders = Render.objects.bulk_create(
        Render(deliverable=row, media_file=file, attempt=1, taken_in_by=template.taken_in_by)
        for row, file in zip(rows, media, strict=False)
    )
    Check.objects.bulk_create(
        Check(
            media_file=render.media_file, spec_version=check.spec_version, render=render, verdict=check.verdict,
            counts=check.counts, engine=check.engine, judged_at=now,
        )
        for render in renders
    )  # fmt: skip
    copies(Finding, check.pk, Check, "check_record_id")
    index_facts(first.inspection)
    copies(Fact, first.inspection_id, Inspection, "inspection_id")
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")
    version = check.spec_version
    return {
        "job_id": job.pk, "deliverable_id": rows[0].pk, "file_id": first.pk, "check_id": check.pk, "root_id": root.pk,
        "inspection_id": first.inspection_id, "slug": version.spec.slug, "number": version.number, "kind": "json",
        "line": "rate", "person_id": get_user_model().objects.get().pk,
    }  # fmt: skip


def main() -> None:
    """Fill, measure, print."""
    files, owed, on_one = (int(text) for text in (sys.argv[1:4] or ("10000", "2000", "200")))
    logging.disable(logging.WARNING)  # addresses that are not read
    with own_house() as (client, bare, root, document):
        ids = fill(root, document, files, owed, on_one)
        print(f"{MediaFile.objects.count():,} files, {Deliverable.objects.count():,} deliverables, "
              f"{Finding.objects.count():,} findings, {Fact.objects.count():,} facts")  # fmt: skip
        print(f"{'page':28}{'queries':>9}{'ms':>9}{'× bare':>9}")
        for pattern in addresses():
            wanted = pattern.pattern.converters
            if not set(wanted) <= set(ids) or pattern.name.endswith("-pdf"):  # documents are made, and take seconds
                continue
            address = reverse(pattern.name, kwargs={key: ids[key] for key in wanted})
            if client.get(address).status_code != 200:
                continue
            queries, spent = cost(client, address)
            most = _MOST_QUERIES_OF_A_CHECK if "check_id" in wanted else _MOST_QUERIES
            mark = "  ← more than wanted" if queries > most or spent > _MOST_MS else ""
            print(f"{pattern.name:28}{queries:9}{spent:9.1f}{spent / bare:9.1f}{mark}", flush=True)


if __name__ == "__main__":
    main()
