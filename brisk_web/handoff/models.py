"""Where signed renders go, their way there, and what the other side says."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from datetime import time
from pathlib import Path
from typing import Any, ClassVar

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

from brisk_core.handoff import NameRule
from brisk_core.handoff.companions import Brought as Found
from brisk_web.house.models import Retirable
from brisk_web.storage import shared
from brisk_web.work.models import Work


class Destination(Retirable):
    """A place outside the house that takes files."""

    class Kind(models.TextChoices):
        FOLDER = "folder", "Folder"
        FTP = "ftp", "FTP or FTPS"
        SFTP = "sftp", "SFTP"
        SITE = "site", "Upload site (tus)"
        OBJECTS = "objects", "Object storage (S3)"

    class Answers(models.TextChoices):
        NONE = "none", "does not answer: what was verified counts as taken"
        RECEIPT = "receipt", "writes a receipt beside the package"
        DECK = "deck", "lists what it plays"
        COPIES = "copies", "makes copies of its own"
        PLAYER = "player", "plays a disc"

    name = models.CharField(max_length=100, unique=True)
    kind = models.CharField(max_length=16, choices=Kind)
    address = models.CharField(max_length=500)  # a folder, or ftp:, sftp:, https:, s3:; never with a password
    host_key = models.CharField(max_length=100, blank=True)  # SHA256:..., of an SFTP server
    user = models.CharField(max_length=200, blank=True)  # of object storage: the key's id
    secret = models.TextField(blank=True, editable=False)  # sealed, see ``secrets``
    answers = models.CharField(max_length=16, choices=Answers, default=Answers.NONE)
    receipt_key = models.CharField(max_length=64, blank=True)  # Ed25519 public key of receipts, hexadecimal
    asked_at = models.CharField(max_length=200, blank=True)  # of a deck: host:port; of object storage: its service
    name_rule = models.CharField(max_length=255, blank=True)  # empty: the name that the render has
    name_case = models.CharField(max_length=16, default="as it is")
    name_signs = models.CharField(max_length=60, default="A-Za-z0-9._-")
    name_length = models.PositiveSmallIntegerField(
        default=255, validators=[MinValueValidator(1), MaxValueValidator(255)]
    )
    package = models.CharField(
        max_length=40, blank=True
    )  # manifests of a package, such as "mhl md5"; empty: the file alone
    brings_along = models.BooleanField(default=True)  # does it take what comes along with a file?
    at_once = models.PositiveSmallIntegerField(default=1, validators=[MinValueValidator(1), MaxValueValidator(8)])
    opens = models.TimeField(null=True, blank=True)  # in the zone of the house; both empty: always
    closes = models.TimeField(null=True, blank=True)

    class Meta:
        ordering = ("name",)
        permissions = [("keep_destinations", "Can add and change destinations")]

    def __str__(self) -> str:
        return self.name

    @property
    def rule(self) -> NameRule | None:
        """The rule for names, ``None`` where renders keep theirs."""
        if not self.name_rule:
            return None
        return NameRule(text=self.name_rule, case=self.name_case, allowed=self.name_signs, longest=self.name_length)

    @property
    def takes_renders(self) -> bool:
        """Is it a place for renders, and not for whole discs?"""
        return self.answers != self.Answers.PLAYER

    @property
    def manifests(self) -> list[str]:
        """The manifests that a package gets; none for a file alone."""
        return self.package.split()

    def is_open(self, now: time) -> bool:
        """May it be sent to at this time of day?"""
        if self.opens is None or self.closes is None:
            return True
        if self.opens <= self.closes:
            return self.opens <= now < self.closes
        return now >= self.opens or now < self.closes  # over midnight


class Standing(models.Model):
    """Where each deliverable stands: a view, which the database computes from records (migration 0003)."""

    deliverable = models.OneToOneField(
        "jobs.Deliverable", on_delete=models.DO_NOTHING, primary_key=True, related_name="standing"
    )
    newest_render = models.BigIntegerField(null=True)
    verdict = models.CharField(max_length=16)  # of the check of the newest attempt; empty without one
    reading = models.CharField(max_length=16)  # the state of its inspection; empty without one
    state = models.CharField(max_length=16)
    since = models.DateTimeField(null=True)

    class Meta:
        managed = False

    def __str__(self) -> str:
        return f"{self.deliverable}: {self.state}"


class Brought(Retirable):
    """Something that comes along with a deliverable: words, or a file. What takes its place leaves it on record."""

    deliverable = models.ForeignKey("jobs.Deliverable", on_delete=models.CASCADE, related_name="brought")
    asked = models.CharField(max_length=64)  # the id of the companion that the spec asks for
    text = models.TextField(blank=True)
    name = models.CharField(max_length=255, blank=True)  # of a file
    size = models.BigIntegerField(default=0)
    sha256 = models.CharField(max_length=64, blank=True)
    facts: Any = models.JSONField(default=dict)  # what its bytes say, as the sandbox looked at them
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("deliverable", "asked", "-id")
        constraints = [
            models.UniqueConstraint(
                fields=("deliverable", "asked"), condition=models.Q(retired_at=None), name="one_of_each_comes_along"
            )
        ]

    def __str__(self) -> str:
        return self.name or self.asked

    @property
    def path(self) -> Path:
        """Where a file lies."""
        return Path(settings.DATA_FOLDER) / "companions" / str(self.pk) / self.name

    @property
    def is_here(self) -> bool:
        """Is it a file, and does it lie here? Another machine may have taken it."""
        if self.name and not self.path.is_file():
            with suppress(shared.SharedStoreAway):
                shared.bring(self.path)
        return bool(self.name) and self.path.is_file()

    @property
    def found(self) -> Found:
        """It as the core judges it."""
        picture = self.facts.get("picture")
        return Found(
            name=self.name,
            text=self.text,
            size=self.size,
            format=self.facts.get("format", ""),
            picture=(picture[0], picture[1]) if picture else None,
            count=self.facts.get("count"),
            language=self.facts.get("language", ""),
        )


class HandOff(Work):
    """One signed render on its way to one destination, and the answer."""

    STATES_IN_WORDS: ClassVar[Mapping[str, str]] = {
        Work.State.RUNNING: "is being sent",
        Work.State.FAILED: "could not be sent",
        Work.State.DONE: "was sent and verified",
    }

    class Answer(models.TextChoices):
        OPEN = "", "no answer yet"
        TAKEN = "taken", "taken"
        REFUSED = "refused", "refused"
        WRONG = "wrong", "shown wrongly"

    #: Answers after which the deliverable is the house's again, and may be sent anew.
    BACK = (Answer.REFUSED, Answer.WRONG)

    render = models.ForeignKey("jobs.Render", on_delete=models.PROTECT, related_name="handoffs")
    destination = models.ForeignKey(Destination, on_delete=models.PROTECT, related_name="handoffs")
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    name = models.CharField(max_length=255)  # of the file or the package, over there
    checksum = models.CharField(max_length=32)  # XXH3-128 that the file had when it was signed
    digest = models.CharField(max_length=64)  # of the signature that it goes under
    paused = models.BooleanField(default=False)
    not_before = models.DateTimeField(null=True)  # a pause before the next try
    failures = models.PositiveSmallIntegerField(default=0)  # in a row, without getting any further
    furthest = models.BigIntegerField(default=0)  # the most that was done before a failure
    says = models.TextField(blank=True)  # what it waits for, or what went wrong last
    answer = models.CharField(max_length=16, choices=Answer, blank=True)
    answered_at = models.DateTimeField(null=True)
    answer_says = models.TextField(blank=True)
    answer_document: Any = models.JSONField(null=True)  # what the other side sent, as it is
    look_at = models.DateTimeField(null=True, db_index=True)  # when to look again by itself
    looks = models.PositiveSmallIntegerField(default=0)
    along: Any = models.JSONField(default=list)  # primary keys of what comes along
    marks: Any = models.JSONField(default=dict)  # what its door remembers between two tries
    line_speeds: Any = models.JSONField(default=list)  # of a site: pairs of kbit/s and the label of the copy that plays

    class Meta:
        ordering = ("-id",)
        constraints = [
            models.UniqueConstraint(
                fields=("destination", "name"),
                condition=~models.Q(state__in=("cancelled", "failed")) & ~models.Q(answer__in=("refused", "wrong")),
                name="one_handoff_a_name",
            )
        ]

    def __str__(self) -> str:
        return f"{self.name} to {self.destination.name}"

    @property
    def waits_for_answer(self) -> bool:
        """Is it with them, and have they not answered?"""
        return self.state == Work.State.DONE and not self.answer

    @property
    def is_back(self) -> bool:
        """Did they refuse it, or show something else?"""
        return self.state == Work.State.DONE and self.answer in self.BACK

    @property
    def in_words(self) -> str:
        """Where it is, in a few words."""
        if self.state == Work.State.DONE:
            return str(self.get_answer_display()) if self.answer else "with them, no answer yet"
        if self.paused and self.is_active:
            return "paused"
        return self.state_in_words


class Look(Work):
    """One look at what the other side shows of a hand-off."""

    handoff = models.ForeignKey(HandOff, on_delete=models.CASCADE, related_name="looked")
    says = models.TextField(blank=True)  # what was seen

    class Meta:
        ordering = ("-id",)

    def __str__(self) -> str:
        return f"the look at {self.handoff}"


class ServedCopy(models.Model):
    """A copy that a site made of what it was sent: as the site tells of it, fetched, and judged."""

    class Outcome(models.TextChoices):
        OPEN = "", "not looked at yet"
        PASS = "pass", "as signed"
        CAUTION = "caution", "as signed, with a caution"
        FAIL = "fail", "not as signed"
        NOT_MEASURED = "not measured", "not measured"

    handoff = models.ForeignKey(HandOff, on_delete=models.CASCADE, related_name="copies")
    label = models.CharField(max_length=40)
    told: Any = models.JSONField(default=dict)  # as the site has it
    ready_at = models.DateTimeField(null=True)  # as the site tells; empty while it is not there
    media_file = models.ForeignKey("storage.MediaFile", on_delete=models.PROTECT, null=True, related_name="served_as")
    outcome = models.CharField(max_length=16, choices=Outcome, blank=True)
    says = models.TextField(blank=True)
    document: Any = models.JSONField(null=True)  # of schema brisk-sentry/check/1
    judged_at = models.DateTimeField(null=True)
    removed_at = models.DateTimeField(null=True)  # when its bytes were; what was found stays

    class Meta:
        ordering = ("id",)
        constraints = [models.UniqueConstraint(fields=("handoff", "label"), name="one_copy_a_label")]

    def __str__(self) -> str:
        return f"copy {self.label} of {self.handoff.name}"

    @property
    def waited_s(self) -> float | None:
        """Seconds from the hand-off to the copy, as far as both are known."""
        sent = self.handoff.finished_at
        return (self.ready_at - sent).total_seconds() if self.ready_at and sent else None
