"""Timelines: source edits, as they were imported."""

from __future__ import annotations

from django.db import models

from brisk_core.edit import FrameRange, timeline_from_json
from brisk_core.edit import Timeline as Edit
from brisk_core.exact import spell_rate
from brisk_web.house.models import Retirable


class Timeline(Retirable):
    """One imported edit of a job."""

    job = models.ForeignKey("jobs.Job", on_delete=models.CASCADE, related_name="timelines")
    name = models.CharField(max_length=200)
    file_name = models.CharField(max_length=255)
    document = models.JSONField()  # schema brisk-sentry/timeline/1
    replaces = models.ForeignKey("self", on_delete=models.SET_NULL, null=True, blank=True, related_name="replaced_by")
    imported_at = models.DateTimeField(auto_now_add=True)
    _read: tuple[object, Edit] | None = None  # the document that was read last, and its edit

    class Meta:
        ordering = ("-id",)

    def __str__(self) -> str:
        return self.name

    @property
    def edit(self) -> Edit:
        """The edit as the core reads it, read once a document."""
        if self._read is None or self._read[0] is not self.document:
            self._read = (self.document, timeline_from_json(self.document))
        return self._read[1]

    def covered(self, start: int | None, end: int | None) -> FrameRange:
        """Return the range with the whole timeline where an end is not given."""
        length = self.document["length"]
        return FrameRange(start=start or 0, end=length if end is None else end)

    @property
    def summary(self) -> str:
        """Size, rate, start and length in one line."""
        edit = self.edit
        size = f"{edit.size[0]} × {edit.size[1]}, " if edit.size else ""
        return f"{size}{spell_rate(edit.rate)}, {edit.length} frames from {edit.start or 'frame 0'}"


class EdlText(models.Model):
    """An EDL as it came, kept so that it can be read again at another rate; other formats state theirs."""

    timeline = models.OneToOneField(Timeline, on_delete=models.CASCADE, related_name="edl")
    data = models.BinaryField()
    hints = models.JSONField()  # that it was read by

    def __str__(self) -> str:
        return f"EDL of {self.timeline}"
