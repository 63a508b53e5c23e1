"""Checks: an inspection judged by a spec version and a timeline range, with its findings as rows."""

from __future__ import annotations

from django.db import models


class Check(models.Model):
    """A file judged; it is judged again whenever more of the file is known."""

    media_file = models.ForeignKey("storage.MediaFile", on_delete=models.CASCADE, related_name="checks")
    spec_version = models.ForeignKey("shelf.SpecVersion", on_delete=models.PROTECT, related_name="checks")
    timeline = models.ForeignKey("edits.Timeline", on_delete=models.PROTECT, null=True, related_name="checks")
    range_start = models.PositiveIntegerField(null=True)
    range_end = models.PositiveIntegerField(null=True)
    master = models.ForeignKey(
        "storage.MediaFile", on_delete=models.PROTECT, null=True, related_name="checks_against_it"
    )  # what it is held against, never the file itself
    render = models.OneToOneField("jobs.Render", on_delete=models.CASCADE, null=True, related_name="check_record")
    verdict = models.CharField(max_length=16, blank=True)  # empty until it has been judged once
    counts = models.JSONField(default=dict)  # lines by outcome
    engine = models.CharField(max_length=32, blank=True)  # that judged it
    judged_at = models.DateTimeField(null=True)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)

    def __str__(self) -> str:
        return f"{self.media_file.name} by {self.spec_version}"


class Finding(models.Model):
    """The outcome of one line."""

    class Outcome(models.TextChoices):
        PASS = "pass", "pass"
        FAIL = "fail", "fail"
        CAUTION = "caution", "caution"
        NOT_MEASURED = "not measured", "not measured"
        WAIVED = "waived", "waived"

    # Named check_record because Model.check is Django's own.
    check_record = models.ForeignKey(Check, on_delete=models.CASCADE, related_name="findings")
    position = models.PositiveIntegerField()
    line = models.CharField(max_length=64)
    label = models.CharField(max_length=100)
    group = models.CharField(max_length=32)
    characteristic = models.CharField(max_length=64)
    outcome = models.CharField(max_length=16, choices=Outcome)
    weight = models.CharField(max_length=8)
    code = models.CharField(max_length=64)
    document = models.JSONField()  # the finding as brisk-sentry/check/1 has it

    class Meta:
        ordering = ("position",)
        constraints = [models.UniqueConstraint(fields=("check_record", "line"), name="one_finding_a_line")]
        indexes = [models.Index(fields=("characteristic", "outcome"), name="finding_by_characteristic")]

    def __str__(self) -> str:
        return f"{self.label}: {self.outcome}"
