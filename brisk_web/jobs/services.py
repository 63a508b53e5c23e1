"""Verbs of jobs: open one, add a deliverable, take a render in."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db import transaction

from brisk_web.checks.models import Check
from brisk_web.checks.services import open_check
from brisk_web.house.services import record
from brisk_web.jobs.models import Deliverable, Job, Render
from brisk_web.storage.models import MediaFile


class JobRefused(Exception):
    """Something a job cannot take, with a sentence."""


@transaction.atomic
def open_job(title: str, *, by: Any) -> Job:
    """Open a job."""
    job = Job.objects.create(title=title)
    record("job.opened", job, f"Opened the job {title}", by=by)
    return job


@transaction.atomic
def add_deliverable(deliverable: Deliverable, *, by: Any) -> Deliverable:
    """Add a deliverable, filled in but not yet saved, to its job."""
    deliverable.save()
    record("deliverable.added", deliverable, f"Added {deliverable}", by=by)
    return deliverable


@transaction.atomic
def take_in(media_file: MediaFile, deliverable: Deliverable, *, by: Any = None) -> Check:
    """Take a file in as the next attempt at a deliverable and open its check.

    The attempt is the number in the name where the naming rule finds one that is free, else the next number. A file
    that was taken in before gives the check it has.
    """
    Deliverable.objects.select_for_update(of=("self",)).get(pk=deliverable.pk)
    known = Render.objects.filter(deliverable=deliverable, media_file=media_file).first()
    if known:
        return known.check_record
    named = deliverable.pattern.attempt_in(media_file.name) if deliverable.pattern else None
    taken = set(deliverable.renders.values_list("attempt", flat=True))
    attempt = named if named and named not in taken else deliverable.next_attempt
    render = Render.objects.create(deliverable=deliverable, media_file=media_file, attempt=attempt, taken_in_by=by)
    record("render.taken-in", render, f"Took {media_file.name} in as {render}", by=by)
    return open_check(
        media_file,
        deliverable.spec_version,
        timeline=deliverable.timeline,
        range_start=deliverable.range_start,
        range_end=deliverable.range_end,
        render=render,
        by=by,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Suggestion:
    """The deliverable that a file's name suggests."""

    deliverable: Deliverable
    attempt: int


def suggest(name: str) -> Suggestion | None:
    """Return the deliverable whose naming rule the name fits, the one due first when there are several."""
    for deliverable in Deliverable.objects.exclude(naming_rule="").select_related("job", "spec_version__spec"):
        pattern = deliverable.pattern
        if pattern and pattern.matches(name):
            return Suggestion(deliverable=deliverable, attempt=pattern.attempt_in(name) or deliverable.next_attempt)
    return None
