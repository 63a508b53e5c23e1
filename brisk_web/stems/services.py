"""Verbs of stem checks: begin, do in the worker, cancel, take up what a dead worker left."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction

from brisk_core import sandbox
from brisk_core.errors import UnreadableFile
from brisk_core.stems import MOST_STEMS
from brisk_web.house.services import record
from brisk_web.stems.models import StemCheck, StemPart
from brisk_web.storage.models import MediaFile

MOST_ATTEMPTS = 3  # tries when workers die
_LIMITS = sandbox.Limits(wall_s=3600, processor_s=3600)

Chosen = tuple[MediaFile, int | None]  #: a file, and one of its tracks from 0 or None


class StemsRefused(Exception):
    """Stems that cannot be held against a mix, with a sentence."""


@transaction.atomic
def begin(mix: Chosen, stems: Sequence[Chosen], *, by: Any) -> StemCheck:
    """Queue a stem check; raises ``StemsRefused`` for no stems, too many, or the mix itself among them."""
    from brisk_web.stems.tasks import stems_task

    if not 1 <= len(stems) <= MOST_STEMS:
        raise StemsRefused(f"met {len(stems)} stems; expected 1 to {MOST_STEMS}")
    if mix in stems:
        raise StemsRefused(f"{mix[0].name} is the mix; expected other sounds as its stems")
    check = StemCheck.objects.create(mix=mix[0], mix_track=mix[1])
    StemPart.objects.bulk_create(StemPart(stem_check=check, media_file=file, track=track) for file, track in stems)
    record("stems.begun", check, f"Held {len(stems)} stems against {mix[0].name}", by=by)
    stems_task.defer(stem_check_id=check.pk)
    return check


def run(stem_check_id: int) -> None:
    """Do a stem check."""
    with transaction.atomic():
        check = StemCheck.objects.select_for_update(of=("self",)).filter(pk=stem_check_id).first()
        if check is None or not check.is_active:
            return
        check.attempt += 1
        check.state, check.done = StemCheck.State.RUNNING, 0
        check.save()
    mine = StemCheck.objects.filter(pk=check.pk, attempt=check.attempt, state=StemCheck.State.RUNNING)
    parts = check.parts.select_related("media_file__root")
    request = {
        "mix": {"url": check.mix.url, "name": check.mix.name, "track": check.mix_track},
        "stems": [{"url": one.media_file.url, "name": str(one), "track": one.track} for one in parts],
    }
    try:
        document = sandbox.run(
            "stems",
            request,
            limits=_LIMITS,
            progress=lambda done, total: mine.update(done=done, total=total) and None,
            should_stop=lambda: not mine.exists(),
        )
    except sandbox.Cancelled:
        return
    except UnreadableFile as error:
        mine.update(state=StemCheck.State.FAILED, error=str(error))
        return
    mine.update(state=StemCheck.State.DONE, document=document)


def give_up(stem_check_id: int, says: str) -> None:
    """End a check in which this application itself failed, so that nobody waits for it."""
    active = StemCheck.objects.filter(pk=stem_check_id, state=StemCheck.State.RUNNING)
    active.update(state=StemCheck.State.FAILED, error=says)


def cancel(check: StemCheck, *, by: Any) -> None:
    """Stop a check that waits or runs."""
    active = (StemCheck.State.QUEUED, StemCheck.State.RUNNING)
    if StemCheck.objects.filter(pk=check.pk, state__in=active).update(state=StemCheck.State.CANCELLED):
        record("stems.cancelled", check, f"Cancelled the {check}", by=by)


def take_up_stalled(stem_check_ids: list[int]) -> None:
    """Queue checks again whose worker died; give up on one that killed too many."""
    from brisk_web.stems.tasks import stems_task

    for check in StemCheck.objects.filter(pk__in=stem_check_ids, state=StemCheck.State.RUNNING):
        if check.attempt >= MOST_ATTEMPTS:
            give_up(check.pk, f"the worker died {check.attempt} times while adding up")
        else:
            stems_task.defer(stem_check_id=check.pk)
