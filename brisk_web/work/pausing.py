"""Pausing a queue: what runs goes on to its end, what waits keeps its place, and nothing new is begun."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from brisk_web.house.services import record
from brisk_web.work.kernel import KINDS
from brisk_web.work.models import Pause

#: The queues that can be paused, and what is begun from them; others are short, or others wait for them.
PAUSABLE = {"scan": "reading pictures and sound", "handoff": "handing over"}


class PauseRefused(Exception):
    """A queue that cannot be paused, with a sentence."""


@transaction.atomic
def pause(queue: str, *, by: User) -> bool:
    """Begin nothing new from a queue; return whether it was not paused before. Raises ``PauseRefused``."""
    if queue not in PAUSABLE:
        raise PauseRefused(f"met {queue[:40]!r} as a queue; expected one of {', '.join(PAUSABLE)}")
    paused, is_new = Pause.objects.get_or_create(queue=queue, ended_at=None, defaults={"by": by})
    if is_new:
        record("queue.paused", paused, f"Paused {PAUSABLE[queue]}", by=by)
    return is_new


@transaction.atomic
def go_on(queue: str, *, by: User) -> bool:
    """Take from a queue again, in the order of before; return whether it was paused."""
    paused = Pause.now().select_for_update().filter(queue=queue).first()
    if paused is None:
        return False
    record("queue.went-on", paused, f"Let {PAUSABLE.get(queue, queue)} go on", by=by)
    paused.ended_at = timezone.now()
    paused.save(update_fields=["ended_at"])
    for kind in KINDS:
        if kind.queue_name == queue:
            # Those that a worker put back have no task by now; the others keep theirs.
            for pk in kind.forgotten(0).order_by("queued_at", "pk").values_list("pk", flat=True):
                kind.knock(pk)
    return True
