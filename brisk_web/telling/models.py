"""What people are told: notices in the house, each to one person."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class Notice(models.Model):
    """Something that happened and that one person should know."""

    class Kind(models.TextChoices):
        ASSIGNED = "assigned", "A deliverable is given to me to look after"
        ANSWERED = "answered", "The next attempt at what I asked for is judged"
        VOIDED = "voided", "My signature is void"
        TAKEN = "taken", "What I handed over was taken"
        REFUSED = "refused", "What I handed over was refused"
        NOT_SENT = "not sent", "What I handed over could not be sent"

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
