"""What people decided about renders: asked again, watched, signed. Waivers stand with the checks that they change."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from brisk_core.decide import Answer
from brisk_core.decide import Point as Asked
from brisk_web.house.models import Decision


class Request(Decision):
    """A new render was asked for, with the points that it should mend."""

    render = models.ForeignKey("jobs.Render", on_delete=models.CASCADE, related_name="requests")
    words = models.TextField(blank=True)  # to the editor, before the points
    sent_to = models.EmailField(blank=True)

    class Meta:
        ordering = ("-made_at", "-id")

    def __str__(self) -> str:
        return f"the request for another render after {self.render}"


class Point(models.Model):
    """One thing that an editor is asked to change."""

    class ByHand(models.TextChoices):
        MENDED = Answer.MENDED.value, "mended"
        NOT_MENDED = Answer.NOT_MENDED.value, "not mended"

    request = models.ForeignKey(Request, on_delete=models.CASCADE, related_name="points")
    position = models.PositiveIntegerField()
    line = models.CharField(max_length=64, blank=True)  # empty for what a person added
    label = models.CharField(max_length=200)
    found = models.TextField(blank=True)
    change = models.TextField(blank=True)
    places = models.JSONField(default=list)  # [start, first frame after] of the file that was asked about
    by_hand = models.CharField(max_length=16, choices=ByHand, blank=True)  # what a person saw in the next attempt
    by_hand_of = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ("position",)

    def __str__(self) -> str:
        return self.label

    @property
    def asked(self) -> Asked:
        """The point as the core has it."""
        places = tuple((start, end) for start, end in self.places)
        return Asked(line=self.line, label=self.label, found=self.found, change=self.change, places=places)


class Watching(Decision):
    """Somebody watched a stretch of a render, and says what they saw."""

    render = models.ForeignKey("jobs.Render", on_delete=models.CASCADE, related_name="watchings")
    start = models.PositiveIntegerField()  # frames of the file
    end = models.PositiveIntegerField()  # first frame after
    line = models.CharField(max_length=64, blank=True)  # that no meter could judge; empty for the pictures as such
    says = models.TextField(blank=True)

    class Meta:
        ordering = ("start", "id")

    def __str__(self) -> str:
        return f"the word of having watched frames {self.start} to {self.end} of {self.render}"


class Signature(Decision):
    """A person's word that a render may go, over a digest of all that it stands for."""

    render = models.ForeignKey("jobs.Render", on_delete=models.CASCADE, related_name="signatures")
    basis = models.JSONField()  # schema brisk-sentry/signed/1
    digest = models.CharField(max_length=64)  # SHA-256 of the basis
    words = models.TextField(blank=True)
    voided_at = models.DateTimeField(null=True, editable=False)
    voided_why = models.TextField(blank=True, editable=False)

    class Meta:
        ordering = ("made_at", "id")
        constraints = [
            models.UniqueConstraint(
                fields=("render", "made_by"),
                condition=models.Q(taken_back_at=None, voided_at=None),
                name="one_signature_a_person",
            )
        ]

    def __str__(self) -> str:
        return f"the signature under {self.render}"

    @property
    def stands(self) -> bool:
        """Is it neither taken back nor void?"""
        return self.taken_back_at is None and self.voided_at is None


def standing(signatures: models.QuerySet[Signature]) -> models.QuerySet[Signature]:
    """Those of some signatures that are neither taken back nor void."""
    return signatures.filter(taken_back_at=None, voided_at=None)
