"""The row of a piece of work: its state, its progress, and the fence against workers thought dead; and pauses."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import ClassVar

from django.conf import settings
from django.db import models
from django.utils import timezone


class Pause(models.Model):
    """A queue from which nothing new is begun; what runs goes on to its end."""

    queue = models.CharField(max_length=32)
    since = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    ended_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(fields=("queue",), condition=models.Q(ended_at=None), name="one_pause_a_queue"),
        )

    def __str__(self) -> str:
        return f"pause of {self.queue}"

    @classmethod
    def now(cls) -> models.QuerySet[Pause]:
        """Return the pauses that go on."""
        return cls.objects.filter(ended_at=None)

    @classmethod
    def fell_into(cls, queue: str, since: datetime) -> bool:
        """Has a queue been paused at any time since some moment?"""
        return cls.objects.filter(models.Q(ended_at=None) | models.Q(ended_at__gt=since), queue=queue).exists()


class Work(models.Model):
    """A piece of work that a worker does and a page waits for."""

    class State(models.TextChoices):
        QUEUED = "queued", "in queue"
        RUNNING = "running", "running"
        DONE = "done", "done"
        FAILED = "failed", "failed"
        CANCELLED = "cancelled", "cancelled"

    #: What the states of a kind of work are called where the general words would not say it.
    STATES_IN_WORDS: ClassVar[Mapping[str, str]] = {}
    ACTIVE = (State.QUEUED, State.RUNNING)
    OVER = (State.DONE, State.FAILED, State.CANCELLED)

    state = models.CharField(max_length=16, choices=State, default=State.QUEUED)
    attempt = models.PositiveIntegerField(default=0)  # fences writes: only the newest try at the work may write
    tries = models.PositiveSmallIntegerField(default=0)  # at this stage, since somebody asked for it
    done = models.BigIntegerField(default=0)  # of ``total``
    total = models.BigIntegerField(default=0)
    error = models.TextField(default="", blank=True)
    created_at = models.DateTimeField(auto_now_add=True)
    queued_at = models.DateTimeField(default=timezone.now)  # since when it waits, or waited
    started_at = models.DateTimeField(null=True)  # of the first try
    beat_at = models.DateTimeField(null=True)  # the worker's newest sign of life
    finished_at = models.DateTimeField(null=True)

    class Meta:
        abstract = True

    @property
    def state_in_words(self) -> str:
        """The state, as a page says it."""
        return self.STATES_IN_WORDS.get(self.state) or str(self.get_state_display())

    @property
    def is_active(self) -> bool:
        """Is it waiting or running?"""
        return self.state in self.ACTIVE

    @property
    def is_over(self) -> bool:
        """Has it ended, one way or another?"""
        return self.state in self.OVER

    @property
    def share(self) -> float:
        """How much is done, 0 to 1."""
        return min(self.done / self.total, 1.0) if self.total else 0.0
