"""Verbs of jobs: open one, add a deliverable, take a render in."""

from __future__ import annotations

from datetime import datetime, time, timedelta
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from brisk_core.edit import FrameRange
from brisk_web.checks.models import Check
from brisk_web.checks.services import hold_against, open_check, order_as
from brisk_web.house.services import bring_back, defaults, record
from brisk_web.jobs.events import assigned
from brisk_web.jobs.models import Deliverable, Job, Render
from brisk_web.storage.models import MediaFile

_ASKED_OF_CHECKS = ("spec_version_id", "timeline_id", "range_start", "range_end")
LARGEST_ATTEMPT = (1 << 31) - 1  # that a record can number
_BY_DEFAULT = ("naming_rule", "rendered_by", "rendered_by_email", "language", "two_sign")


class JobRefused(Exception):
    """Something a job cannot take, with a sentence."""


@transaction.atomic
def open_job(title: str, *, kind_of_work: str = "", by: User | None) -> Job:
    """Open a job."""
    job = Job.objects.create(title=title, kind_of_work=kind_of_work)
    record("job.opened", job, f"Opened the job {title}", by=by)
    return job


def deliverable_defaults() -> dict[str, Any]:
    """What a new deliverable of the house begins with, by the names of its fields."""
    known = defaults()
    said: dict[str, Any] = {name: getattr(known, name) for name in _BY_DEFAULT}
    if known.due_in_days is not None:
        day = timezone.localdate() + timedelta(days=known.due_in_days)
        said["due_at"] = timezone.make_aware(datetime.combine(day, known.due_time or time(18)))
    return said


@transaction.atomic
def add_deliverable(deliverable: Deliverable, *, by: User | None) -> Deliverable:
    """Add a deliverable, filled in but not yet saved, to its job."""
    deliverable.save()
    record("deliverable.added", deliverable, f"Added {deliverable}", by=by)
    if deliverable.assigned_to_id:
        assigned.send(sender=Deliverable, deliverable=deliverable, by=by)
    return deliverable


@transaction.atomic
def change_job(job: Job, title: str, kind_of_work: str, *, by: User | None) -> int:
    """Give a job another title or kind of work; return how many checks were judged again for it."""
    before = Job.objects.get(pk=job.pk)
    job.title, job.kind_of_work = title, kind_of_work
    job.save(update_fields=["title", "kind_of_work"])
    if title != before.title:
        record("job.renamed", job, f"Renamed the job {before} to {title}", by=by)
    if kind_of_work == before.kind_of_work:
        return 0
    says = job.get_kind_of_work_display() if kind_of_work else "not said"
    record("job.ordered-as", job, f"Changed the kind of work of {title} to {says}", by=by)
    return order_as(Check.objects.filter(render__deliverable__job=job), kind_of_work)


@transaction.atomic
def change_deliverable(deliverable: Deliverable, *, attempts_too: bool, by: User | None) -> int:
    """Save a deliverable that was filled in anew; return how many attempts were judged again.

    With ``attempts_too`` those that are there are judged by its spec, timeline and range from now on; else they keep
    what they were taken in by.
    """
    before = Deliverable.objects.filter(pk=deliverable.pk).values_list("assigned_to", flat=True).first()
    deliverable.save()
    record("deliverable.changed", deliverable, f"Changed {deliverable}", by=by)
    if deliverable.assigned_to_id and deliverable.assigned_to_id != before:
        assigned.send(sender=Deliverable, deliverable=deliverable, by=by)
    judged = 0
    for render in deliverable.renders.select_related("check_record") if attempts_too else ():
        check = render.check_record
        asked = {name: getattr(deliverable, name) for name in _ASKED_OF_CHECKS}
        if any(getattr(check, name) != value for name, value in asked.items()):
            for name, value in asked.items():
                setattr(check, name, value)
            check.save(update_fields=_ASKED_OF_CHECKS)
            hold_against(check, deliverable.master)
            judged += 1
    return judged


@transaction.atomic
def take_in(media_file: MediaFile, deliverable: Deliverable, *, by: User | None = None) -> Check:
    """Take a file in as the next attempt at a deliverable and open its check.

    The attempt is the number in the name where the naming rule finds one that is free, else the next number. A file
    that was taken in before gives the check it has.
    """
    Deliverable.objects.select_for_update(of=("self",)).get(pk=deliverable.pk)
    bring_back(media_file, by=by)  # what is taken in is in use
    known = Render.objects.filter(deliverable=deliverable, media_file=media_file).first()
    if known:
        return known.check_record
    named = deliverable.pattern.attempt_in(media_file.name) if deliverable.pattern else None
    taken = set(deliverable.renders.values_list("attempt", flat=True))
    attempt = named if named and named <= LARGEST_ATTEMPT and named not in taken else deliverable.next_attempt
    render = Render.objects.create(deliverable=deliverable, media_file=media_file, attempt=attempt, taken_in_by=by)
    record("render.taken-in", render, f"Took {media_file.name} in as {render}", by=by)
    return open_check(
        media_file,
        deliverable.spec_version,
        timeline=deliverable.timeline,
        range_start=deliverable.range_start,
        range_end=deliverable.range_end,
        master=deliverable.master,
        render=render,
        kind_of_work=deliverable.job.kind_of_work,
        by=by,
    )


@transaction.atomic
def choose_master(deliverable: Deliverable, master: MediaFile | None, *, by: User | None) -> None:
    """Set or drop the master of a deliverable; every attempt is judged by it from now on.

    What was compared with another one stays and is no longer judged.
    """
    deliverable.master = master
    deliverable.save(update_fields=["master"])
    says = f"Chose {master.name} as the master of {deliverable}" if master else f"Dropped the master of {deliverable}"
    record("master.chosen", deliverable, says, by=by)
    for render in deliverable.renders.select_related("check_record__media_file__inspection"):
        hold_against(render.check_record, master)


@transaction.atomic
def set_range(deliverable: Deliverable, covered: FrameRange | None, *, by: User | None) -> None:
    """Set the range that a deliverable covers, ``None`` for all of its timeline; open checks keep the one they have."""
    deliverable.range_start, deliverable.range_end = (covered.start, covered.end) if covered else (None, None)
    deliverable.save(update_fields=["range_start", "range_end"])
    record("deliverable.range-set", deliverable, f"Set the range of {deliverable} to {deliverable.range_text}", by=by)
