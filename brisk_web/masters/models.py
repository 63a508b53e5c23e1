"""Comparisons: one inspected file held against another, a master or an earlier attempt."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from django.db import models

from brisk_core.facts import Held
from brisk_core.master import held_of
from brisk_web.work.models import Work


class Comparison(Work):
    """A file held against a master. Kept by contents, so the same two files are never compared twice."""

    STATES_IN_WORDS: ClassVar[Mapping[str, str]] = {Work.State.FAILED: "cannot be compared"}

    inspection = models.ForeignKey("inspections.Inspection", on_delete=models.CASCADE, related_name="held")
    master = models.ForeignKey("inspections.Inspection", on_delete=models.CASCADE, related_name="held_against_it")
    timeline = models.ForeignKey(
        "edits.Timeline", on_delete=models.SET_NULL, null=True, related_name="+"
    )  # names shots
    ordered_start = models.PositiveIntegerField(null=True)  # master frames that the file should hold; null for all
    ordered_end = models.PositiveIntegerField(null=True)
    engine = models.CharField(max_length=32)
    document = models.JSONField(null=True)  # schema brisk-sentry/against/1

    class Meta:
        ordering = ("-id",)
        constraints = [
            models.UniqueConstraint(
                fields=("inspection", "master", "ordered_start", "ordered_end", "engine"),
                name="one_comparison_a_pair",
                nulls_distinct=False,
            )
        ]

    def __str__(self) -> str:
        return f"inspection {self.inspection_id} against {self.master_id}"

    @property
    def in_words(self) -> str:
        """Which file is held against which, by their names."""
        names = [
            one.files.order_by("id").values_list("name", flat=True).first() for one in (self.inspection, self.master)
        ]
        return " against ".join(name or "a file that is gone" for name in names)

    @property
    def held(self) -> dict[str, Held]:
        """What a judge needs of it; nothing while it is not done."""
        return held_of(self.document) if self.state == self.State.DONE and self.document else {}
