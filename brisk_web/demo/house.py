"""The demonstration house: people, the job of the made-up programme, its timelines, deliverables and renders."""

from __future__ import annotations

import datetime
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.auth.models import Group, User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.utils import timezone

from brisk_core.samples import RENDERS, build_samples
from brisk_core.samples.programme import TITLE
from brisk_core.samples.stems import LATE_BELL, MIX, STEM_FILES
from brisk_core.samples.timelines import TALL_EDIT, WIDE_EDIT
from brisk_web.accounts.roles import LEAD, OPERATOR, VIEWER
from brisk_web.demo.outside import load_destinations
from brisk_web.demo.titles import load_disc, load_foyer, uploads_query
from brisk_web.edits.services import import_timeline
from brisk_web.inspections.services import inspect_outdated
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import add_deliverable, choose_master, open_job, take_in
from brisk_web.planner.services import keep
from brisk_web.shelf.models import Spec
from brisk_web.shelf.services import attach, publish_shelf
from brisk_web.stems.services import begin as begin_stems
from brisk_web.storage.models import StorageRoot
from brisk_web.storage.services import register

#: Name, role, whole name. Only a demonstration house has these; the password is the same for all and printed at start.
ACCOUNTS = (("vera", VIEWER, "Vera Quay"), ("otto", OPERATOR, "Otto Lockwood"), ("lena", LEAD, "Lena Harbour"))
PASSWORD = "lamplight-canal"  # noqa: S105 - printed at every start, for loopback only

#: Name, spec, timeline, naming rule, hours from now until it is due.
_OWED = (
    ("Channel Merrow master", "channel-merrow-master", WIDE_EDIT, "OLP_LAMPLIGHTERS_MERROW_HD50I_V##.mxf", 3),
    ("Pebbleview wide", "pebbleview-wide", WIDE_EDIT, "OLP_LAMPLIGHTERS_PEBBLE_WIDE_V##.mp4", 6),
    ("Pebbleview tall", "pebbleview-tall", TALL_EDIT, "OLP_LAMPLIGHTERS_PEBBLE_TALL_V##.mp4", 30),
)
#: The right broadcast master is the master that the wide upload is held against.
_MASTERS = {"Pebbleview wide": "OLP_LAMPLIGHTERS_MERROW_HD50I_V06.mxf"}
_GUIDE = """Pebbleview, notes for who uploads. Wide films.

Send 1920 by 1080 or 1280 by 720, square samples, progressive, 25 frames a second, AVC High in MP4, its index first.
Between 10 and 16 megabits a second. Sound at 48 kHz, no true peak above -1 dBTP.
Below 1080 lines we enlarge, above them we scale down; both cost you sharpness.
"""
_LEFT_IN_INTAKE = "OLP_LAMPLIGHTERS_PEBBLE_WIDE_V08.mp4"


def ensure_people() -> None:
    """Create the demo accounts."""
    people = get_user_model().objects
    for name, role, whole in ACCOUNTS:
        first, last = whole.split()
        user, new = people.get_or_create(username=name, defaults={"first_name": first, "last_name": last})
        if new:
            user.set_password(PASSWORD)
            user.save()
        user.groups.set([Group.objects.get(name=role)])


def load() -> Job:
    """Load the demonstration, or bring a loaded one up to date; media is made once and kept by content."""
    folder = build_samples(Path(settings.DATA_FOLDER) / "demo")
    ensure_people()
    publish_shelf()
    operator = get_user_model().objects.get(username="otto")
    with transaction.atomic():
        root, _ = StorageRoot.objects.update_or_create(name="Render shelf", defaults={"url": str(folder)})
        job = _load_job(folder, root, operator)
        load_foyer(root, operator)
        load_disc(operator)
        load_destinations(get_user_model().objects.get(username="lena"))
    inspect_outdated(by=operator)
    return job


def _load_job(folder: Path, root: StorageRoot, operator: User) -> Job:
    job = Job.objects.filter(title=TITLE).first()
    if job:
        return job
    lead = get_user_model().objects.get(username="lena")
    job = open_job(TITLE, kind_of_work="documentary", by=operator)
    attach(Spec.objects.get(slug="pebbleview-wide"), "pebbleview-guide.txt", _GUIDE.encode(), by=lead)
    timelines = {}
    for name, hints in (
        (WIDE_EDIT, {}),
        (TALL_EDIT, {"rate": "30", "size": "1080×1920", "scan": "progressive", "sample_rate": "48000"}),
    ):
        upload = SimpleUploadedFile(name, (folder / name).read_bytes())
        timelines[name] = import_timeline(job, upload, hints, by=operator)
    now = timezone.now().replace(minute=0, second=0, microsecond=0)
    for name, spec, timeline, rule, hours in _OWED:
        version = Spec.objects.get(slug=spec).current
        deliverable = Deliverable(
            job=job,
            name=name,
            spec_version=version,
            timeline=timelines[timeline],
            naming_rule=rule,
            due_at=now + datetime.timedelta(hours=hours),
            assigned_to=operator,
            rendered_by="Ostrey Lane, edit room 2",
            rendered_by_email="edit2@ostrey-lane.example",
            two_sign=spec == "channel-merrow-master",
        )
        add_deliverable(deliverable, by=operator)
        if name in _MASTERS:
            choose_master(deliverable, register(root, _MASTERS[name], by=operator), by=operator)
        for recipe in sorted((one for one in RENDERS if one.spec == spec), key=lambda one: one.name):
            media_file = register(root, recipe.name, by=operator)
            if recipe.name != _LEFT_IN_INTAKE:
                take_in(media_file, deliverable, by=operator)
    _hold_stems(root, operator)
    _plan_uploads(job, operator)
    return job


def _plan_uploads(job: Job, operator: User) -> None:
    """Keep a plan of both uploads under the cap of the site."""
    rows = (("Pebbleview wide", "1920x1080", "25"), ("Pebbleview tall", "1080x1920", "30"))
    files: list[dict[str, Any]] = [
        {"name": name, "length": "8 s", "rate": rate, "size": size, "sounds": ["aac 192 kb/s"]}
        for name, size, rate in rows
    ]
    keep(
        job, "Both uploads under 15 MB", {"cap": "15 MB", "files": files}, None, by=operator, query=uploads_query(files)
    )


def _hold_stems(root: StorageRoot, operator: User) -> None:
    """Hold the stems against the mix twice: with the bell as it was sent first, and as it was mended."""
    mix, *stems = [register(root, name, by=operator) for name in (MIX, *STEM_FILES)]
    late = register(root, LATE_BELL, by=operator)
    for bell in (stems[-1], late):
        begin_stems((mix, None), [(file, None) for file in (*stems[:-1], bell)], by=operator)
