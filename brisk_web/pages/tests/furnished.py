"""A house with one of everything, and every address of the application."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings
from django.urls import URLPattern, get_resolver, reverse
from django.utils import timezone

from brisk_core.plan.bundle import shipped_bundles
from brisk_web.accounts.models import Passkey
from brisk_web.accounts.roles import OPERATOR, VIEWER
from brisk_web.captions.models import CaptionFile, Pairing
from brisk_web.checks.models import Check, Finding
from brisk_web.checks.services import open_check
from brisk_web.config.environment import Provider
from brisk_web.decisions.models import Point, Request
from brisk_web.edits.services import import_timeline
from brisk_web.handoff.models import Brought, Destination, HandOff, ServedCopy
from brisk_web.house.tokens import make_token
from brisk_web.jobs.models import Bundle, Deliverable, Job
from brisk_web.jobs.services import take_in
from brisk_web.jobs.tests.test_jobs import EDL
from brisk_web.masters.models import Comparison
from brisk_web.planner.models import DiscTrial, Plan
from brisk_web.planner.services import keep
from brisk_web.shelf.services import attach
from brisk_web.stems.models import StemCheck
from brisk_web.storage.models import MediaFile, Upload
from brisk_web.telling.models import Comment, Hook, Message, Notice
from brisk_web.testing import HouseMixin, person, spec_version
from brisk_web.watching.models import SeenFile, WatchedFolder

DISC = """
name: Disc
kind: sd-single
family: 25
starts_with: menu
home: menu
items:
  - {id: menu, kind: screen, name: Menu, buttons: [{id: play, label: Play, to: film}, {id: locks, label: Locks, to: film chapter 2}]}
  - id: film
    kind: clip
    name: Film
    length: "10:00"
    rate: 25
    size: 720x576
    shape: "16:9"
    scan: interlaced
    codec: mpeg2
    picture_rate: 6 Mb/s
    sounds: [ac3 448 kb/s 6 channels]
    chapters: ["0:00", {at: "1500 frames", name: The locks}]
    then: menu
"""

_FINDING = {
    "line": "rate", "label": "Rate", "group": "picture", "characteristic": "picture.frame_rate", "outcome": "fail",
    "weight": "must", "condition": {"equals": 25}, "required": "25", "found": "24", "spans": [], "code": "x",
    "says": "Another rate.", "why": "", "remedy": "",
}  # fmt: skip
_OF_A_FINDING = {name: _FINDING[name] for name in ("group", "characteristic", "outcome", "weight", "code")}


def addresses() -> Iterator[URLPattern]:
    """Every address of ours; those of the admin are Django's own."""
    for pattern in get_resolver().url_patterns:
        if isinstance(pattern, URLPattern) and pattern.name:
            yield pattern


@dataclass(frozen=True, slots=True, kw_only=True)
class Furnished:
    """Ids of one of everything."""

    values: dict[str, Any]

    def address(self, pattern: URLPattern, **instead: Any) -> str:
        """The address of a pattern, with what is there or something else in its place."""
        wanted = {key: instead.get(key, self.values[key]) for key in pattern.pattern.converters}
        return reverse(pattern.name, kwargs=wanted)


def _furnish_outside(house: HouseMixin, check: Check, other: MediaFile, disc: Plan) -> dict[str, int]:
    """Put in what has to do with the world outside, and what is said of a check; return the ids."""
    by = house.people[OPERATOR]
    player = Destination.objects.create(
        name="Player",
        kind="folder",
        address=str(house.folder / "discs"),
        answers="player",
        asked_at="http://127.0.0.1:1/",
    )
    DiscTrial.objects.create(
        plan=disc, destination=player, made_by=by, state="done", right=False, says="No.", wrong=["Menu."]
    )
    there = Destination.objects.create(name="Outside", kind="folder", address=str(house.folder / "outside"))
    handoff = HandOff.objects.create(render=check.render, destination=there, name="a", made_by=by, state="done")
    ServedCopy.objects.create(
        handoff=handoff,
        label="720p",
        told={"size": [1280, 720], "rate": "25"},
        media_file=other,
        outcome="fail",
        says="No.",
    )
    ServedCopy.objects.create(handoff=handoff, label="1080p")
    HandOff.objects.filter(pk=handoff.pk).update(line_speeds=[[300, None], [3000, "720p"]])
    comment = Comment.objects.create(
        check_record=check, line="rate", frame=3, words=f"@{by} " + "Canal" * 40, made_by=by
    )
    hook = Hook.objects.create(name="Ledger", url="http://127.0.0.1:1/", events=["handoff.taken"])
    Message.objects.create(
        hook=hook, event="handoff.taken", document={"says": "It was taken."}, state="failed", says="no"
    )
    watched = WatchedFolder.objects.create(root=house.root, folder="in", trouble="there is no folder “in” in Shelf")
    SeenFile.objects.create(
        watched=watched, path="in/" + "canal_" * 30 + ".mp4", size=7, modified_ns=7, state="refused", says="No.",
        seen_at=timezone.now(), changed_at=timezone.now(),
    )  # fmt: skip
    return {
        "watched_id": watched.pk, "destination_id": there.pk, "handoff_id": handoff.pk, "comment_id": comment.pk, "hook_id": hook.pk,
    }  # fmt: skip


