"""Verbs of decisions: waive, ask again, watch, sign, take back; and what a signature stands for."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from brisk_core.decide import (
    SIGNED_SCHEMA,
    Basis,
    Seen,
    Ticked,
    answer_points,
    digest_of,
    digest_of_findings,
    share_seen,
    value_of,
    what_changed,
    why_not_signed,
    why_not_waivable,
)
from brisk_core.decide import Point as Asked
from brisk_core.facts import Depth, keys
from brisk_web.checks.models import Check, Finding, Waiver
from brisk_web.checks.services import judge, waivers_of
from brisk_web.decisions.events import signature_voided
from brisk_web.decisions.models import Point, Request, Signature, Watching, standing
from brisk_web.house import services as house
from brisk_web.house.models import Decision
from brisk_web.house.services import DecisionRefused, name_of, record
from brisk_web.inspections.models import Inspection
from brisk_web.jobs.models import Render

_MAY_WAIVE_MUST = "checks.waive_must"
_MAY_TAKE_BACK_ANY = "checks.take_back_any"
#: Decisions by the names of their kinds, each with the permission to make one and to take it back.
KINDS: dict[str, tuple[type[Decision], str]] = {
    "request": (Request, "decisions.add_request"),
    "waiver": (Waiver, "checks.add_waiver"),
    "watching": (Watching, "decisions.add_watching"),
    "signature": (Signature, "decisions.add_signature"),
}


# Waivers.


@transaction.atomic
def waive(
    check: Check, line: str, reason: str, *, by: User, whole_deliverable: bool = False, until: date | None = None
) -> Waiver:
    """Accept what a line found, for this check or for every attempt at its deliverable, until a day.

    Raises ``DecisionRefused`` where the line is not to be waived by this person, and without a reason.
    """
    finding = Finding.objects.select_for_update().filter(check_record=check, line=line).first()
    if finding is None:
        raise DecisionRefused("This line is not judged in this check.")
    refused = why_not_waivable(finding.document, lead=by.has_perm(_MAY_WAIVE_MUST))
    if refused:
        raise DecisionRefused(refused)
    if not reason.strip():
        raise DecisionRefused("Say why it is accepted: whoever reads the report will ask.")
    if until is not None and until < timezone.localdate():
        raise DecisionRefused(f"{until:%-d %B %Y} has passed; the last day lies in the past.")
    if whole_deliverable and check.render is None:
        raise DecisionRefused("This file was taken in for no deliverable; it can be waived for this check only.")
    waiver = Waiver.objects.create(
        check_record=None if whole_deliverable else check,
        deliverable=check.render.deliverable if whole_deliverable and check.render else None,
        line=line,
        label=finding.label,
        value=value_of(finding.document),
        found=finding.document["found"],
        was=finding.outcome,
        reason=reason.strip(),
        until=until,
        made_by=by,
    )
    where = f"in all attempts at {waiver.deliverable}" if waiver.deliverable else f"in {check}"
    end = f", until {until:%-d %B %Y}" if until else ""
    record("waiver.given", waiver, f"Waived “{finding.label}” {where}{end}: {waiver.reason}", by=by)
    _judge_by(waiver)
    return waiver


def _judge_by(waiver: Waiver) -> None:
    """Judge the checks that a waiver speaks for."""
    of_deliverable = waiver.deliverable_id is not None
    mine = Q(render__deliverable=waiver.deliverable_id) if of_deliverable else Q(pk=waiver.check_record_id)
    for check in Check.objects.filter(mine):
        judge(check)


def end_waivers() -> int:
    """Judge anew what waivers covered whose last day has passed; return how many ended."""
    over = Waiver.objects.filter(taken_back_at=None, ended_at=None, until__lt=timezone.localdate())
    ended = 0
    for waiver in over.select_related("check_record", "deliverable__job"):
        with transaction.atomic():
            if Waiver.objects.filter(pk=waiver.pk, ended_at=None).update(ended_at=timezone.now()):
                record("waiver.ended", waiver, f"The last day of {waiver} has passed")
                _judge_by(waiver)
                ended += 1
    return ended


# Asking again.


@transaction.atomic
def ask_again(render: Render, points: Sequence[Asked], *, words: str, sent_to: str, by: User) -> Request:
    """Ask for another render. A request that was made for this render before is replaced.

    Raises ``DecisionRefused`` without any point, and for a render that is not the newest.
    """
    deliverable = render.deliverable
    if deliverable.renders.filter(attempt__gt=render.attempt).exists():
        raise DecisionRefused("A newer attempt is there; ask about that one.")
    if standing(render.signatures.all()).exists():
        raise DecisionRefused("This render is signed. Take the signature back first.")
    if not points:
        raise DecisionRefused("Nothing is asked: keep a point, or write one.")
    for earlier in render.requests.filter(taken_back_at=None):
        house.take_back(earlier, "asked anew", lead=True, by=by)
    request = Request.objects.create(render=render, words=words.strip(), sent_to=sent_to, made_by=by)
    Point.objects.bulk_create(
        Point(
            request=request,
            position=position,
            line=point.line,
            label=point.label,
            found=point.found,
            change=point.change,
            places=[list(place) for place in point.places],
        )
        for position, point in enumerate(points)
    )
    many = "1 point" if len(points) == 1 else f"{len(points)} points"
    record("request.made", request, f"Asked for another render after {render}, {many}", by=by)
    return request


@dataclass(frozen=True, slots=True, kw_only=True)
class Answered:
    """What a later attempt made of a request."""

    request: Request
    later: Render
    points: list[tuple[Point, Ticked]]
    broken: list[str]  #: labels of lines that passed before

    @property
    def mended(self) -> int:
        """How many points are mended, by measure or by a person's word."""
        return sum((point.by_hand or ticked.answer.value) == "mended" for point, ticked in self.points)


