"""The second look: what does the other side really show of what was sent? By itself, in growing pauses, and by hand."""

from __future__ import annotations

import json
import socket
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey
from django.db import transaction
from django.utils import timezone

from brisk_core.handoff import ServedItem
from brisk_web.handoff.copies import largest_wait, look_at_item
from brisk_web.handoff.doors import Door, DoorClosed, DoorRefused
from brisk_web.handoff.events import answered
from brisk_web.handoff.models import Destination, HandOff, Look, ServedCopy
from brisk_web.handoff.opening import open_door
from brisk_web.house.services import record
from brisk_web.work.kernel import Claim, Overtaken, work
from brisk_web.work.models import Work
from brisk_web.work.sweep import mender

_PAUSES_S = (3, 10, 30, 60, 300, 900, 3600)  # between looks; the last one again and again
_MOST_RECEIPT = 1 << 20
_TIMEOUT_S = 10
_MOST_LINES = 10_000
_LONGEST_LINE = 4096


@dataclass(frozen=True, slots=True, kw_only=True)
class Seen:
    """What a look saw."""

    answer: str  #: of ``HandOff.Answer``; empty for none yet
    says: str
    document: Any = None


@transaction.atomic
def ask_for_look(row: HandOff) -> Look | None:
    """Queue a look at a hand-off that was sent; ``None`` where one waits or runs already."""
    HandOff.objects.select_for_update(of=("self",)).get(pk=row.pk)
    if row.looked.filter(state__in=Work.ACTIVE).exists():
        return None
    HandOff.objects.filter(pk=row.pk).update(look_at=None)
    made = Look.objects.create(handoff=row)
    look.knock(made.pk)
    return made


def _ended(row: Look) -> None:
    """Keep what was seen, and look again later where there is no answer yet."""
    handoff = row.handoff
    if handoff.answer or handoff.state != Work.State.DONE:
        return
    says = row.error if row.state == Work.State.FAILED else row.says
    looks = handoff.looks + 1 if says == handoff.answer_says else 0  # where something moves, the next look is soon
    pause = _PAUSES_S[min(looks, len(_PAUSES_S) - 1)]
    HandOff.objects.filter(pk=handoff.pk, answer="").update(
        look_at=timezone.now() + timedelta(seconds=pause), looks=looks, answer_says=says
    )


@work("handoff", Look, doing="looking", priority=5, related=("handoff__destination", "handoff__render"), ended=_ended)
def look(claim: Claim[Look]) -> None:
    """Look at what the other side shows."""
    handoff = claim.row.handoff
    try:
        seen = _look(claim)
    except (DoorClosed, DoorRefused) as error:
        claim.fail(str(error))
        return
    with transaction.atomic():
        if seen.answer:
            _answer(handoff, seen)
        claim.end(says=seen.says)


def _answer(handoff: HandOff, seen: Seen) -> None:
    changed = HandOff.objects.filter(pk=handoff.pk, answer="", state=Work.State.DONE).update(
        answer=seen.answer,
        answer_says=seen.says,
        answer_document=seen.document,
        answered_at=timezone.now(),
        look_at=None,
    )
    if changed:
        handoff.refresh_from_db()
        record(f"handoff.{seen.answer}", handoff, f"{handoff}: {handoff.in_words}. {seen.says}")
        answered.send(sender=HandOff, handoff=handoff)


def _look(claim: Claim[Look]) -> Seen:
    handoff = claim.row.handoff
    destination = handoff.destination
    if destination.answers == Destination.Answers.COPIES:
        return _look_at_copies(claim)
    if destination.answers == Destination.Answers.DECK:
        return _look_at_deck(handoff)
    door = open_door(destination)
    try:
        if destination.answers == Destination.Answers.RECEIPT:
            return _look_for_receipt(handoff, door)
        return _look_for_file(handoff, door)
    finally:
        door.close()


def _look_for_file(handoff: HandOff, door: Door) -> Seen:
    """Nobody answers: the file is there under its name with its size, and was verified when it was sent."""
    path = handoff.name
    if handoff.destination.manifests:
        return Seen(answer="taken", says="The package is there; every file of it was read back.")
    size = door.size_of(path)
    if size is None:
        return Seen(answer="refused", says=f"{path} is no longer there.")
    if size != handoff.render.media_file.size:
        return Seen(
            answer="refused", says=f"{path} has {size:,} bytes now; {handoff.render.media_file.size:,} were sent."
        )
    return Seen(answer="taken", says="The file is there; it was read back when it was sent.")