_PROVIDER = Provider(issuer="http://127.0.0.1:9", client="sentry", secret="", name="Harbour House", match="")


def furnish(house: HouseMixin, first: str = "a.mp4", second: str = "b.mp4", job_title: str = "Canal") -> Furnished:
    """Put one of everything into a house; the names are those of its two files and of its job."""
    house.enterContext(override_settings(SIGN_IN_PROVIDER=_PROVIDER))
    by = house.people[OPERATOR]
    version = spec_version()
    job = Job.objects.create(title=job_title)
    timeline = import_timeline(job, SimpleUploadedFile("a.edl", EDL), {"rate": "25"}, by=by)
    deliverable = Deliverable.objects.create(job=job, name="Wide", spec_version=version, timeline=timeline)
    file = house.media(first, frames=4)
    other = house.media(second, frames=5)
    check = take_in(file, deliverable, by=by)
    open_check(other, version, by=by)
    captions = CaptionFile.objects.create(source=other, name="a.srt")
    pairing = Pairing.objects.create(media_file=file, captions=captions)
    assert file.inspection
    assert other.inspection
    comparison = Comparison.objects.create(inspection=file.inspection, master=other.inspection, engine="x")
    upload = Upload.objects.create(owner=by, name="c.mp4", size=3)
    file_of_plan = {"name": "Wide", "length": "10:00", "rate": "25", "size": "640x360"}
    keep(job, "Upload", {"cap": "100 MB", "files": [file_of_plan]}, version, by=by)
    disc = keep(job, "Disc", {"text": DISC}, None, by=by, kind=Plan.Kind.DISC)
    stem_check = StemCheck.objects.create(mix=file)
    outside = _furnish_outside(house, check, other, disc)
    request = Request.objects.create(render=check.render, made_by=by)
    point = Point.objects.create(request=request, position=0, label="Freeze", places=[[1, 3]])
    Finding.objects.get_or_create(
        check_record=check, line="rate", defaults={"position": 0, "label": "Rate", "document": _FINDING} | _OF_A_FINDING
    )
    notice = Notice.objects.create(person=by, kind="taken", says="It was taken.", address="/", about="x:1")
    bundle = Bundle.objects.create(name="Both", text=shipped_bundles()["pebbleview-shapes"])
    brought = Brought.objects.create(deliverable=deliverable, asked="title", text="Canal", made_by=by)
    guest = person(VIEWER, f"guest of {job_title}")
    passkey = Passkey.objects.create(
        user=by, name="My phone", house="testserver", handle=b"h", credential_id=f"of {job_title}", credential=b"x"
    )
    token, _ = make_token(by, "Render farm", ["read"], 30)
    source = attach(version.spec, "guide.pdf", b"%PDF-1.7", by=by)
    return Furnished(
        values={
            "source_id": source.pk, "token_id": token.pk, "passkey_id": passkey.pk, "person_id": guest.pk,
            "brought_id": brought.pk, "bundle_id": bundle.pk,
            "job_id": job.pk, "deliverable_id": deliverable.pk, "timeline_id": timeline.pk, "root_id": house.root.pk, "file_id": file.pk, "number": 1,
            "stem_check_id": stem_check.pk, "request_id": request.pk, "point_id": point.pk, "notice_id": notice.pk, **outside,
            "decision_kind": "request", "decision_id": request.pk, "line": "rate", "inspection_id": file.inspection_id, "upload_id": upload.pk,
            "slug": version.spec.slug, "kind": "json", "check_id": check.pk, "comparison_id": comparison.pk,
            "pairing_id": pairing.pk, "plan_id": disc.pk, "item": "film",
        }
    )  # fmt: skip
