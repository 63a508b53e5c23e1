"""Specs and their numbered versions. A published version never changes: the database holds to that."""

from __future__ import annotations

import json
from functools import lru_cache

from django.db import models

from brisk_core.spec import Spec as Document
from brisk_core.spec import parse_spec


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


class SpecVersion(models.Model):
    """One version of a spec."""

    spec = models.ForeignKey(Spec, on_delete=models.PROTECT, related_name="versions")
    number = models.PositiveIntegerField()
    document = models.JSONField()
    source = models.TextField()
    issued = models.DateField()
    review_by = models.DateField(null=True)
    line_count = models.PositiveIntegerField()
    published_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("spec", "-number")
        constraints = [models.UniqueConstraint(fields=("spec", "number"), name="one_version_a_number")]

    def __str__(self) -> str:
        return f"{self.spec.name}, version {self.number}"

    def parsed(self) -> Document:
        """Return the document as the core reads it; the same document is read once a process."""
        return _parsed(json.dumps(self.document, sort_keys=True))


@lru_cache(maxsize=256)
def _parsed(document: str) -> Document:
    return parse_spec(json.loads(document))


def published_by_family() -> models.QuerySet[SpecVersion]:
    """Return all published versions, families together, the newest version of each spec first."""
    published = SpecVersion.objects.filter(published_at__isnull=False).select_related("spec").defer("document")
    return published.order_by("spec__family", "spec__name", "-number")


def newest_published() -> list[SpecVersion]:
    """Return the newest version of every spec, with its document, by family and name."""
    found: dict[int, SpecVersion] = {}
    for version in published_by_family().defer(None):
        found.setdefault(version.spec_id, version)
    return list(found.values())
