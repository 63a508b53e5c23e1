"""Stem checks: sounds that must add up to a mix."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from django.db import models

from brisk_web.work.models import Work


class StemCheck(Work):
    """A mix and the stems that should make it."""

    STATES_IN_WORDS: ClassVar[Mapping[str, str]] = {Work.State.FAILED: "cannot be compared"}

    mix = models.ForeignKey("storage.MediaFile", on_delete=models.CASCADE, related_name="stem_checks")
    document = models.JSONField(null=True)  # schema brisk-sentry/stems/1
    mix_track = models.PositiveSmallIntegerField(null=True)  # from 0; null for the first, or all of one channel

    class Meta:
        ordering = ("-id",)

    def __str__(self) -> str:
        return f"stems of {self.mix.name}"


class StemPart(models.Model):
    """One stem of a check: a file, or one track of it."""

    stem_check = models.ForeignKey(StemCheck, on_delete=models.CASCADE, related_name="parts")
    media_file = models.ForeignKey("storage.MediaFile", on_delete=models.CASCADE, related_name="stem_parts")
    track = models.PositiveSmallIntegerField(null=True)  # from 0; null for the first, or all of one channel

    class Meta:
        ordering = ("id",)

    def __str__(self) -> str:
        return self.media_file.name if self.track is None else f"{self.media_file.name}, track {self.track + 1}"