def _look_for_receipt(handoff: HandOff, door: Door) -> Seen:
    """The intake writes NAME.receipt.json beside what it took or refused."""
    content = door.read(f"{handoff.name}.receipt.json", _MOST_RECEIPT)
    if content is None:
        return Seen(answer="", says="There is no receipt yet.")
    try:
        receipt = json.loads(content)
        body, answer = receipt["body"], receipt["body"]["answer"]
        reasons = [str(one) for one in body.get("reasons", [])]
        named, checksum = body["name"], body["xxh128"]
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
        return Seen(answer="", says="There is a receipt, but it cannot be read; ask them for another one.")
    if answer not in ("taken", "refused"):
        return Seen(
            answer="", says=f"The receipt says {str(answer)[:40]!r}; expected taken or refused.", document=receipt
        )
    key = handoff.destination.receipt_key
    if key and not _is_signed(body, str(receipt.get("signature", "")), key):
        return Seen(answer="", says="The signature of the receipt is not theirs; ask them.", document=receipt)
    if (named, checksum) != (handoff.name, handoff.checksum):
        says = "The receipt is about another file: its name or checksum is not the one that was sent."
        return Seen(answer="", says=says, document=receipt)
    unsigned = "" if key else " The receipt's signature was not checked: no key is kept."
    if answer == "refused":
        return Seen(answer=answer, says=("; ".join(reasons) or "They give no reason.") + unsigned, document=receipt)
    return Seen(
        answer=answer, says=f"They took it, receipt {str(body.get('number', ''))[:40]}.{unsigned}", document=receipt
    )


def _is_signed(body: Any, signature: str, key: str) -> bool:
    """Was a receipt signed by the holder of a key? Over its body as JSON with sorted keys and no spaces."""
    told = json.dumps(body, sort_keys=True, separators=(",", ":"), ensure_ascii=False).encode()
    try:
        Ed25519PublicKey.from_public_bytes(bytes.fromhex(key)).verify(bytes.fromhex(signature), told)
    except (ValueError, InvalidSignature):
        return False
    return True


def _look_at_copies(claim: Claim[Look]) -> Seen:
    """Ask the site, and judge each of its copies; taken when all of them are there and right."""
    handoff = claim.row.handoff

    def stop() -> None:
        if claim.should_stop():
            raise Overtaken(f"{claim.row} was stopped")

    item = look_at_item(handoff, stop)
    if item is None:
        return Seen(answer="refused", says="The site no longer has it.")
    if item.state == "refused":
        return Seen(answer="refused", says="; ".join(item.reasons) or "They give no reason.")
    copies = list(handoff.copies.filter(label__in=[one.label for one in item.copies]))
    wrong = [one for one in copies if one.outcome == ServedCopy.Outcome.FAIL]
    if wrong:
        return Seen(answer="wrong", says=f"Its copy {wrong[-1].label} is not what was signed. {wrong[-1].says}")
    open_ones = [one for one in copies if not one.outcome]
    if item.state != "ready" or open_ones or not copies:
        return Seen(answer="", says=_still_coming(handoff, item, copies))
    unknown = [one for one in copies if one.outcome == ServedCopy.Outcome.NOT_MEASURED]
    if unknown:
        return Seen(answer="", says=f"Its copy {unknown[-1].label} could not be judged. {unknown[-1].says}")
    last = max((wait for one in copies if (wait := one.waited_s) is not None), default=None)
    after = f", the last one after {spell_wait(last)}" if last is not None else ""
    shows = "shows" if len(copies) == 1 else "show"
    all_of = {1: "Its copy is", 2: "Both copies are"}.get(len(copies), f"All {len(copies)} copies are")
    doubts = [f"{one.label}: {one.says}" for one in copies if one.outcome == ServedCopy.Outcome.CAUTION]
    look = f" Worth a look: {doubts[-1]}" if doubts else ""
    return Seen(answer="taken", says=f"{all_of} there and {shows} what was signed{after}.{look}")


