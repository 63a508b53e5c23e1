"""Folders that are watched, and every file that was seen in them."""

from __future__ import annotations

import re
from fnmatch import translate
from functools import lru_cache

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

from brisk_web.house.models import Retirable
from brisk_web.storage.models import MediaFile, StorageRoot

#: Names of what is received, unless a folder asks for others: pictures, sound, captions.
USUAL_NAMES = (
    "*.mxf *.mov *.mp4 *.m4v *.mkv *.webm *.ts *.m2ts *.mts *.mpg *.mpeg *.m2v *.vob *.avi *.dv *.wav *.aif *.aiff "
    "*.flac *.mp3 *.aac *.m4a *.ac3 *.ec3 *.ogg *.opus *.srt *.vtt *.scc *.stl *.ttml *.dfxp *.smi"
)


class WatchedFolder(Retirable):
    """A folder below a root. What arrives in it, or in a folder of it, is registered once it has come whole."""

    root = models.ForeignKey(StorageRoot, on_delete=models.PROTECT, related_name="watched")
    folder = models.CharField(max_length=1000, blank=True)  # below the root, with forward slashes; empty: all of it
    names = models.CharField(max_length=500, default=USUAL_NAMES)  # patterns, parted by spaces
    settle_s = models.PositiveIntegerField(default=30, validators=[MinValueValidator(5), MaxValueValidator(86_400)])
    takes_in = models.BooleanField(default=True)
    from_now_on = models.BooleanField(default=True)
    added_at = models.DateTimeField(auto_now_add=True)
    added_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    looked_at = models.DateTimeField(null=True, editable=False)  #: when it could last be looked at
    trouble = models.CharField(max_length=300, blank=True, editable=False)  #: why the last look failed, as a sentence

    class Meta:
        ordering = ("root__name", "folder")
        constraints = [models.UniqueConstraint(fields=("root", "folder"), name="a_folder_is_watched_once")]
        permissions = [("keep_watched", "Can say which folders are watched")]

    def __str__(self) -> str:
        return f"{self.root.name}/{self.folder}" if self.folder else self.root.name

    def wants(self, name: str) -> bool:
        """Is a file of this name received? Small and capital letters are one."""
        return _pattern(self.names.casefold()).match(name.casefold()) is not None


@lru_cache(maxsize=64)
def _pattern(names: str) -> re.Pattern[str]:
    """What fits one of some patterns that are parted by spaces."""
    return re.compile("|".join(map(translate, names.split())) or r"(?!)")


class SeenFile(models.Model):
    """A file that was seen in a watched folder, as it was at the last look."""

    class State(models.TextChoices):
        ARRIVING = "arriving", "arriving"
        REGISTERED = "registered", "registered"
        LEFT = "left", "was there before"
        REFUSED = "refused", "cannot be registered"
        GONE = "gone", "gone"

    watched = models.ForeignKey(WatchedFolder, on_delete=models.CASCADE, related_name="seen")
    path = models.CharField(max_length=1000)  # below the root
    size = models.BigIntegerField()
    modified_ns = models.BigIntegerField()
    state = models.CharField(max_length=12, choices=State, default=State.ARRIVING)
    says = models.CharField(max_length=300, blank=True)  #: what became of it, or what it waits for
    seen_at = models.DateTimeField()  #: first
    changed_at = models.DateTimeField()  #: when its size or time was last another one
    media_file = models.ForeignKey(MediaFile, on_delete=models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ("-changed_at", "-pk")
        constraints = [
            models.UniqueConstraint(fields=("watched", "path"), name="one_record_a_path_of_a_watched_folder")
        ]
        indexes = [models.Index(fields=("watched", "state"), name="seen_state")]

    def __str__(self) -> str:
        return self.path

    @property
    def name(self) -> str:
        """The last part of its path."""
        return self.path.rpartition("/")[2]

    @property
    def below(self) -> str:
        """The folder below the watched one that it lies in."""
        return self.path.removeprefix(self.watched.folder).strip("/").rpartition("/")[0]