def answered(request: Request) -> Answered | None:
    """Hold the newest later attempt against a request; ``None`` while there is none, or while it is not judged."""
    render = request.render
    later = render.deliverable.renders.filter(attempt__gt=render.attempt).order_by("-attempt").first()
    if later is None or not later.check_record.verdict:
        return None
    documents = [[one.document for one in attempt.check_record.findings.all()] for attempt in (render, later)]
    points = list(request.points.all())
    ticked, broken = answer_points([point.asked for point in points], *documents)
    return Answered(request=request, later=later, points=list(zip(points, ticked, strict=True)), broken=broken)


@transaction.atomic
def answer_by_hand(point: Point, answer: str, *, by: User) -> None:
    """Say of a point what a person saw in the next attempt; an empty answer takes it back."""
    if answer and answer not in Point.ByHand.values:
        raise DecisionRefused(f"A point is mended or not mended, not {answer!r}.")
    point.by_hand, point.by_hand_of = answer, by if answer else None
    point.save(update_fields=["by_hand", "by_hand_of"])
    record("point.answered", point, f"Said of “{point.label}”: {answer or 'nothing'}", by=by)


# Watching.


@transaction.atomic
def watched(render: Render, start: int, end: int, *, says: str = "", line: str = "", by: User) -> Watching:
    """Keep that somebody watched frames ``start`` to ``end`` (the first after) of a render, and what they saw.

    Raises ``DecisionRefused`` for frames that the file does not have.
    """
    frames = frames_of(render.check_record)
    if not 0 <= start < end <= frames:
        raise DecisionRefused(f"The file has frames 0 to {frames}; {start} to {end} is no stretch of it.")
    if line and not says.strip():
        raise DecisionRefused("Say what you saw: it stands in the place of a measurement.")
    row = Watching.objects.create(render=render, start=start, end=end, line=line, says=says.strip(), made_by=by)
    record("watching.done", row, f"Watched frames {start} to {end} of {render}", by=by)
    return row


def frames_of(check: Check) -> int:
    """Return how many frames a check's file has, 0 while that is not known."""
    inspection = check.media_file.inspection
    facts = inspection.facts if inspection else None
    return (facts[keys.PICTURE_FRAME_COUNT] or 0) if facts else 0


def seen_of(render: Render) -> list[Seen]:
    """Return what people watched of a render and have not taken back."""
    rows = render.watchings.filter(taken_back_at=None).select_related("made_by")
    return [Seen(start=row.start, end=row.end, by=name_of(row.made_by)) for row in rows]


# Signing.


