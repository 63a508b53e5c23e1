"""Page: what is being done and what waits, in which order, what holds it up, and the verbs that change that."""

from __future__ import annotations

import shutil
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.db.models import Model, Value
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from brisk_web.accounts.people import signed_in
from brisk_web.captions.models import CaptionFile, TrackReading
from brisk_web.captions.models import Look as CaptionLook
from brisk_web.handoff.models import HandOff
from brisk_web.handoff.models import Look as HandOffLook
from brisk_web.inspections import services
from brisk_web.inspections.models import Inspection, ScanPart
from brisk_web.masters.models import Comparison
from brisk_web.pages.health import LEAST_FREE
from brisk_web.planner.models import DiscTrial
from brisk_web.stems.models import StemCheck
from brisk_web.telling.models import Message
from brisk_web.ui.asking import words
from brisk_web.work.kernel import KINDS, Kind
from brisk_web.work.models import Pause, Work
from brisk_web.work.pausing import PAUSABLE, PauseRefused, go_on, pause
from brisk_web.work.sweep import count_workers

_MOST_ROWS = 1000  # of one kind that are looked at
_MOST = 200  # lines of a table
_LONG = timedelta(minutes=15)  # that the first in line has waited, from which it is told
_LITTLE_FREE = 10 * LEAST_FREE
_REFRESH_MS = 3000


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """A piece of work that runs or waits."""

    row: Work
    kind: Kind[Any]
    doing: str  #: such as "comparing"
    subject: str  #: what it is done to
    address: str  #: page of that; empty for none
    inspection: Inspection | None  #: that can be put first
    more: int = 0  #: pieces of the same that are told with it

    @property
    def goes_first(self) -> bool:
        """Has somebody put it first?"""
        return self.inspection is not None and self.inspection.urgent


@dataclass(frozen=True, slots=True, kw_only=True)
class Waiting:
    """What waits in one queue."""

    queue: str
    title: str
    lines: list[Line]
    pause: Pause | None
    can_pause: bool


def _file_of(inspection: Inspection) -> tuple[str, str]:
    file = next(iter(inspection.files.all()), None)
    return (file.name, reverse("file", args=[file.pk])) if file else (str(inspection), "")


def _subject(row: Model) -> tuple[str, str]:
    """What a piece of work is done to, and the address of its page."""
    match row:
        case Inspection():
            return _file_of(row)
        case ScanPart() | TrackReading():
            return _file_of(row.inspection)
        case Comparison():
            name, address = _file_of(row.inspection)
            return f"{name} against {_file_of(row.master)[0]}", address
        case CaptionFile():
            return row.name, reverse("file", args=[row.source_id]) if row.source_id else ""
        case CaptionLook():
            return row.pairing.media_file.name, reverse("file", args=[row.pairing.media_file_id])
        case StemCheck():
            return row.mix.name, reverse("stems", args=[row.mix_id])
        case HandOff():
            return row.name, reverse("hand-off", args=[row.pk])
        case HandOffLook():
            return row.handoff.name, reverse("hand-off", args=[row.handoff_id])
        case DiscTrial():
            return row.plan.name, reverse("plan", args=[row.plan_id])
        case Message():
            return f"{row.event} to {row.hook}", ""
    return str(row), ""


#: What is fetched with the rows of a model.
_WITH: dict[type[Model], tuple[tuple[str, ...], tuple[str, ...]]] = {
    Inspection: ((), ("files",)),
    ScanPart: (("inspection",), ("inspection__files",)),
    TrackReading: (("inspection",), ("inspection__files",)),
    Comparison: (("inspection", "master"), ("inspection__files", "master__files")),
    CaptionLook: (("pairing__media_file",), ()),
    StemCheck: (("mix",), ()),
    HandOffLook: (("handoff",), ()),
    DiscTrial: (("plan",), ()),
    Message: (("hook",), ()),
}


def _active() -> list[Line]:
    """Everything that runs or waits, in the order in which it is taken; parts of one scan as one."""
    models = list(dict.fromkeys(kind.model for kind in KINDS))
    asking = [
        model._default_manager.filter(state__in=Work.ACTIVE).order_by().values_list(Value(at), flat=True)[:1]
        for at, model in enumerate(models)
    ]
    lines: dict[tuple[object, ...], Line] = {}
    for model in (models[at] for at in asking[0].union(*asking[1:], all=True)):
        joined, fetched = _WITH.get(model, ((), ()))
        rows = model._default_manager.filter(state__in=Work.ACTIVE).select_related(*joined)
        for row in rows.prefetch_related(*fetched).order_by("queued_at", "pk")[:_MOST_ROWS]:
            kind = next((one for one in KINDS if one.model is model and one.is_of(row)), None)
            if kind is None:
                continue  # its parts are at work
            is_part = isinstance(row, ScanPart)
            key = (model, row.inspection_id if is_part else row.pk, row.state)
            if key in lines:
                lines[key] = replace(lines[key], more=lines[key].more + 1)
                continue
            subject, address = _subject(row)
            lines[key] = Line(
                row=row,
                kind=kind,
                doing="scanning" if is_part else kind.doing,
                subject=subject,
                address=address,
                inspection=row.inspection if is_part else row if isinstance(row, Inspection) else None,
            )
    return sorted(lines.values(), key=lambda line: (not line.goes_first, -line.kind.priority, line.row.queued_at))


