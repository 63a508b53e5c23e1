"""Plans that are kept with a job: what was asked, and what was answered then."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from brisk_core.exact import spell_bytes
from brisk_web.house.models import Retirable


class Plan(Retirable):
    """One plan, as it was answered when it was kept."""

    job = models.ForeignKey("jobs.Job", on_delete=models.CASCADE, related_name="plans")
    name = models.CharField(max_length=200)
    asked = models.JSONField()  # as ``brisk_core.plan.bits_document`` reads it
    spec_version = models.ForeignKey("shelf.SpecVersion", on_delete=models.PROTECT, null=True, related_name="plans")
    document = models.JSONField()  # of schema brisk-sentry/plan-bits/1
    kept_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    kept_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-kept_at", "-id")

    def __str__(self) -> str:
        return f"plan {self.name}"

    @property
    def summary(self) -> str:
        """What it is about in one line."""
        count, cap = len(self.document["files"]), spell_bytes(self.document["cap"])
        return f"{count} file{'' if count == 1 else 's'} under {cap}: {self.document['says']}"
