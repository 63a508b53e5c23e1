"""The other titles of the demonstration house: what the foyer's deck plays, and what the visitor disc holds."""

from __future__ import annotations

import datetime
from pathlib import Path
from typing import Any

from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.http import QueryDict
from django.utils import timezone

from brisk_core.samples.foyer import LAMPS, LAMPS_EDIT
from brisk_web.edits.services import import_timeline
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import add_deliverable, open_job, take_in
from brisk_web.planner.models import Plan
from brisk_web.planner.services import keep
from brisk_web.shelf.models import Spec, SpecVersion
from brisk_web.shelf.services import newest_of
from brisk_web.storage.models import StorageRoot
from brisk_web.storage.services import register

DISC_FILE = Path(__file__).parent / "visitor_disc.yaml"
FOYER, DISC = "Wherry House foyer", "Canal film, visitor disc and archive"
_UPLOADS = (
    ("Pebbleview wide", "pebbleview-wide", "1920x1080", "25"),
    ("Pebbleview square", "pebbleview-square", "1080x1080", "25"),
    ("Pebbleview tall", "pebbleview-tall", "1080x1920", "30"),
    ("Tall clip", "upload-tall-clip", "1080x1920", "30"),
)
#: Name, spec, hours from now until it is due.
_OWED = (
    ("Film for the disc", "disc-sd-mpeg2-25", 52),
    ("Short for the disc", "disc-sd-mpeg2-25", 52),
    ("County archive", "county-archive-ffv1", 150),
    *((name, spec, 78) for name, spec, _, _ in _UPLOADS if name not in ("Pebbleview wide", "Pebbleview tall")),
)

#: Renders of the film that might be sent to the site.
_AT_THE_SITE = [
    {"name": name, "wrapper": wrapper, "codec": codec, "size": size, "rate": rate, "chroma": chroma, "length": "12:30"}
    for name, wrapper, codec, size, rate, chroma in (
        ("As the guide has it", "mp4", "avc", "1920x1080", "25", "4:2:0"),
        ("At fifty frames", "mp4", "avc", "1920x1080", "50", "4:2:0"),
        ("The master as it is", "mov", "prores", "1920x1080", "25", "4:2:2"),
    )
]


def load_foyer(root: StorageRoot, by: User) -> None:
    """Open the foyer's job with the clips that its deck was sent."""
    if Job.objects.filter(title=FOYER).exists():
        return
    job = open_job(FOYER, kind_of_work="titles", by=by)
    version = Spec.objects.get(slug="wherry-house-deck").current
    edit = SimpleUploadedFile("WHF_LAMPS.edl", LAMPS_EDIT.encode())
    hints = {"rate": "25", "size": "1920×1080", "scan": "progressive"}
    timeline = import_timeline(job, edit, hints, by=by)
    for lamp in LAMPS:
        name = lamp.name.split("_")[2].capitalize()
        deliverable = Deliverable(job=job, name=f"Lamp, {name.lower()}", spec_version=version, timeline=timeline)
        deliverable.due_at = _in(28)
        deliverable.naming_rule = f"WHF_LAMP_{name.upper()}_V##.mov"
        add_deliverable(deliverable, by=by)
        take_in(register(root, lamp.name, by=by), deliverable, by=by)


def load_disc(by: User) -> None:
    """Open the job of the visitor disc: what it owes, the disc as it is planned, the uploads under their cap."""
    if Job.objects.filter(title=DISC).exists():
        return
    job = open_job(DISC, kind_of_work="documentary", by=by)
    for name, spec, hours in _OWED:
        version = Spec.objects.get(slug=spec).current
        add_deliverable(Deliverable(job=job, name=name, spec_version=version, due_at=_in(hours)), by=by)
    keep(job, "Visitor disc", {"text": DISC_FILE.read_text(encoding="utf-8")}, None, by=by, kind=Plan.Kind.DISC)
    files: list[dict[str, Any]] = [
        {"name": name, "length": "8 s", "rate": rate, "size": size, "sounds": ["aac 192 kb/s"]}
        for name, _, size, rate in _UPLOADS
    ]
    keep(job, "Four uploads under 15 MB", {"cap": "15 MB", "files": files}, None, by=by, query=uploads_query(files))
    if (guide := newest_of("pebbleview-wide")) is not None:
        asked = {"renders": _AT_THE_SITE, "screen": "2560x1440"}
        keep(job, "At Pebbleview", asked, guide, by=by, kind=Plan.Kind.TARGET, query=_site_query(guide))


def uploads_query(files: list[dict[str, Any]]) -> str:
    """The address of a plan of uploads under 15 MB."""
    form = QueryDict(mutable=True)
    form["cap"] = "15 MB"
    for file in files:
        for name in ("name", "length", "rate", "size"):
            form.appendlist(f"file_{name}", file[name])
        form.appendlist("file_sounds", ", ".join(file["sounds"]))
    return form.urlencode()


def _site_query(version: SpecVersion) -> str:
    """The address of the plan of what the site makes of the film."""
    form = QueryDict(mutable=True)
    form["spec_version"], form["screen"] = str(version.pk), "2560x1440"
    for render in _AT_THE_SITE:
        for name, value in render.items():
            form.appendlist(f"render_{name}", value)
    return form.urlencode()


def _in(hours: int) -> datetime.datetime:
    return timezone.now().replace(minute=0, second=0, microsecond=0) + datetime.timedelta(hours=hours)
