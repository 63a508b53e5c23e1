"""Jobs, what they owe, and the renders that answer."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from brisk_core.spec import NamePattern
from brisk_web.house.models import Retirable, in_use, kinds_of_work


class Job(Retirable):
    """The work on one title."""

    title = models.CharField(max_length=200, unique=True)
    kind_of_work = models.CharField(max_length=24, blank=True, choices=kinds_of_work)  # specs may ask for it
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("title",)

    def __str__(self) -> str:
        return self.title


class Bundle(Retirable):
    """What the house orders together, as a document that people write."""

    name = models.CharField(max_length=200, unique=True)
    text = models.TextField()  # as ``brisk_core.plan.bundle`` reads it

    class Meta:
        ordering = ("name",)

    def __str__(self) -> str:
        return self.name


class Deliverable(Retirable):
    """One file that a job owes."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="deliverables")
    name = models.CharField(max_length=200)
    spec_version = models.ForeignKey("shelf.SpecVersion", on_delete=models.PROTECT, related_name="deliverables")
    timeline = models.ForeignKey("edits.Timeline", on_delete=models.PROTECT, null=True, related_name="deliverables")
    range_start = models.PositiveIntegerField(null=True)  # frames from the timeline's start; both null for all of it
    range_end = models.PositiveIntegerField(null=True)  # first frame after
    master = models.ForeignKey("storage.MediaFile", on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    naming_rule = models.CharField(max_length=255, blank=True)
    due_at = models.DateTimeField(null=True, db_index=True)
    assigned_to = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, blank=True, related_name="assigned"
    )
    rendered_by = models.CharField(max_length=200, blank=True)  # who makes its renders and is asked again
    rendered_by_email = models.EmailField(blank=True)
    language = models.CharField(max_length=20, blank=True)  # for names: EN, de-AT
    two_sign = models.BooleanField(default=False)  # is a second pair of eyes asked for?

    class Meta:
        ordering = ("due_at", "id")
        constraints = [models.UniqueConstraint(fields=("job", "name"), name="one_deliverable_a_name")]

    def __str__(self) -> str:
        return f"{self.job.title}: {self.name}"

    @property
    def pattern(self) -> NamePattern | None:
        """The naming rule as a pattern."""
        return NamePattern(self.naming_rule) if self.naming_rule else None

    @property
    def next_attempt(self) -> int:
        """The number of the attempt that would come next."""
        newest = self.renders.order_by("-attempt").values_list("attempt", flat=True).first()
        return (newest or 0) + 1

    @property
    def range_entry(self) -> str:
        """The range as a person writes it: IN-OUT; empty for the whole timeline."""
        if self.range_start is None or self.range_end is None or self.timeline is None:
            return ""
        start = self.timeline.edit.start
        ends = (self.range_start, self.range_end)
        return "-".join(str(start.plus(one)) if start else str(one) for one in ends)

    @property
    def range_text(self) -> str:
        """The range in the timeline's timecode, "whole timeline" for all of it."""
        if self.timeline is None:
            return "no timeline"
        if self.range_start is None:
            return "whole timeline"
        start = self.timeline.edit.start
        if start is None:
            return f"frames {self.range_start} to {self.range_end}"
        return f"{start.plus(self.range_start)} to {start.plus(self.range_end or 0)}"


def owed(deliverables: models.QuerySet[Deliverable]) -> models.QuerySet[Deliverable]:
    """Those of some deliverables that are owed: neither they nor their jobs are out of use."""
    return in_use(deliverables).filter(job__retired_at=None)


class Render(models.Model):
    """One attempt at a deliverable."""

    deliverable = models.ForeignKey(Deliverable, on_delete=models.CASCADE, related_name="renders")
    media_file = models.ForeignKey("storage.MediaFile", on_delete=models.PROTECT, related_name="renders")
    attempt = models.PositiveIntegerField()
    taken_in_at = models.DateTimeField(auto_now_add=True)
    taken_in_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ("deliverable", "-attempt")
        constraints = [
            models.UniqueConstraint(fields=("deliverable", "attempt"), name="one_render_an_attempt"),
            models.UniqueConstraint(fields=("deliverable", "media_file"), name="one_attempt_a_file"),
        ]

    def __str__(self) -> str:
        return f"{self.deliverable.name}, attempt {self.attempt}"
