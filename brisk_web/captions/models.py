"""Caption files beside media, text tracks inside them, and which file each belongs to."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from django.db import models

from brisk_core.captions import Burned, CaptionDocument, burned_from_json, document_from_json
from brisk_core.captions.document import Oddity, Remark
from brisk_web.work.models import Work


class CaptionFile(Work):
    """A caption file, or a text track of a media file, as it was read."""

    STATES_IN_WORDS: ClassVar[Mapping[str, str]] = {
        Work.State.RUNNING: "is being read",
        Work.State.DONE: "read",
        Work.State.FAILED: "cannot be read",
    }

    source = models.OneToOneField(
        "storage.MediaFile", on_delete=models.CASCADE, null=True, related_name="caption_file"
    )  # the file itself; null for a track
    inspection = models.ForeignKey(
        "inspections.Inspection", on_delete=models.CASCADE, null=True, related_name="text_tracks"
    )  # whose track it is; null for a file
    name = models.CharField(max_length=255)  # of the file, or "track 3"
    document = models.JSONField(null=True)  # schema brisk-sentry/captions/2, or 1
    files = models.ManyToManyField("storage.MediaFile", through="Pairing", related_name="caption_files")

    class Meta:
        ordering = ("name", "id")
        constraints = [
            models.CheckConstraint(
                condition=models.Q(source__isnull=False) ^ models.Q(inspection__isnull=False),
                name="a_file_or_a_track",
            )
        ]

    def __str__(self) -> str:
        return self.name

    @property
    def parsed(self) -> CaptionDocument | None:
        """What was read; a file that cannot be read is a document that says so, ``None`` while it waits."""
        if self.state == self.State.FAILED:
            remark = Remark(line=0, kind=Oddity.UNREADABLE, says=self.error)
            return CaptionDocument(name=self.name, format="unknown", captions=(), remarks=(remark,))
        return document_from_json(self.document) if self.document else None


class Pairing(models.Model):
    """A caption file that belongs to a media file."""

    media_file = models.ForeignKey("storage.MediaFile", on_delete=models.CASCADE, related_name="pairings")
    captions = models.ForeignKey(CaptionFile, on_delete=models.CASCADE, related_name="pairings")

    class Meta:
        ordering = ("captions__name", "id")
        constraints = [models.UniqueConstraint(fields=("media_file", "captions"), name="one_pairing_a_pair")]

    def __str__(self) -> str:
        return f"{self.captions.name} beside {self.media_file.name}"

    @property
    def seen(self) -> Burned | None:
        """Whether the captions are in the picture already."""
        look = getattr(self, "look", None)
        return burned_from_json(look.document) if look and look.document else None


class TrackReading(Work):
    """The reading of the text tracks inside the contents of an inspection."""

    inspection = models.OneToOneField("inspections.Inspection", on_delete=models.CASCADE, related_name="track_reading")

    def __str__(self) -> str:
        return f"text tracks of {self.inspection}"


class Look(Work):
    """A look at the pictures of a file: do they hold the captions of a pairing already?"""

    pairing = models.OneToOneField(Pairing, on_delete=models.CASCADE, related_name="look")
    document = models.JSONField(null=True)  # what the look gave

    def __str__(self) -> str:
        return f"a look for {self.pairing}"
