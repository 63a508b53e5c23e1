"""Stem checks: sounds that must add up to a mix."""

from __future__ import annotations

from django.db import models


class StemCheck(models.Model):
    """A mix and the stems that should make it."""

    class State(models.TextChoices):
        QUEUED = "queued", "in queue"
        RUNNING = "running", "adding up"
        DONE = "done", "done"
        FAILED = "failed", "cannot be compared"
        CANCELLED = "cancelled", "cancelled"

    mix = models.ForeignKey("storage.MediaFile", on_delete=models.CASCADE, related_name="stem_checks")
    mix_track = models.PositiveSmallIntegerField(null=True)  # from 0; null for the first, or all of one channel
    state = models.CharField(max_length=16, choices=State, default=State.QUEUED)
    attempt = models.PositiveIntegerField(default=0)  # fences writes: an older try at the work writes no more
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=0)
    error = models.TextField(default="", blank=True)
    document = models.JSONField(null=True)  # schema brisk-sentry/stems/1
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)

    def __str__(self) -> str:
        return f"stems of {self.mix.name}"

    @property
    def is_active(self) -> bool:
        """Is it waiting or running?"""
        return self.state in (self.State.QUEUED, self.State.RUNNING)

    @property
    def share(self) -> float:
        """How much is done, 0 to 1."""
        return min(self.done / self.total, 1.0) if self.total else 0.0


class StemPart(models.Model):
    """One stem of a check: a file, or one track of it."""

    stem_check = models.ForeignKey(StemCheck, on_delete=models.CASCADE, related_name="parts")
    media_file = models.ForeignKey("storage.MediaFile", on_delete=models.CASCADE, related_name="stem_parts")
    track = models.PositiveSmallIntegerField(null=True)  # from 0; null for the first, or all of one channel

    class Meta:
        ordering = ("id",)

    def __str__(self) -> str:
        return self.media_file.name if self.track is None else f"{self.media_file.name}, track {self.track + 1}"
