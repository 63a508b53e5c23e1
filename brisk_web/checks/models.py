"""Checks: an inspection judged by a spec version and a timeline range, with its findings as rows."""

from __future__ import annotations

from django.db import models

from brisk_web.house.models import Decision


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
    kind_of_work = models.CharField(max_length=24, blank=True)  # that was ordered, a choice of order.kind
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


class Waiver(Decision):
    """A fault that somebody accepted: of one check, or of one line of a deliverable in all its attempts.

    It covers the value that was found then; a line that finds another one is judged as if there were no waiver.
    """

    check_record = models.ForeignKey(Check, on_delete=models.CASCADE, null=True, related_name="waivers")
    deliverable = models.ForeignKey("jobs.Deliverable", on_delete=models.CASCADE, null=True, related_name="waivers")
    line = models.CharField(max_length=64)
    label = models.CharField(max_length=100)
    value = models.CharField(max_length=64)  # what it covers, as brisk_core.decide.value_of gives it
    found = models.TextField()  # the same in words
    was = models.CharField(max_length=16, choices=Finding.Outcome)
    reason = models.TextField()
    until = models.DateField(null=True)  # its last day; null for no end
    ended_at = models.DateTimeField(null=True)  # when the house noticed that its last day has passed

    class Meta:
        ordering = ("-made_at", "-id")
        permissions = [
            ("waive_must", "Can waive lines that must be met"),
            ("take_back_any", "Can take back what others decided"),
        ]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(check_record=None) ^ models.Q(deliverable=None), name="waiver_of_one_thing"
            )
        ]

    def __str__(self) -> str:
        return f"the waiver of “{self.label}”"