def _waiting(active: Iterable[Line], pauses: Mapping[str, Pause]) -> list[Waiting]:
    waits = [line for line in active if line.row.state == Work.State.QUEUED]
    found = []
    for queue, title in PAUSABLE.items():
        lines = [line for line in waits if line.kind.queue_name == queue]
        found.append(Waiting(queue=queue, title=title, lines=lines, pause=pauses.get(queue), can_pause=True))
    if short := [line for line in waits if line.kind.queue_name not in PAUSABLE]:
        found.append(Waiting(queue="", title="short steps", lines=short, pause=None, can_pause=False))
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class Trouble:
    """What holds work up, and what to do about it."""

    says: str
    do: str
    stops: bool = False  #: does nothing go on until somebody acts?


def troubles(waiting: Iterable[Waiting], running: int) -> list[Trouble]:
    """What is slow or stuck, in words."""
    found = []
    workers, now = count_workers(), timezone.now()
    if not workers["alive"]:
        found.append(Trouble(
            says="No worker runs: nothing is read and nothing is sent.",
            do="Look at the workers' logs in the data folder, and start the house again.", stops=True,
        ))  # fmt: skip
    elif workers["silent"]:
        found.append(Trouble(
            says=f"{workers['silent']} of {sum(workers.values())} workers gave no sign of life for half a minute.",
            do="Their work is taken up by the others; if it stays so, look at their logs.",
        ))  # fmt: skip
    if room := trouble_of_room():
        found.append(room)
    for one in waiting:
        since = _first_since(one.lines)
        if one.pause is None and since is not None and now - since > _LONG:
            minutes = round((now - since).total_seconds() / 60)
            found.append(Trouble(
                says=f"What is first in line for {one.title} has waited {minutes} minutes, "
                f"{len(one.lines)} wait in all.",
                do="Put first what is wanted first. More scan workers, here or on another machine, read more at once."
                if running else "Nothing runs: look whether the workers for it are there.",
            ))  # fmt: skip
    return found


def trouble_of_room() -> Trouble | None:
    """What is to be said of the room on the disk, where there is little."""
    free = shutil.disk_usage(settings.DATA_FOLDER).free if settings.DATA_FOLDER.is_dir() else None
    if free is None or free >= _LITTLE_FREE:
        return None
    return Trouble(
        says=f"{free / LEAST_FREE:.1f} GiB are free where the house keeps its data.",
        do="Make room: below 1 GiB nothing is taken in, below 128 MiB all work waits.",
        stops=free < LEAST_FREE,
    )


def _first_since(lines: Iterable[Line]) -> datetime | None:
    """Since when the longest has waited that could be begun by now."""
    now = timezone.now()
    due = (line.row for line in lines if (getattr(line.row, "not_before", None) or now) <= now)
    return min((row.queued_at for row in due if not getattr(row, "paused", False)), default=None)


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """How the work of the house stands."""

    waiting: int  #: pieces of work
    troubles: list[Trouble]


def how_it_stands() -> Standing:
    """How much waits, and what is slow or stuck."""
    active = _active()
    waiting = _waiting(active, {one.queue: one for one in Pause.now()})
    running = sum(line.row.state == Work.State.RUNNING for line in active)
    return Standing(
        waiting=sum(line.more + 1 for one in waiting for line in one.lines), troubles=troubles(waiting, running)
    )


@require_GET
def queue(request: HttpRequest) -> HttpResponse:
    """What runs, what waits in which order, what is paused, and what holds it up."""
    pauses = {one.queue: one for one in Pause.now().select_related("by")}
    active = _active()
    running = [line for line in active if line.row.state == Work.State.RUNNING]
    waiting = _waiting(active, pauses)
    context = {
        "running": running[:_MOST],
        "most": f":{_MOST}",
        "waiting": waiting,
        "troubles": troubles(waiting, len(running)),
        "refresh_ms": _REFRESH_MS if running or any(one.lines for one in waiting) else 0,
    }
    return render(request, "house/queue.html", context)


@require_POST
@permission_required("work.add_pause", raise_exception=True)
def pause_queue(request: HttpRequest) -> HttpResponse:
    """Begin nothing new from a queue, or, with ``again``, take from it again."""
    name = words(request.POST, "queue")
    try:
        if request.POST.get("again"):
            changed, says = go_on(name, by=signed_in(request)), "It goes on, in the order of before."
        else:
            changed = pause(name, by=signed_in(request))
            says = "Paused: what runs goes on to its end, and nothing new is begun."
    except PauseRefused as error:
        messages.error(request, str(error))
        return redirect("queue")
    messages.success(request, says if changed else "It was so already.")
    return redirect("queue")


@require_POST
@permission_required("inspections.add_inspection", raise_exception=True)
def put_first(request: HttpRequest, inspection_id: int) -> HttpResponse:
    """Read a file before all others, or, with ``again``, in its turn."""
    inspection = get_object_or_404(Inspection, pk=inspection_id)
    first = not request.POST.get("again")
    if not services.put_first(inspection, first=first, by=signed_in(request)):
        messages.error(request, "It is read by now, or was so already.")
    else:
        messages.success(request, "It is read next." if first else "It waits for its turn again.")
    return redirect("queue")
