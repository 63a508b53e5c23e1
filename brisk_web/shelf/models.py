"""Specs and their numbered versions. A published version never changes: the database holds to that."""

from __future__ import annotations

import datetime
import json
from functools import lru_cache

from django.conf import settings
from django.db import models
from django.db.models.functions import Coalesce

from brisk_core.spec import Spec as Document
from brisk_core.spec import parse_spec
from brisk_web.house.models import Retirable


class Spec(models.Model):
    """A delivery specification."""

    slug = models.SlugField(unique=True)
    name = models.CharField(max_length=200)
    family = models.CharField(max_length=16)

    class Meta:
        ordering = ("name",)

    def __str__(self) -> str:
        return self.name

    @property
    def current(self) -> SpecVersion | None:
        """The newest published version."""
        return self.versions.filter(published_at__isnull=False).order_by("-number").first()


def version_words(name: str, number: int) -> str:
    """What a version of a spec is called."""
    return f"{name}, version {number}"


class SpecVersion(models.Model):
    """One version of a spec."""

    spec = models.ForeignKey(Spec, on_delete=models.PROTECT, related_name="versions")
    number = models.PositiveIntegerField()
    document = models.JSONField()
    base = models.ForeignKey("self", on_delete=models.PROTECT, null=True, related_name="variants")  # that it extends
    source = models.TextField()
    issued = models.DateField()
    review_by = models.DateField(null=True)
    line_count = models.PositiveIntegerField()
    published_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("spec", "-number")
        constraints = [models.UniqueConstraint(fields=("spec", "number"), name="one_version_a_number")]

    def __str__(self) -> str:
        return version_words(self.spec.name, self.number)

    def parsed(self) -> Document:
        """Return the document as the core reads it; the same document is read once a process."""
        return _parsed(self._written())

    def _written(self) -> tuple[str, ...]:
        """The documents that it is read from: its own, then those that it extends, each in the version of then."""
        own = json.dumps(self.document, sort_keys=True)
        return (own, *self.base._written()) if self.base else (own,)


class AsWritten(models.Model):
    """The text of a version as somebody wrote it, with notes: no part of what was published, so they may change."""

    version = models.OneToOneField(SpecVersion, on_delete=models.CASCADE, related_name="as_written")
    text = models.TextField()

    class Meta:
        verbose_name_plural = "texts as written"

    def __str__(self) -> str:
        return f"text of {self.version}"


class SourceDocument(Retirable):
    """A document that a spec was written from, kept with it: the receiver's guide as it was then."""

    spec = models.ForeignKey(Spec, on_delete=models.PROTECT, related_name="source_documents")
    name = models.CharField(max_length=200)
    data = models.BinaryField()
    size = models.PositiveIntegerField()  # bytes
    checksum = models.CharField(max_length=64)  # SHA-256
    added_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-added_at", "-id")

    def __str__(self) -> str:
        return self.name


class Review(models.Model):
    """Somebody held a version against its source and found nothing to change."""

    version = models.ForeignKey(SpecVersion, on_delete=models.CASCADE, related_name="reviews")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    next_by = models.DateField()  # when it is to be looked at again

    class Meta:
        ordering = ("-at", "-id")

    def __str__(self) -> str:
        return f"review of {self.version}"


class HouseWords(models.Model):
    """What the house says of a characteristic, where neither a spec nor a rule gives words of its own."""

    characteristic = models.CharField(max_length=64, unique=True)
    why = models.TextField(blank=True)
    remedy = models.TextField(blank=True)

    class Meta:
        ordering = ("characteristic",)
        verbose_name_plural = "house words"

    def __str__(self) -> str:
        return f"words for {self.characteristic}"


class Draft(models.Model):
    """What a person is writing of a spec and has not published: it saves itself."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    slug = models.CharField(max_length=64, blank=True)  # of the spec; empty for a new one
    text = models.TextField()
    saved_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=("owner", "slug"), name="one_draft_a_spec_and_person")]

    def __str__(self) -> str:
        return f"draft of {self.slug or 'a new spec'}"


@lru_cache(maxsize=256)
def _parsed(written: tuple[str, ...]) -> Document:
    own, *extended = written
    return parse_spec(json.loads(own), _parsed(tuple(extended)) if extended else None)


def newest_by_due(before: datetime.date | None = None) -> models.QuerySet[SpecVersion]:
    """Return the newest version of each spec by name, annotated with ``due``: when it is to be reviewed, by its last
    review or by its own word. With ``before`` those that are due before a day, the longest overdue first.
    """
    newest = SpecVersion.objects.filter(spec=models.OuterRef("spec"), published_at__isnull=False).order_by("-number")
    last = Review.objects.filter(version=models.OuterRef("pk")).values("next_by")[:1]
    found = (
        SpecVersion.objects.filter(pk=models.Subquery(newest.values("pk")[:1]))
        .select_related("spec")
        .annotate(due=Coalesce(models.Subquery(last), models.F("review_by")))
    )
    if before is None:
        return found.order_by("spec__name")
    return found.filter(due__lt=before).order_by("due", "spec__name")


def published_by_family() -> models.QuerySet[SpecVersion]:
    """Return all published versions, families together, the newest version of each spec first."""
    published = SpecVersion.objects.filter(published_at__isnull=False).select_related("spec").defer("document")
    return published.order_by("spec__family", "spec__name", "-number")


def newest_published() -> list[SpecVersion]:
    """Return the newest version of every spec, by family and name."""
    return list(newest_by_due().order_by("spec__family", "spec__name"))
