"""Plans that are kept with a job: what was asked, and what was answered then."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar

from django.conf import settings
from django.db import models

from brisk_core.exact import spell_bytes
from brisk_web.house.models import Retirable
from brisk_web.work.models import Work


class Plan(Retirable):
    """One plan, as it was answered when it was kept."""

    class Kind(models.TextChoices):
        """What is planned."""

        BITS = "bits", "What fits"
        SIZES = "sizes", "Sizes"
        RATES = "rates", "Rates"
        ORDER = "order", "Nearest rows"
        PLAYS = "plays", "Plays"
        TARGET = "target", "Other side"
        DECK = "deck", "Deck"
        DISC = "disc", "Disc"

    job = models.ForeignKey("jobs.Job", on_delete=models.CASCADE, related_name="plans")
    kind = models.CharField(max_length=8, choices=Kind, default=Kind.BITS)
    name = models.CharField(max_length=200)
    asked = models.JSONField()  # as ``brisk_web.planner.services.answer`` reads it
    query = models.TextField(
        blank=True
    )  # of the address that asks it again; empty for a disc, which has no other place
    spec_version = models.ForeignKey("shelf.SpecVersion", on_delete=models.PROTECT, null=True, related_name="plans")
    document = models.JSONField()  # of the schema of its kind
    kept_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    kept_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-kept_at", "-id")

    def __str__(self) -> str:
        return f"plan {self.name}"

    @property
    def summary(self) -> str:
        """What it is about in one line."""
        found = self.document
        match self.kind:
            case self.Kind.BITS:
                count, cap = len(found["files"]), spell_bytes(found["cap"])
                return f"{count} file{'' if count == 1 else 's'} under {cap}: {found['says']}"
            case self.Kind.SIZES:
                return f"{len(found['sizes'])} codecs weighed"
            case self.Kind.RATES:
                return f"{found['targets'][0]['words']} harms least"
            case self.Kind.ORDER:
                nearest = found["rows"][0]["words"] if found["rows"] else "no row is allowed"
                return f"{found['source']}: {nearest}"
            case self.Kind.PLAYS:
                return f"{len(found['rows'])} on {len(found['players'])} players"
            case self.Kind.TARGET:
                more = f", and {len(found['rows']) - 1} more" if len(found["rows"]) > 1 else ""
                return f"{found['rows'][0]['name']}: {found['rows'][0]['says'].removesuffix('.')}{more}"
            case _:
                return str(found["says"])


class DiscTrial(Work):
    """A disc that was sent to a player outside and walked there by every key."""

    STATES_IN_WORDS: ClassVar[Mapping[str, str]] = {
        Work.State.RUNNING: "is being played",
        Work.State.FAILED: "could not be played",
        Work.State.DONE: "was played",
    }

    plan = models.ForeignKey(Plan, on_delete=models.CASCADE, related_name="trials")
    destination = models.ForeignKey("handoff.Destination", on_delete=models.PROTECT, related_name="+")
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    right = models.BooleanField(null=True)  # did it play as planned?
    says = models.TextField(blank=True)
    wrong: Any = models.JSONField(default=list)  # sentences

    class Meta:
        ordering = ("-id",)

    def __str__(self) -> str:
        return f"the trial of {self.plan.name} on {self.destination}"

    @property
    def folder(self) -> str:
        """Where it lies over there."""
        return f"disc-{self.pk}"