def _still_coming(handoff: HandOff, item: ServedItem, copies: list[ServedCopy]) -> str:
    """What is there of a site's copies, and how long the largest took of late."""
    ready = [one for one in item.copies if one.is_ready]
    if item.state == "checking" or not copies:
        return "The site is checking it; none of its copies is there yet."
    says = f"{len(ready)} of {len(item.copies)} copies are there"
    right = sum(one.outcome in (ServedCopy.Outcome.PASS, ServedCopy.Outcome.CAUTION) for one in copies)
    unknown = sum(one.outcome == ServedCopy.Outcome.NOT_MEASURED for one in copies)
    says += f", {right} looked at and right so far" if right else "; none has been found right yet"
    says += f", {unknown} could not be judged." if unknown else "."
    largest = item.largest
    if largest is not None and not largest.is_ready:
        usual = largest_wait(handoff)
        says += f" The largest, {largest.label}, is not there yet"
        says += f"; of late it took {spell_wait(usual)}." if usual is not None else "."
    return says


def spell_wait(seconds: float) -> str:
    """Return such as 40 s, 31 minutes or 2 h 5 min."""
    whole = max(round(seconds), 0)
    if whole < 90:
        return f"{whole} s"
    minutes = round(whole / 60)
    return f"{minutes} minutes" if minutes < 90 else f"{minutes // 60} h {minutes % 60} min"


def _look_at_deck(handoff: HandOff) -> Seen:
    """Have the deck read its card again, ask for its list, and cue the first frame."""
    with _Deck(handoff.destination.asked_at) as deck:
        before = deck.listed()
        deck.ask("RELOAD")
        after = deck.listed()
        setting = deck.ask("SETTING")
        if handoff.name not in after:
            says = f"The deck does not list it, even after reading its card again. It is set to {setting}"
            similar = next((one for one in after if one and handoff.name.startswith(one.rpartition(".")[0])), "")
            return Seen(answer="refused", says=f"{says}{f'; it lists {similar}' if similar else ''}.")
        cued = deck.ask(f"CUE {handoff.name}")
    if not cued.startswith("0"):
        return Seen(answer="refused", says=f"The deck lists it but cannot cue its first frame: {cued}.")
    late = "" if handoff.name in before else " It was listed only after the card was read again."
    return Seen(answer="taken", says=f"The deck lists it and stands on its first frame.{late}")


class _Deck:
    """The line protocol of a deck: a word and its argument on a line; an answer begins with OK or NO."""

    def __init__(self, address: str) -> None:
        host, _, port = address.rpartition(":")
        try:
            self._socket = socket.create_connection((host, int(port)), timeout=_TIMEOUT_S)
        except (OSError, ValueError, OverflowError) as error:
            raise DoorClosed(f"The deck at {address} does not answer.") from error
        self._file = self._socket.makefile("rwb")

    def __enter__(self) -> _Deck:
        return self

    def __exit__(self, *_: object) -> None:
        self._file.close()
        self._socket.close()

    def _line(self) -> str:
        try:
            line = self._file.readline(_LONGEST_LINE)
        except OSError as error:
            raise DoorClosed("The deck broke off.") from error
        if not line:
            raise DoorClosed("The deck broke off.")
        return line.decode("utf-8", "replace").rstrip("\r\n")

    def ask(self, words: str) -> str:
        """Return what follows OK; raises ``DoorRefused`` with what follows NO."""
        try:
            self._file.write(f"{words}\r\n".encode())
            self._file.flush()
        except OSError as error:
            raise DoorClosed("The deck broke off.") from error
        told = self._line()
        state, _, rest = told.partition(" ")
        if state == "OK":
            return rest
        raise DoorRefused(f"The deck says: {rest or told}.")

    def listed(self) -> list[str]:
        """Return the names of the clips that the deck lists."""
        self.ask("LIST")
        found: list[str] = []
        while (line := self._line()) != ".":
            found.append(line)
            if len(found) > _MOST_LINES:
                raise DoorRefused("The list of the deck has no end.")
        return found


@mender
def look_again() -> int:
    """Queue the looks that are due; return how many."""
    due = HandOff.objects.filter(state=Work.State.DONE, answer="", look_at__lte=timezone.now())
    return sum(ask_for_look(row) is not None for row in due)
