"""A disc played outside: plan and files are sent to a player, and every way is walked there by the remote's keys."""

from __future__ import annotations

import json
from collections import deque
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from urllib.parse import urljoin

import requests
from django.contrib.auth.models import User
from django.db import transaction

from brisk_core.errors import PlanRefused
from brisk_core.handoff import digests_of
from brisk_core.plan.disc.items import Disc, Screen
from brisk_core.plan.disc.walk import KEYS, STOPPED, State, clip_of, read_state, step
from brisk_core.spec.document import read_document
from brisk_web.handoff.doors import PART, Door, DoorClosed, DoorRefused, bring
from brisk_web.handoff.models import Destination
from brisk_web.handoff.opening import open_door
from brisk_web.house.services import DecisionRefused, record
from brisk_web.planner.models import DiscTrial, Plan
from brisk_web.planner.services import disc_files, disc_of
from brisk_web.work.kernel import Claim, Overtaken, work

_MOST_STATES, _MOST_TOLD = 400, 20
_TIMEOUT_S, _LONGEST_ANSWER = 10, 1 << 16


@transaction.atomic
def try_outside(plan: Plan, destination: Destination, *, by: User) -> DiscTrial:
    """Queue a trial of a disc; raises ``DecisionRefused`` for what plays no disc, or where one is under way."""
    if destination.answers != Destination.Answers.PLAYER or destination.retired_at:
        raise DecisionRefused(f"{destination} plays no disc.")
    if plan.trials.filter(state__in=DiscTrial.ACTIVE).exists():
        raise DecisionRefused("It is being played already.")
    trial = DiscTrial.objects.create(plan=plan, destination=destination, made_by=by)
    record("disc.tried", plan, f"Sent the disc {plan.name} to {destination} to be played", by=by)
    play.knock(trial.pk)
    return trial


@work("handoff", DiscTrial, doing="playing a disc outside", priority=2, related=("plan", "destination"))
def play(claim: Claim[DiscTrial]) -> None:
    """Send a disc, put it in, and go every way."""
    trial = claim.row

    def stop() -> None:
        if claim.should_stop():
            raise Overtaken(f"{trial} was stopped")

    try:
        read = disc_of(trial.plan.asked)
        _send(trial, stop)
        player = _Player(trial.destination.asked_at)
        found = _walked(read, player, trial.folder, stop)
    except (DoorClosed, DoorRefused) as error:
        claim.fail(str(error))
        return
    except PlanRefused as error:
        claim.fail("; ".join(str(one) for one in error.mistakes) or str(error))
        return
    claim.end(**found)


def _send(trial: DiscTrial, stop: Callable[[], None]) -> None:
    """Send the files that the disc names, and its plan last: who sees the plan finds everything."""
    document = read_document(trial.plan.asked["text"])
    door = open_door(trial.destination)
    try:
        for file in disc_files(trial.plan.asked).values():
            _send_file(door, Path(file.url), f"{trial.folder}/{file.name}", stop)
        with TemporaryDirectory() as folder:
            plan = Path(folder) / "disc.json"
            plan.write_text(json.dumps(document, ensure_ascii=False, default=str), "utf-8")
            _send_file(door, plan, f"{trial.folder}/disc.json", stop)
    finally:
        door.close()


def _send_file(door: Door, source: Path, path: str, stop: Callable[[], None]) -> None:
    """Send one file and name it; raises ``DoorClosed`` or ``DoorRefused``."""
    if not source.is_file():
        raise DoorRefused(f"{source.name} is no longer where it was.")
    xxh128 = digests_of(source, ["xxh128"]).digests["xxh128"]
    bring(door, source, path, xxh128, sent=lambda _: stop(), checked=lambda _: stop())
    if door.size_of(path + PART) is not None:
        door.give_name(path + PART, path)


class _Player:
    """A player, used over HTTP."""

    def __init__(self, address: str) -> None:
        self._address = address if address.endswith("/") else f"{address}/"
        self._session = requests.Session()

    def ask(self, what: str, **body: str) -> dict[str, Any]:
        """Return what it answers; raises ``DoorClosed`` where nobody does, ``DoorRefused`` with its words."""
        try:
            answer = self._session.post(
                urljoin(self._address, what), json=body, timeout=_TIMEOUT_S, allow_redirects=False, stream=True
            )
            with answer:
                told = json.loads(answer.raw.read(_LONGEST_ANSWER, decode_content=True))
        except (requests.RequestException, OSError) as error:
            raise DoorClosed("The player does not answer.") from error
        except (ValueError, RecursionError) as error:
            raise DoorClosed("The player's answer cannot be read.") from error
        if not isinstance(told, dict) or answer.status_code != 200:
            words = str(told.get("error", "")) if isinstance(told, dict) else ""
            raise DoorRefused(f"The player says: {words[:200] or f'status {answer.status_code}'}.")
        return told


def _walked(read: Disc, player: _Player, folder: str, stop: Callable[[], None]) -> dict[str, Any]:
    """Go every way of the plan on the player; return what differs."""
    first = step(read, STOPPED, "insert")
    told = player.ask("insert", disc=folder)
    wrong: dict[str, None] = {}  # sentences in their order: places that look alike to a viewer are told once
    if told.get("at") != str(first):
        shows, should = _told_apart(read, told.get("at"), first)
        wrong[f"Put in, it shows {shows}; the plan starts with {should}."] = None
    unplayed: dict[str, str] = {}
    waiting, seen, ways = deque([first]), {first}, 0
    while waiting and len(seen) <= _MOST_STATES:
        stop()
        state = waiting.popleft()
        for key in KEYS[1:]:
            then = step(read, state, key)
            told, ways = player.ask("step", at=str(state), key=key), ways + 1
            if told.get("at") != str(then):
                goes, should = _told_apart(read, told.get("at"), then)
                wrong[f"{_words(read, state)}, {key}: it goes to {goes}; the plan goes to {should}."] = None
            clip = clip_of(read, then)
            if clip and told.get("wrong"):
                unplayed[clip.id] = f"{clip.name}: {str(told['wrong'])[:200]}."
            if then.item is not None and then not in seen:
                seen.add(then)
                waiting.append(then)
    whole = not waiting
    wrong |= dict.fromkeys(unplayed.values())
    if wrong:
        says = f"It does not play as planned: {len(wrong)} difference{'' if len(wrong) == 1 else 's'}."
    else:
        says = f"It goes {'all' if whole else 'the first'} {ways} ways as planned and plays every file that it has."
    return {"right": not wrong, "says": says, "wrong": list(wrong)[:_MOST_TOLD]}


def _words(read: Disc, state: State) -> str:
    item = read.by_id.get(state.item or "")
    if item is None:
        return "a stop"
    if isinstance(item, Screen) and state.button:
        return f"{item.name} (“{item.by_id[state.button].label}” lit)"
    return item.name


def _told_apart(read: Disc, at: Any, planned: State) -> tuple[str, str]:
    """A place of the player and the planned one in words; where both look alike, with where one came from."""
    try:
        shown = read_state(read, str(at))
    except PlanRefused:
        return "no place of the disc", _words(read, planned)
    goes, should = _words(read, shown), _words(read, planned)
    if goes != should:
        return goes, should
    came = [read.by_id[one.came].name if one.came else "nowhere" for one in (shown, planned)]
    return f"{goes}, from {came[0]}", f"{should}, from {came[1]}"
