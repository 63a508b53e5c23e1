"""The audit trail: who did what, when. Entries are only ever added; the database refuses anything else."""

from __future__ import annotations

from typing import TypeVar

from django.conf import settings
from django.db import models

from brisk_core.facts import REGISTRY, keys


def kinds_of_work() -> list[tuple[str, str]]:
    """Return the kinds of work as an order says them, with their words."""
    return [(kind, kind.replace("-", " ")) for kind in REGISTRY[keys.ORDER_KIND.id].choices]


class Retirable(models.Model):
    """What can be put out of use and brought back; nothing that refers to it is lost."""

    retired_at = models.DateTimeField(null=True, editable=False, db_index=True)

    class Meta:
        abstract = True


Rows = TypeVar("Rows", bound=Retirable)


def in_use(rows: models.QuerySet[Rows]) -> models.QuerySet[Rows]:
    """Those of some rows that are in use."""
    return rows.filter(retired_at=None)


def retired(rows: models.QuerySet[Rows]) -> models.QuerySet[Rows]:
    """Those of some rows that are out of use, the newest first."""
    return rows.exclude(retired_at=None).order_by("-retired_at")


class Decision(models.Model):
    """What a person decided. It can be taken back by who made it, or by a lead, with a reason; both stay on record."""

    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    taken_back_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, editable=False, related_name="+"
    )
    taken_back_at = models.DateTimeField(null=True, editable=False)
    taken_back_why = models.TextField(blank=True, editable=False)

    class Meta:
        abstract = True


class Defaults(models.Model):
    """What new jobs, deliverables, timelines and specs of the house begin with; one row, empty fields say nothing."""

    kind_of_work = models.CharField(max_length=24, blank=True, choices=kinds_of_work)
    naming_rule = models.CharField(max_length=255, blank=True)
    due_in_days = models.PositiveSmallIntegerField(null=True, blank=True)
    due_time = models.TimeField(null=True, blank=True)
    rendered_by = models.CharField(max_length=200, blank=True)
    rendered_by_email = models.EmailField(blank=True)
    language = models.CharField(max_length=20, blank=True)
    two_sign = models.BooleanField(default=False)
    rate = models.CharField(max_length=20, blank=True)  # of timelines, as a person writes it
    size = models.CharField(max_length=20, blank=True)
    scan = models.CharField(max_length=20, blank=True)
    pixel_aspect = models.CharField(max_length=20, blank=True)
    sample_rate = models.CharField(max_length=20, blank=True)
    spec_family = models.CharField(max_length=20, blank=True)
    spec_source = models.CharField(max_length=200, blank=True)
    review_in_days = models.PositiveSmallIntegerField(null=True, blank=True)

    class Meta:
        verbose_name_plural = "defaults"

    def __str__(self) -> str:
        return "what new things begin with"


class Token(Retirable):
    """What another program signs in with, in the name of a person and within some scopes; only its digest is kept."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=100)
    digest = models.CharField(max_length=64, unique=True)  # SHA-256
    scopes = models.JSONField(default=list)
    made_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    used_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("-made_at", "-id")

    def __str__(self) -> str:
        return self.name


class AuditEntry(models.Model):
    """One action of a person or of the application itself."""

    at = models.DateTimeField(auto_now_add=True, db_index=True)
    actor = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    verb = models.CharField(max_length=64)  # stable, such as "check.opened"
    target = models.CharField(max_length=128, db_index=True)  # kind and id, such as "check:12"
    says = models.TextField()

    class Meta:
        ordering = ("-at", "-id")
        verbose_name_plural = "audit entries"

    def __str__(self) -> str:
        return f"{self.verb} {self.target}"


class AuditSeal(models.Model):
    """The seal of one entry of the audit trail, in the order of the chain; only ever added."""

    number = models.PositiveBigIntegerField(primary_key=True)
    entry = models.OneToOneField(AuditEntry, on_delete=models.PROTECT, related_name="seal")
    digest = models.CharField(max_length=64)  # SHA-256

    class Meta:
        ordering = ("number",)

    def __str__(self) -> str:
        return f"seal {self.number}"
