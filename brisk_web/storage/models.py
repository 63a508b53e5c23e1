"""Storage roots, the media files in them, and uploads on their way."""

from __future__ import annotations

import os
import uuid
from pathlib import Path

from django.conf import settings
from django.db import models

from brisk_core.errors import UnreadableFile
from brisk_web.house.models import Retirable
from brisk_web.storage.places import asked_anew, real_path, state_in_store


class StorageRoot(Retirable):
    """A place where files lie: a folder, or anything fsspec reaches."""

    name = models.CharField(max_length=100, unique=True)
    url = models.CharField(max_length=500, unique=True)  # a local path or an fsspec URL
    takes_uploads = models.BooleanField(default=False)

    class Meta:
        ordering = ("name",)

    def __str__(self) -> str:
        return self.name

    @property
    def is_here(self) -> bool:
        """Is it a folder of this machine, not a place in another store?"""
        return self.url.startswith("/")


class MediaFile(Retirable):
    """A file in a root. Its name is stored as given and shown escaped. Out of use, it waits in no intake."""

    root = models.ForeignKey(StorageRoot, on_delete=models.PROTECT)
    path = models.CharField(max_length=1000)  # below the root, with forward slashes
    name = models.CharField(max_length=255)
    size = models.BigIntegerField()
    modified_ns = models.BigIntegerField()
    inspection = models.ForeignKey("inspections.Inspection", on_delete=models.SET_NULL, null=True, related_name="files")
    added_at = models.DateTimeField(auto_now_add=True)
    added_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ("-id",)
        constraints = [
            models.UniqueConstraint(fields=("root", "path", "size", "modified_ns"), name="one_record_a_state_of_a_file")
        ]
        indexes = [models.Index(fields=("name",), name="media_name")]

    def __str__(self) -> str:
        return self.name

    @property
    def url(self) -> str:
        """The path or URL that the core opens, links resolved; raises ``UnreadableFile`` where they lead out."""
        return real_path(self.root.url, self.path, self.name)

    @property
    def has_changed(self) -> bool:
        """Is what lies there now another file than the one that was registered, by its size and time, or none?

        No page waits for another store: ``require_unchanged`` asks it before bytes of its files are read.
        """
        if not self.root.is_here:
            return False
        try:
            now = os.stat(self.url)
        except (OSError, ValueError, UnreadableFile):
            return True
        return (now.st_size, int(now.st_mtime * 1_000_000_000)) != (self.size, self.modified_ns)

    def require_unchanged(self) -> None:
        """Raise ``UnreadableFile`` where the file is no longer the one that was registered."""
        if self.has_changed or (not self.root.is_here and self._has_changed_in_store()):
            raise UnreadableFile(
                f"{self.name} was changed, moved or removed after it was registered; register it anew as another file"
            )

    def _has_changed_in_store(self) -> bool:
        try:
            return state_in_store(asked_anew(self.url)) != (self.size, self.modified_ns)
        except FileNotFoundError:
            return True
        except Exception as error:  # each store has errors of its own
            raise UnreadableFile(f"{self.name} lies in a store that does not answer ({error})") from error


class Upload(models.Model):
    """An upload in chunks, resumable until it is complete or expires."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    name = models.CharField(max_length=255)
    size = models.BigIntegerField()
    offset = models.BigIntegerField(default=0)
    target = models.CharField(max_length=500, default="", blank=True)  # below the root, decided with the last chunk
    file = models.ForeignKey(MediaFile, on_delete=models.CASCADE, null=True, related_name="+")
    created_at = models.DateTimeField(auto_now_add=True)
    touched_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ("-created_at",)

    def __str__(self) -> str:
        return f"upload of {self.name}"

    @property
    def is_whole(self) -> bool:
        """Have all its bytes arrived?"""
        return self.offset == self.size

    @property
    def part_path(self) -> Path:
        """Where its bytes are gathered."""
        return Path(settings.DATA_FOLDER) / "uploads" / f"{self.pk}.part"


class HouseData(models.Model):
    """What the data folder of this house is known by, and the store that its machines share beside it; one row."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    shared = models.CharField(max_length=500, default="", blank=True)  # an address; empty without one

    def __str__(self) -> str:
        return str(self.pk)
