"""What people are told and tell each other: notices, letters, comments; and what other programs are told."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar

from django.conf import settings
from django.db import models

from brisk_web.house.models import Retirable
from brisk_web.work.models import Work


class Notice(models.Model):
    """Something that happened and that one person should know."""

    class Kind(models.TextChoices):
        ASSIGNED = "assigned", "A deliverable is given to me to look after"
        ANSWERED = "answered", "The next attempt at what I asked for is judged"
        VOIDED = "voided", "My signature is void"
        TAKEN = "taken", "What I handed over was taken"
        REFUSED = "refused", "What I handed over was refused"
        NOT_SENT = "not sent", "What I handed over could not be sent"
        NAMED = "named", "Somebody names me in a comment"
        DUE = "due", "What I look after is due in a day"
        REVIEW = "review", "A spec is due for review"

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="notices")
    kind = models.CharField(max_length=16, choices=Kind)
    says = models.TextField()
    address = models.CharField(max_length=200)  # of the page where it is seen
    about = models.CharField(max_length=128)  # kind and id of the record, such as "handoff:12"
    at = models.DateTimeField(auto_now_add=True)
    read_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("-id",)
        indexes = [models.Index(fields=("person", "read_at"), name="notices_unread")]
        constraints = [
            models.UniqueConstraint(
                fields=("person", "kind", "about"), condition=models.Q(read_at=None), name="one_unread_notice_a_thing"
            )
        ]

    def __str__(self) -> str:
        return self.says


class Wish(models.Model):
    """How a person wants to be told of one kind of thing; without one, in the house only."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    kind = models.CharField(max_length=16, choices=Notice.Kind)
    in_house = models.BooleanField(default=True)
    by_mail = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=("person", "kind"), name="one_wish_a_kind")]

    def __str__(self) -> str:
        return f"{self.person}: {self.kind}"


class Quiet(models.Model):
    """The hours in which a person gets no mail; it is sent when they end. In the person's time zone."""

    person = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="quiet")
    begins = models.TimeField()
    ends = models.TimeField()

    def __str__(self) -> str:
        return f"{self.person}: quiet from {self.begins:%H:%M} to {self.ends:%H:%M}"


class Letter(models.Model):
    """A mail that waits until quiet hours end."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    says = models.TextField()
    not_before = models.DateTimeField(db_index=True)

    def __str__(self) -> str:
        return self.says


class Comment(Retirable):
    """What somebody says of a check, of one of its lines, or of a frame."""

    check_record = models.ForeignKey("checks.Check", on_delete=models.PROTECT, related_name="comments")
    line = models.CharField(max_length=100, blank=True)  # of the spec; empty: of the whole check
    frame = models.PositiveIntegerField(null=True)  # of the file
    words = models.TextField()
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("id",)

    def __str__(self) -> str:
        return f"the comment of {self.made_by}"


class Hook(Retirable):
    """The address of another program that is told of what happens, in signed messages (HMAC, RFC 2104, SHA-256)."""

    name = models.CharField(max_length=100, unique=True)
    url = models.CharField(max_length=500)
    secret = models.TextField(blank=True, editable=False)  # sealed, as those of destinations
    events: Any = models.JSONField(default=list)  # verbs of the audit trail

    class Meta:
        ordering = ("name",)
        permissions = [("keep_hooks", "Can add and change addresses that are told of what happens")]

    def __str__(self) -> str:
        return self.name


class Message(Work):
    """One message to one address: sent until it is answered, with growing pauses, and given up in the end."""

    STATES_IN_WORDS: ClassVar[Mapping[str, str]] = {
        Work.State.RUNNING: "is being sent",
        Work.State.FAILED: "was given up",
        Work.State.DONE: "was taken",
    }

    hook = models.ForeignKey(Hook, on_delete=models.CASCADE, related_name="messages")
    event = models.CharField(max_length=64)
    document: Any = models.JSONField()  # of schema brisk-sentry/event/1
    not_before = models.DateTimeField(null=True)
    failures = models.PositiveSmallIntegerField(default=0)
    status = models.PositiveSmallIntegerField(null=True)  # of the newest answer
    says = models.TextField(blank=True)  # the newest answer, or what went wrong

    class Meta:
        ordering = ("-id",)

    def __str__(self) -> str:
        return f"message {self.pk} to {self.hook}"
