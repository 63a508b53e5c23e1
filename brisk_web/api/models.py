"""Answers that were given, so that the same call sent again does nothing twice."""

from __future__ import annotations

from django.db import models


class GivenAnswer(models.Model):
    """What a call with an ``Idempotency-Key`` was answered."""

    token = models.ForeignKey("house.Token", on_delete=models.CASCADE, related_name="+")
    key = models.CharField(max_length=200)
    digest = models.CharField(max_length=64)  # SHA-256 of what was asked
    status = models.PositiveSmallIntegerField(null=True)  # null while it is worked at
    body = models.BinaryField(default=bytes)
    at = models.DateTimeField(auto_now_add=True, db_index=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=("token", "key"), name="one_answer_a_key")]

    def __str__(self) -> str:
        return f"answer to {self.key}"