def basis_of(render: Render) -> Basis:
    """Return all that a signature under a render would stand for now."""
    check = Check.objects.select_related(
        "media_file__inspection", "master__inspection", "spec_version__spec", "timeline"
    ).get(render=render)
    inspection = check.media_file.inspection
    master = check.master.inspection if check.master else None
    edit: dict[str, Any] = {}
    if check.timeline:
        digest = digest_of(check.timeline.document)
        edit = {"timeline": check.timeline.name, "digest": digest, "start": check.range_start, "end": check.range_end}
    return Basis(
        schema=SIGNED_SCHEMA,
        file={
            "name": check.media_file.name,
            "size": check.media_file.size,
            "checksum": inspection.checksum if inspection else "",
        },
        spec={"id": check.spec_version.spec.slug, "version": check.spec_version.number},
        edit=edit,
        master=master.checksum if master else "",
        findings=digest_of_findings(row.document for row in check.findings.all()),
        waivers=[
            {
                "line": one.line,
                "reason": one.reason,
                "by": name_of(one.made_by),
                "until": one.until.isoformat() if one.until else None,
            }
            for one in waivers_of(check).filter(ended_at=None).order_by("pk")
        ],
        watched=[
            {"start": one.start, "end": one.end, "line": one.line, "by": name_of(one.made_by)}
            for one in render.watchings.filter(taken_back_at=None).select_related("made_by").order_by("pk")
        ],
        engine=check.engine,
    )


def why_not_sign(render: Render, *, by: User) -> list[str]:
    """Return what stands between a render and a person's signature, as sentences; empty if nothing does."""
    check = Check.objects.select_related("media_file__inspection").get(render=render)
    inspection = check.media_file.inspection
    blocked = why_not_signed(
        [row.document for row in check.findings.all()],
        reading=_reading(inspection),
        checksum=inspection.checksum if inspection else "",
        seen_lines=render.watchings.filter(taken_back_at=None).exclude(line="").values_list("line", flat=True),
        unseen_pictures=_unseen(render, check),
    )
    if render.deliverable.renders.filter(attempt__gt=render.attempt).exists():
        blocked.append("A newer attempt is there; only the newest can be signed.")
    if render.requests.filter(taken_back_at=None).exists():
        blocked.append("Another render was asked for. Take the request back first.")
    if standing(render.signatures.filter(made_by=by)).exists():
        blocked.append("You have signed it." + (" A second person has to." if render.deliverable.two_sign else ""))
    elif standing(render.signatures.all()).exists() and not render.deliverable.two_sign:
        blocked.append("It is signed.")
    return blocked


def _reading(inspection: Inspection | None) -> str:
    if inspection is None:
        return "The file has not been read yet."
    if inspection.is_active:
        return "The file is still being read."
    if inspection.state == Inspection.State.FAILED:
        return f"The file cannot be read: {inspection.error}"
    if inspection.state == Inspection.State.CANCELLED:
        return "Reading the file was cancelled. Have it inspected again."
    return ""


def _unseen(render: Render, check: Check) -> bool:
    """Has neither a meter nor a person looked at all of the pictures?"""
    inspection = check.media_file.inspection
    facts = inspection.facts if inspection else None
    frames = frames_of(check)
    return bool(facts and facts.depth is not Depth.FULL and frames and share_seen(seen_of(render), [(0, frames)]) < 1)


@transaction.atomic
def sign(render: Render, *, words: str = "", by: User) -> Signature:
    """Sign a render, over what is known of it now. Raises ``DecisionRefused`` with all that stands in the way."""
    Render.objects.select_for_update(of=("self",)).get(pk=render.pk)
    blocked = why_not_sign(render, by=by)
    if blocked:
        raise DecisionRefused(" ".join(blocked))
    basis = basis_of(render)
    row = Signature.objects.create(render=render, basis=basis, digest=digest_of(basis), words=words.strip(), made_by=by)
    record("render.signed", row, f"Signed {render}, digest {row.digest[:16]}", by=by)
    return row


def void_what_changed(renders: Iterable[Render]) -> int:
    """Void the signatures under some renders that no longer stand for what is there; return how many."""
    voided = 0
    signed = standing(Signature.objects.filter(render__in=list(renders))).select_related("render__deliverable")
    for row in signed:
        changed = what_changed(row.basis, basis_of(row.render))
        if changed:
            row.voided_at, row.voided_why = timezone.now(), "; ".join(changed)
            row.save(update_fields=["voided_at", "voided_why"])
            record("signature.voided", row, f"Voided {row}: {row.voided_why}")
            signature_voided.send(sender=Signature, signature=row)
            voided += 1
    return voided


# Taking back.


@transaction.atomic
def take_back(row: Decision, why: str, *, by: User) -> None:
    """Take a decision back, with a reason; what a waiver covered is judged anew. Raises ``DecisionRefused``."""
    if isinstance(row, Watching) and standing(row.render.signatures.all()).exists():
        raise DecisionRefused("The render is signed on this word. Take the signature back first.")
    house.take_back(row, why, lead=by.has_perm(_MAY_TAKE_BACK_ANY), by=by)
    if isinstance(row, Waiver):
        _judge_by(row)
