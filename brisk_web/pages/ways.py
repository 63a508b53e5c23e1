"""The way of a deliverable in words: its state, who has it, what is next; on the Desk, on a job, on a check."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import cast

from django.urls import reverse

from brisk_web.handoff.states import State, with_state
from brisk_web.house.services import name_of
from brisk_web.jobs.models import Deliverable


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """What a person can do next."""

    label: str
    address: str
    key: str  #: on the Check
    main: bool = False  #: is it what is expected?


@dataclass(frozen=True, slots=True, kw_only=True)
class Way:
    """Where a deliverable stands."""

    state: str  #: of ``State``
    words: str
    who: str  #: who has it, in words
    holder: str  #: the person of the house who looks after it; empty for none
    since: datetime | None
    next: Step | None  #: what the house does next; ``None`` where it waits

    @property
    def is_decided(self) -> bool:
        """Has somebody decided about the newest attempt?"""
        return self.state not in (State.WAITING, State.READING, State.DECIDING)


def way_of(deliverable: Deliverable, check_id: int | None, *, verdict: str | None = None) -> Way:
    """Return where a deliverable of ``with_state`` stands; ``check_id`` is that of its newest attempt."""
    state = cast("str", deliverable.state)  # type: ignore[attr-defined]
    return Way(
        state=state,
        words=State(state).label,
        who=_who(deliverable, state),
        holder=name_of(deliverable.assigned_to) if deliverable.assigned_to else "",
        since=deliverable.since,  # type: ignore[attr-defined]
        next=_next(deliverable, state, verdict, check_id),
    )


def one_way(deliverable_id: int, check_id: int, verdict: str) -> Way:
    """Return where one deliverable stands, asked of the database."""
    found = with_state(Deliverable.objects.select_related("assigned_to")).get(pk=deliverable_id)
    return way_of(found, check_id, verdict=verdict)


def _who(deliverable: Deliverable, state: str) -> str:
    if state in (State.WAITING, State.ASKED):
        return f"with {deliverable.rendered_by or 'the editor'}"
    if state == State.READING:
        return "the house reads it"
    if state in (State.SENDING, State.WITH_THEM, State.TAKEN):
        return ""
    return f"with {name_of(deliverable.assigned_to)}" if deliverable.assigned_to else "nobody has it yet"


def _next(deliverable: Deliverable, state: str, verdict: str | None, check_id: int | None) -> Step | None:
    if check_id is None:
        return None
    if state == State.DECIDING and verdict == "fail":
        return Step(label="Ask again", address=reverse("ask-again", args=[check_id]), key="a", main=True)
    if state == State.DECIDING and verdict == "pass":
        return Step(label="Sign", address=reverse("sign", args=[check_id]), key="s", main=True)
    if state == State.DECIDING:
        return Step(label="Decide", address=reverse("check", args=[check_id]), key="", main=True)
    if state == State.HALF_SIGNED:
        return Step(label="Sign too", address=reverse("sign", args=[check_id]), key="s", main=True)
    if state == State.SIGNED:
        return Step(label="Hand over", address=reverse("hand-over", args=[deliverable.pk]), key="", main=True)
    if state in (State.REFUSED, State.WRONG):
        return Step(label="Decide", address=reverse("check", args=[check_id]), key="", main=True)
    if state not in (State.WAITING, State.READING):
        return Step(label="Open", address=reverse("deliverable", args=[deliverable.pk]), key="")
    return None


def steps_of(check_id: int, deliverable_id: int, way: Way, *, attempt: int) -> list[Step]:
    """Return what can be done with the newest attempt of a deliverable, what is expected first."""
    deciding = way.state in (State.DECIDING, State.HALF_SIGNED, State.REFUSED, State.WRONG)
    asks = way.next is not None and way.next.label == "Ask again"
    signs = way.next is not None and way.next.key == "s"
    steps = []
    if deciding or way.state == State.ASKED:
        label = f"Ask for attempt {attempt + 1}" if deciding else "Ask anew"
        steps.append(Step(label=label, address=reverse("ask-again", args=[check_id]), key="a", main=asks))
    if deciding:
        steps.append(Step(label="Sign", address=reverse("sign", args=[check_id]), key="s", main=signs))
    if way.state in (State.SIGNED, State.REFUSED, State.WRONG):
        hand_over = reverse("hand-over", args=[deliverable_id])
        steps.append(Step(label="Hand over", address=hand_over, key="h", main=way.state == State.SIGNED))
    steps.append(Step(label="Watch", address=reverse("watch", args=[check_id]), key="w"))
    return sorted(steps, key=lambda step: not step.main)
