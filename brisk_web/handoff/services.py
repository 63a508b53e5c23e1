"""Verbs of handing over: keep a destination, hand over, pause, go on, cancel, try again, look again."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date
from pathlib import PurePosixPath
from typing import Any

from django.contrib.auth.models import User
from django.db import IntegrityError, transaction
from django.db.models.functions import Now
from django.utils import timezone

from brisk_core.errors import ValueRefused
from brisk_core.exact import spell_bytes, spell_rate
from brisk_core.facts import keys
from brisk_web.decisions.models import Signature, standing
from brisk_web.decisions.services import void_what_changed
from brisk_web.handoff.companions import CompanionRefused, going_along, holding_back, take_captions
from brisk_web.handoff.doors import DoorClosed, DoorRefused
from brisk_web.handoff.looking import ask_for_look
from brisk_web.handoff.models import Destination, HandOff, Look
from brisk_web.handoff.opening import open_door
from brisk_web.handoff.secrets import seal
from brisk_web.handoff.sending import send
from brisk_web.house.services import record
from brisk_web.jobs.models import Render
from brisk_web.work import kernel
from brisk_web.work.models import Work


class HandOffRefused(Exception):
    """Something that cannot be handed over, with a sentence."""


@transaction.atomic
def keep_destination(destination: Destination, *, secret: str, by: User) -> Destination:
    """Save a destination that was filled in; an empty secret leaves the one it has."""
    is_new = destination.pk is None
    if secret:
        destination.secret = seal(secret)
    destination.save()
    verb, says = ("added", "Added") if is_new else ("changed", "Changed")
    record(f"destination.{verb}", destination, f"{says} the destination {destination}", by=by)
    return destination


def try_destination(destination: Destination) -> str:
    """Knock at a destination without sending anything; return what is found, as a sentence."""
    try:
        door = open_door(destination)
    except (DoorClosed, DoorRefused) as error:
        return str(error)
    try:
        free = door.free()
    except (DoorClosed, DoorRefused) as error:
        return str(error)
    finally:
        door.close()
    room = f" {free:,} bytes are free." if free is not None else ""
    return f"It answers, and lets the house in.{room}"


def signed_basis(render: Render) -> dict[str, Any]:
    """Return what the signatures under a render stand for; raises ``HandOffRefused`` where they are missing."""
    void_what_changed([render])
    signatures = list(standing(Signature.objects.filter(render=render)).order_by("made_at"))
    needed = 2 if render.deliverable.two_sign else 1
    if len({one.made_by_id for one in signatures}) < needed:
        raise HandOffRefused("It is not signed." if needed == 1 else "It is not signed by two people.")
    return {"digest": signatures[-1].digest, "checksum": signatures[-1].basis["file"]["checksum"]}


def name_for(render: Render, destination: Destination, day: date) -> str:
    """Return the name that a render gets over there; raises ``HandOffRefused`` where the rule cannot build one."""
    own = PurePosixPath(render.media_file.name)
    extension = "" if destination.manifests else own.suffix
    if destination.rule is None:
        return own.stem + extension
    try:
        return destination.rule.build(_values(render, day), extension)
    except ValueRefused as error:
        raise HandOffRefused(f"No name can be built for it: {error}.") from error


def _values(render: Render, day: date) -> dict[str, Any]:
    inspection = render.media_file.inspection
    facts = inspection.facts if inspection else None
    found: dict[str, Any] = {
        "title": render.deliverable.job.title,
        "deliverable": render.deliverable.name,
        "range": render.deliverable.range_text,
        "language": render.deliverable.language,
        "date": day,
        "attempt": render.attempt,
    }
    if facts is None:
        return found
    size, rate, scan = facts[keys.PICTURE_SIZE], facts[keys.PICTURE_FRAME_RATE], facts[keys.PICTURE_SCAN]
    if size:
        found |= {"size": f"{size[0]}x{size[1]}", "height": size[1]}
    if rate:
        found["rate"] = spell_rate(rate).replace(".", "")
    if scan:
        found["scan"] = "p" if scan == "progressive" else "i"
    return found | {"codec": facts[keys.PICTURE_CODEC]}


def rehearse(render: Render, destination: Destination, *, day: date | None = None) -> str:
    """Ask a destination whether a signed render could go there now, without sending anything; return what is found.

    Raises ``HandOffRefused`` where it may not go, as ``hand_over`` would.
    """
    signed_basis(render)
    if missing := holding_back(render.deliverable):
        raise HandOffRefused(f"It is not ready. {missing}")
    if destination.retired_at:
        raise HandOffRefused(f"{destination} is no longer offered.")
    name, media_file = name_for(render, destination, day or timezone.localdate()), render.media_file
    # A package has its manifests beside the file, some kilobytes that are not counted here.
    path = f"{name}/{name}{PurePosixPath(media_file.name).suffix}" if destination.manifests else name
    try:
        door = open_door(destination)
        try:
            free, there = door.free(), door.size_of(path)
        finally:
            door.close()
    except (DoorClosed, DoorRefused) as error:
        return f"It could not go now. {error}"
    told = [f"{path} would have {spell_bytes(media_file.size)}."]
    if there is not None:
        told.append(f"Something of that name is there already, with {spell_bytes(there)}; nothing is overwritten.")
    elif free is not None and free < media_file.size:
        told.append(f"There is no room for it: {spell_bytes(free)} are free.")
    else:
        told.append(
            "Nothing of that name is there" + (f", and {spell_bytes(free)} are free." if free is not None else ".")
        )
    if not destination.is_open(timezone.localtime().time()):
        told.append(f"It would wait until {destination.opens:%H:%M}.")
    return " ".join(told)


@transaction.atomic
def hand_over(render: Render, destination: Destination, *, by: User, day: date | None = None) -> HandOff:
    """Queue a signed render for a destination; raises ``HandOffRefused`` where it may not go there."""
    Render.objects.select_for_update(of=("self",)).get(pk=render.pk)
    basis = signed_basis(render)
    if destination.retired_at:
        raise HandOffRefused(f"{destination} is no longer offered.")
    if not destination.takes_renders:
        raise HandOffRefused(f"{destination} plays discs; a disc is sent from its own page.")
    if missing := holding_back(render.deliverable):
        raise HandOffRefused(f"It is not ready. {missing}")
    going = render.handoffs.filter(destination=destination).exclude(state__in=("cancelled", "failed"))
    if going.exclude(answer__in=HandOff.BACK).exists():
        raise HandOffRefused(f"It is on its way to {destination}, or there already.")
    name = name_for(render, destination, day or timezone.localdate())
    try:
        take_captions(render.deliverable, by=by)
    except CompanionRefused as error:
        raise HandOffRefused(str(error)) from error
    try:
        with transaction.atomic():
            row = HandOff.objects.create(
                render=render,
                destination=destination,
                name=name,
                checksum=basis["checksum"],
                digest=basis["digest"],
                along=[one.pk for one in going_along(render.deliverable)] if destination.brings_along else [],
                made_by=by,
            )
    except IntegrityError as error:
        raise HandOffRefused(f"{destination} has something under the name {name} already.") from error
    record("handoff.begun", row, f"Handed {render} over: {row}", by=by)
    send.knock(row.pk)
    return row


@transaction.atomic
def cancel(row: HandOff, *, by: User) -> bool:
    """Stop a hand-off that waits or is being sent; what lies over there under a temporary name stays there."""
    stopped = kernel.cancel(row)
    if stopped:
        record("handoff.cancelled", row, f"Cancelled sending {row}", by=by)
    return stopped


@transaction.atomic
def pause(row: HandOff, *, by: User) -> bool:
    """Stop sending for now; what has been sent stays and is gone on from."""
    waiting = HandOff.objects.filter(pk=row.pk, state__in=Work.ACTIVE, paused=False)
    done = bool(waiting.update(paused=True, state=Work.State.QUEUED, queued_at=Now(), says="paused"))
    if done:
        record("handoff.paused", row, f"Paused sending {row}", by=by)
    return done


@transaction.atomic
def go_on(row: HandOff, *, by: User) -> bool:
    """Go on with one that was paused, or try one again at once that waits or could not be sent."""
    resting = HandOff.objects.filter(pk=row.pk, state__in=(Work.State.QUEUED, Work.State.FAILED))
    values = {"paused": False, "not_before": None, "says": "", "failures": 0}
    try:
        done = send.let_wait(resting, row.pk, **values)
    except IntegrityError as error:
        raise HandOffRefused(f"{row.destination} has something under the name {row.name} by now.") from error
    if done:
        record("handoff.resumed", row, f"Went on sending {row}", by=by)
    return done


@transaction.atomic
def look_now(row: HandOff, *, by: User) -> Look | None:
    """Look at once at what the other side shows, whatever it answered before."""
    if row.state != Work.State.DONE:
        raise HandOffRefused("It has not been sent yet.")
    HandOff.objects.filter(pk=row.pk).update(answer="", answered_at=None)
    row.refresh_from_db()
    record("handoff.looked-at", row, f"Looked again at {row}", by=by)
    return ask_for_look(row)


#: What can be done to a hand-off on its way, by the names of buttons and calls.
CHANGES: Mapping[str, Callable[..., object]] = {"pause": pause, "go-on": go_on, "cancel": cancel, "look": look_now}
