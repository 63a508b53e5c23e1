"""Work that a worker does and a page waits for: state, progress, and the fence against workers thought dead."""

from __future__ import annotations

from django.db import models


class Work(models.Model):
    """A piece of work of the queue that leaves a document."""

    class State(models.TextChoices):
        QUEUED = "queued", "in queue"
        RUNNING = "running", "running"
        DONE = "done", "done"
        FAILED = "failed", "cannot be compared"
        CANCELLED = "cancelled", "cancelled"

    state = models.CharField(max_length=16, choices=State, default=State.QUEUED)
    attempt = models.PositiveIntegerField(default=0)  # fences writes: an older try at the work writes no more
    done = models.PositiveIntegerField(default=0)  # of ``total``
    total = models.PositiveIntegerField(default=0)
    error = models.TextField(default="", blank=True)
    document = models.JSONField(null=True)  # what was found, by a schema of its own
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        abstract = True

    @property
    def is_active(self) -> bool:
        """Is it waiting or running?"""
        return self.state in (self.State.QUEUED, self.State.RUNNING)

    @property
    def share(self) -> float:
        """How much is done, 0 to 1."""
        return min(self.done / self.total, 1.0) if self.total else 0.0
