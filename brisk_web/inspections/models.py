"""Inspections: what was read of a file's contents, kept by content and engine version."""

from __future__ import annotations

import logging
import tempfile
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path
from statistics import median
from typing import ClassVar

from django.conf import settings
from django.db import models
from django.utils import timezone

from brisk_core import sandbox
from brisk_core.facts import Inspection as Facts
from brisk_core.facts import inspection_from_json, keys
from brisk_core.first_look import FirstLook
from brisk_core.frames import kept_numbers
from brisk_core.packets import PacketSeries, load_series
from brisk_core.reading.shown import frame_path
from brisk_core.scan import ScanSeries, load_scan
from brisk_web.storage import shared
from brisk_web.work.models import Pause, Work

log = logging.getLogger(__name__)

_FOR_A_GUESS, _FOR_SURE = 0.02, 0.1  # shares of a stage from which its pace so far tells something, and everything
_ALIKE = 5  # scans that tell what is usual


def packed(folder: Path) -> Path:
    """What a folder of small pictures is called in the store that machines share."""
    return folder.with_name(f"{folder.name}.tar")


class Inspection(Work):
    """One inspection; its progress while it runs, its facts as far as they are known."""

    STATES_IN_WORDS: ClassVar[Mapping[str, str]] = {Work.State.RUNNING: "reading", Work.State.FAILED: "cannot be read"}

    class Stage(models.TextChoices):
        HEADERS = "headers", "reading headers"
        LOOK = "look", "taking a first look"
        CHECKSUM = "checksum", "taking the checksum"
        PACKETS = "packets", "reading packets"
        SCAN = "scan", "scanning pictures and sound"
        CONCLUDE = "conclude", "putting the scan together"

    engine = models.CharField(max_length=32)
    checksum = models.CharField(max_length=32, default="", blank=True)  # XXH3-128, empty until it is known
    stage = models.CharField(max_length=16, choices=Stage, default=Stage.HEADERS)
    document = models.JSONField(null=True)  # schema brisk-sentry/inspection/1
    look = models.JSONField(null=True)  # schema brisk-sentry/first-look/1, of a file whose scan takes long
    stage_started_at = models.DateTimeField(null=True)
    urgent = models.BooleanField(default=False)  # somebody wants it before all others
    pace = models.FloatField(null=True)  # seconds that scanning one of its pictures took, on the machines of the house
    _read: tuple[object, Facts] | None = None  # the document that was read last, and its facts

    class Meta:
        ordering = ("-id",)
        permissions = [("cancel_inspection", "Can cancel a running inspection")]
        constraints = [
            models.UniqueConstraint(
                fields=("checksum", "engine"),
                condition=models.Q(state="done") & ~models.Q(checksum=""),
                name="one_inspection_a_content_and_engine",
            )
        ]
        indexes = [models.Index(fields=("state", "id"), name="inspection_state")]

    def __str__(self) -> str:
        return f"inspection {self.pk}"

    @property
    def facts(self) -> Facts | None:
        """The facts as the core reads them, read once a document; ``None`` while nothing is known."""
        if not self.document:
            return None
        if self._read is None or self._read[0] is not self.document:
            self._read = (self.document, inspection_from_json(self.document))
        return self._read[1]

    @property
    def series_path(self) -> Path:
        """Where the packet series is kept."""
        return Path(settings.DATA_FOLDER) / "series" / f"{self.pk}.npz"

    @property
    def has_series(self) -> bool:
        """Is the packet series here? Another machine may have written it."""
        return self._is_here(self.series_path)

    @property
    def has_scan(self) -> bool:
        """Are the series of pictures and sound here? Another machine may have written them."""
        return self._is_here(self.scan_path)

    def _is_here(self, path: Path) -> bool:
        """Is a file of this inspection here, once it was brought? Nothing changes after the inspection is over."""
        if not (self.is_over and path.exists()):
            try:
                shared.bring(path)
            except shared.SharedStoreAway as away:
                log.warning("%s", away)
        return path.exists()

    def load_series(self) -> PacketSeries | None:
        """Return the packet series, ``None`` when there is none or an older engine wrote it in another form."""
        if not self.has_series:
            return None
        try:
            return load_series(self.series_path)
        except (OSError, ValueError):
            return None

    @property
    def scan_path(self) -> Path:
        """Where the series of pictures and sound is kept."""
        return Path(settings.DATA_FOLDER) / "series" / f"{self.pk}-scan.npz"

    @property
    def small_folder(self) -> Path:
        """Where the scan keeps small pictures of what matters."""
        return Path(settings.DATA_FOLDER) / "series" / f"{self.pk}-small"

    @property
    def small_numbers(self) -> list[int]:
        """Frames of which a small picture is kept, in ascending order; none where an older engine scanned."""
        return kept_numbers(self._small_pictures())

    def small_picture(self, number: int) -> Path:
        """Where the small picture of a frame lies that the scan kept; it may have kept none."""
        return frame_path(self._small_pictures(), number)

    def _small_pictures(self) -> Path:
        """The folder of small pictures, with those that another machine kept once the scan is over."""
        if self.is_over:
            self._bring_pictures(self.small_folder)
        return self.small_folder

    def _bring_pictures(self, folder: Path) -> None:
        """Have a folder of small pictures here, whole or not at all, that another machine made; asked once."""
        if not settings.SHARED or folder.is_dir():
            return
        try:
            folder.parent.mkdir(parents=True, exist_ok=True)
            with tempfile.TemporaryDirectory(prefix=sandbox.APART, dir=folder.parent) as apart:
                shared.bring_folder(Path(apart) / "pictures", packed(folder))
                with suppress(OSError):  # another process brought it at once
                    (Path(apart) / "pictures").rename(folder)
        except shared.SharedStoreAway as away:
            log.warning("%s", away)

    @property
    def look_folder(self) -> Path:
        """Where the first look keeps its small pictures."""
        return Path(settings.DATA_FOLDER) / "series" / f"{self.pk}-look"

    def look_picture(self, number: int) -> Path:
        """Where a small picture lies that the first look kept, counted from 0."""
        if self.look:
            self._bring_pictures(self.look_folder)
        return frame_path(self.look_folder, number)

    @property
    def first_look(self) -> FirstLook | None:
        """What was seen so far; ``None`` where nobody looked, and once the whole file was scanned."""
        if not self.look or not self.is_active:
            return None
        try:
            return FirstLook.from_json(self.look)
        except ValueError:  # of another version of this application
            return None

    @property
    def picture_of_it(self) -> int | None:
        """The frame whose small picture stands for the file in lists, from its middle."""
        kept = self.small_numbers
        return kept[len(kept) // 2] if kept else None

    @property
    def parts_folder(self) -> Path:
        """Where the parts of a running scan leave what they measured."""
        return Path(settings.DATA_FOLDER) / "series" / f"{self.pk}-parts"

    @property
    def sound_path(self) -> Path:
        """Where the part with the sound leaves what it measured."""
        return self.parts_folder / "sound.npz"

    def load_scan(self) -> ScanSeries | None:
        """Return the series of pictures and sound, ``None`` when there is none or an older engine wrote it."""
        if not self.has_scan:
            return None
        try:
            return load_scan(self.scan_path)
        except (OSError, ValueError):
            return None

    @property
    def is_scanning(self) -> bool:
        """Are its parts being scanned, or do they wait for it?"""
        return self.state == self.State.RUNNING and self.stage == self.Stage.SCAN

    @property
    def frame_folder(self) -> Path:
        """Where decoded pictures are cached."""
        return Path(settings.DATA_FOLDER) / "frames" / str(self.pk)

    @property
    def share(self) -> float:
        """How much of the stage is done, 0 to 1."""
        if self.is_scanning:
            parts = self.parts.aggregate(done=models.Sum("done"), total=models.Sum("total"))
            return min((parts["done"] or 0) / parts["total"], 1.0) if parts["total"] else 0.0
        return super().share

    @property
    def elapsed_s(self) -> float:
        """Seconds since it started, 0 before."""
        if not self.started_at:
            return 0.0
        return max(((self.finished_at or timezone.now()) - self.started_at).total_seconds(), 0.0)

    @property
    def left_s(self) -> float | None:
        """Seconds left in this stage, ``None`` while that cannot be told.

        At its pace so far; in the first tenth of a scan rather at that of the newest scans of such pictures.
        """
        if not self.stage_started_at or (self.is_scanning and Pause.fell_into("scan", self.stage_started_at)):
            return None
        share, spent = self.share, (timezone.now() - self.stage_started_at).total_seconds()
        usual = self._usual_s() if self.is_scanning and share < _FOR_SURE else None
        if usual is None:
            return spent * (1 - share) / share if share >= _FOR_A_GUESS else None
        known = share / _FOR_SURE
        return (known * spent / share + (1 - known) * usual if share else usual) * (1 - share)

    def _usual_s(self) -> float | None:
        """Seconds that a scan of as many pictures of this codec and size usually takes here, ``None`` if unknown."""
        facts = self.facts
        if facts is None:
            return None
        codec, size, frames = facts[keys.PICTURE_CODEC], facts[keys.PICTURE_SIZE], facts[keys.PICTURE_FRAME_COUNT]
        if not codec or not size or not frames:
            return None
        alike = (
            Inspection.objects.exclude(pace=None)
            .filter(found_by__characteristic=keys.PICTURE_CODEC.id, found_by__text=codec.casefold())
            .filter(found_by__characteristic=keys.PICTURE_SIZE.id, found_by__number=size[0] * size[1])
        )
        paces = [one.pace or 0.0 for one in alike.order_by("-finished_at").only("pace")[:_ALIKE]]
        return median(paces) * frames if paces else None

    @property
    def place_in_queue(self) -> int:
        """How many inspections wait before this one, itself counted."""
        return self._up_to_this(Inspection.objects.filter(state=self.State.QUEUED)).count()

    def _up_to_this(self, rows: models.QuerySet[Inspection]) -> models.QuerySet[Inspection]:
        """Those of some inspections that come before this one, and itself."""
        alike = models.Q(urgent=self.urgent, id__lte=self.pk)
        return rows.filter(alike if self.urgent else alike | models.Q(urgent=True))

    @property
    def waits_for_scan(self) -> bool:
        """Has no worker taken any part of its scan yet?"""
        return self.is_scanning and not self.parts.filter(attempt__gt=0).exists()

    @property
    def place_for_scan(self) -> int:
        """How many inspections wait for their scan before this one, itself counted."""
        scanning = Inspection.objects.filter(state=self.State.RUNNING, stage=self.Stage.SCAN)
        return self._up_to_this(scanning.exclude(parts__attempt__gt=0)).count()


class ScanPart(Work):
    """A part of a running scan: a segment of the pictures, the sound, or both of a short file."""

    inspection = models.ForeignKey(Inspection, on_delete=models.CASCADE, related_name="parts")
    number = models.PositiveIntegerField()
    first = models.PositiveIntegerField(default=0)  # first picture
    end = models.PositiveIntegerField(default=0)  # picture after the last, 0 for a part without pictures
    sound = models.BooleanField(default=False)

    class Meta:
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=("inspection", "number"), name="one_part_a_number")]

    def __str__(self) -> str:
        return f"part {self.number} of {self.inspection}"

    @property
    def pictures_path(self) -> Path:
        """Where it leaves what it measured of the pictures."""
        return self.inspection.parts_folder / f"{self.number}.npz"

    @property
    def packed_pictures(self) -> Path:
        """What the small pictures that it kept are called in the store that machines share."""
        return self.inspection.parts_folder / f"{self.number}.tar"


class Fact(models.Model):
    """One value by which files are found."""

    inspection = models.ForeignKey(Inspection, on_delete=models.CASCADE, related_name="found_by")
    characteristic = models.CharField(max_length=64)
    text = models.CharField(max_length=120)  # as a person reads it, in small letters
    number = models.FloatField(null=True)  # in the unit of the characteristic; how many, for lists

    class Meta:
        indexes = [
            models.Index(fields=("characteristic", "number", "inspection"), name="fact_number"),
            models.Index(fields=("characteristic", "text", "inspection"), name="fact_text"),
            models.Index(fields=("text", "inspection"), name="fact_any_text"),
        ]

    def __str__(self) -> str:
        return f"{self.characteristic} {self.text}"
