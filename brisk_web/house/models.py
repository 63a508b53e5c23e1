"""The audit trail: who did what, when. Entries are only ever added; the database refuses anything else."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class AuditEntry(models.Model):
    """One action of a person or of the application itself."""

    at = models.DateTimeField(auto_now_add=True, db_index=True)
    actor = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    verb = models.CharField(max_length=64)  # stable, such as "check.opened"
    target = models.CharField(max_length=128)  # kind and id, such as "check:12"
    says = models.TextField()

    class Meta:
        ordering = ("-at", "-id")
        verbose_name_plural = "audit entries"

    def __str__(self) -> str:
        return f"{self.verb} {self.target}"
