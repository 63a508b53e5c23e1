"""Verbs of plans: work one out, keep one with a job, write a disc anew."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from brisk_core.errors import SpecRefused
from brisk_core.exact import spell_bit_rate, spell_bytes
from brisk_core.facts import Inspection as Facts
from brisk_core.facts import keys
from brisk_core.handoff import usual_wait
from brisk_core.plan.bits_document import Render, plan_bits
from brisk_core.plan.deck import DeckClip
from brisk_core.plan.deck_document import plan_deck
from brisk_core.plan.disc.answer import answer_disc
from brisk_core.plan.disc.document import DiscFile, named_files, read_disc
from brisk_core.plan.disc.items import Disc
from brisk_core.plan.order_document import plan_order
from brisk_core.plan.plays import PLAYER_FAMILY, plan_plays
from brisk_core.plan.rates_document import plan_rates
from brisk_core.plan.settings import planned_inspection
from brisk_core.plan.sizes_document import plan_sizes
from brisk_core.plan.target import plan_target
from brisk_core.reading.shown import difference_of_pictures
from brisk_core.spec import Spec
from brisk_core.spec.document import read_document
from brisk_web.handoff.models import ServedCopy
from brisk_web.house.services import record
from brisk_web.inspections.models import Inspection
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.planner.models import Plan
from brisk_web.shelf.models import SpecVersion, newest_published
from brisk_web.storage.models import MediaFile

_MEASURED = 300  # newest inspections that sizes are learnt from
MOST_FILES = 200  # of a plan
_COPIES = 100  # newest copies of sites that delays are learnt from
_MOST_UNDONE = 20  # changes of a disc that can be taken back


def answer(kind: str, asked: Mapping[str, Any], *, version: SpecVersion | None = None) -> dict[str, Any]:
    """Return the answer to a plan. Raises ``PlanRefused`` with every mistake.

    Beside what the core asks, ``asked`` may hold ``media`` (ids of files) and ``versions`` (ids of versions of specs);
    ``job`` is that whose renders a plan of bits is held
    against; a disc is its ``text``, whose clips name files of the house.
    """
    rest = {name: value for name, value in asked.items() if name not in ("media", "versions", "job")}
    match kind:
        case Plan.Kind.SIZES:
            return plan_sizes(rest, bits_of_renders())
        case Plan.Kind.RATES:
            return plan_rates(rest)
        case Plan.Kind.ORDER:
            versions = SpecVersion.objects.filter(pk__in=asked.get("versions", [])).select_related("spec")
            return plan_order(rest, [one.parsed() for one in versions.order_by("spec__family", "spec__name")])
        case Plan.Kind.PLAYS:
            return plan_plays(
                rest, [one.parsed() for one in players()], [(file.name, one) for file, one in _read(asked)]
            )
        case Plan.Kind.TARGET:
            files = [(file.name, one) for file, one in _read(asked)]
            if version is None:
                return plan_target(rest, None, files)
            return plan_target(rest, version.parsed(), files, learnt_delays(version))
        case Plan.Kind.DECK:
            return plan_deck(rest, [_deck_clip(file, facts) for file, facts in _read(asked)])
        case Plan.Kind.DISC:
            return answer_disc(disc_of(asked), newest_specs())
        case _:
            return plan_bits(rest, version.parsed() if version else None, _renders(asked))


def _renders(asked: Mapping[str, Any]) -> dict[str, Render]:
    """The newest renders of a job by the names of its deliverables, where a plan asks how long a viewer waits."""
    if not asked.get("line") or not asked.get("job"):
        return {}
    found = {}
    deliverables = Deliverable.objects.filter(job=asked["job"]).prefetch_related("renders__media_file__inspection")
    for one in deliverables:
        newest = next(iter(one.renders.all()), None)
        inspection = newest.media_file.inspection if newest else None
        series = inspection.load_series() if inspection else None
        if newest and inspection and inspection.facts and series:
            first = inspection.facts[keys.WRAPPER_INDEX_FIRST] is not False
            found[one.name] = Render(series=series, size=newest.media_file.size, index_first=first)
    return found


def players() -> list[SpecVersion]:
    """The newest version of each player's profile, by name."""
    return [one for one in newest_published() if one.spec.family == PLAYER_FAMILY]


def with_ladders() -> list[SpecVersion]:
    """The newest version of each spec that says what becomes of a file over there, by family and name."""
    said = (one for one in newest_published() if {"ladder", "extends"} & set(one.document))
    return [one for one in said if one.parsed().ladder]


def learnt_delays(version: SpecVersion) -> dict[str, float]:
    """Seconds after which the copies of hand-offs by a spec played of late, by their labels: the middle of three."""
    sent = ServedCopy.objects.filter(
        handoff__render__deliverable__spec_version__spec=version.spec, ready_at__isnull=False
    ).select_related("handoff")
    waits: dict[str, list[float]] = defaultdict(list)
    for copy in sent.order_by("-handoff_id")[:_COPIES]:
        if (waited := copy.waited_s) is not None:
            waits[copy.label].append(max(waited, 0))
    return {label: usual for label, one in waits.items() if (usual := usual_wait(one)) is not None}


def newest_specs() -> dict[str, Spec]:
    """The newest version of each spec by its id."""
    return {one.spec.slug: one.parsed() for one in newest_published()}


def _read(asked: Mapping[str, Any]) -> list[tuple[MediaFile, Facts]]:
    """The files that a plan names with their facts, in its order; nothing is known of one that was not read yet."""
    ids = list(asked.get("media", []))[:MOST_FILES]
    by_id = {file.pk: file for file in MediaFile.objects.filter(pk__in=ids).select_related("inspection")}
    files = [by_id[one] for one in ids if one in by_id]
    return [(file, (file.inspection and file.inspection.facts) or planned_inspection()) for file in files]


def _deck_clip(file: MediaFile, facts: Facts) -> DeckClip:
    """A clip, with its first and last picture held against each other where the scan kept both."""
    frames, ends = facts[keys.PICTURE_FRAME_COUNT] or 0, None
    if file.inspection and frames > 1 and {0, frames - 1} <= set(file.inspection.small_numbers):
        first, last = file.inspection.small_picture(0), file.inspection.small_picture(frames - 1)
        ends = difference_of_pictures(first, last)
    return DeckClip(name=file.name, facts=facts, ends=ends)


def bits_of_renders() -> dict[str, list[float]]:
    """The bits a pixel of the house's newest renders, by codec."""
    found: dict[str, list[float]] = defaultdict(list)
    newest = Inspection.objects.filter(document__isnull=False).order_by("-pk")[:_MEASURED]
    for facts in (one.facts for one in newest):
        codec, bits = (facts[key] if facts else None for key in (keys.PICTURE_CODEC, keys.BITRATE_BITS_PER_PIXEL))
        if isinstance(codec, str) and isinstance(bits, float):
            found[codec].append(bits)
    return found


def disc_of(asked: Mapping[str, Any]) -> Disc:
    """Read the disc of a plan, whose clips may name files of the house. Raises ``PlanRefused`` with every mistake."""
    files = {}
    for name, file in disc_files(asked).items():
        inspection = file.inspection
        if inspection and inspection.facts:
            series = inspection.load_series()
            files[name] = DiscFile(inspection=inspection.facts, entries=series.entry_frames() if series else None)
    return read_disc(str(asked.get("text", "")), files)


def disc_files(asked: Mapping[str, Any]) -> dict[str, MediaFile]:
    """The files that a disc names, by their names: of several with one name the newest."""
    try:
        names = named_files(read_document(str(asked.get("text", ""))))
    except SpecRefused:
        return {}  # reading the disc itself tells what is wrong
    files = MediaFile.objects.filter(name__in=list(names)[:MOST_FILES]).select_related("inspection").order_by("pk")
    return {file.name: file for file in files}


def files_of(job: Job) -> list[MediaFile]:
    """The newest file of each deliverable of a job, in the order of its deliverables."""
    deliverables = job.deliverables.prefetch_related("renders__media_file__inspection")
    newest = (next(iter(one.renders.all()), None) for one in deliverables)
    return list({one.media_file.pk: one.media_file for one in newest if one}.values())


def disagreements(plan: Plan, rendered: Mapping[str, MediaFile]) -> list[str]:
    """Say where renders go beyond their plan: those over the size that was planned for them, by the name of the file,
    and all together over the cap. ``rendered`` holds the newest render of each name. Only a plan of bits tells sizes.
    """
    if plan.kind != Plan.Kind.BITS:
        return []
    rows = [row for row in plan.document["files"] if row["name"] in rendered]
    found = []
    for row in rows:
        file = rendered[row["name"]]
        facts = file.inspection.facts if file.inspection else None
        rate = facts[keys.BITRATE_AVERAGE] if facts else None
        if file.size > row["size"]:
            rates = f"planned {spell_bit_rate(row['picture_rate'])}, rendered {spell_bit_rate(rate)}: " if rate else ""
            over = f"{spell_bytes(file.size - row['size'])} more than planned"
            found.append(f"{row['name']}: {rates}{over}")
    total = sum(rendered[row["name"]].size for row in rows)
    if len(rows) == len(plan.document["files"]) and total > plan.document["cap"]:
        found.append(f"over the cap by {spell_bytes(total - plan.document['cap'])}")
    return found


@transaction.atomic
def keep(
    job: Job,
    name: str,
    asked: Mapping[str, Any],
    version: SpecVersion | None,
    *,
    by: User | None,
    kind: str = Plan.Kind.BITS,
    query: str = "",
) -> Plan:
    """Keep a plan with a job, with the answer of now; ``query`` is that of the address that asks it.

    Raises ``PlanRefused`` for one that cannot be worked out.
    """
    document = answer(kind, asked, version=version)
    plan = Plan.objects.create(
        job=job,
        kind=kind,
        name=name,
        asked=dict(asked),
        query=query,
        spec_version=version,
        document=document,
        kept_by=by,
    )
    record("plan.kept", plan, f"Kept the plan {name} with {job.title}", by=by)
    return plan


@transaction.atomic
def undo_disc(plan: Plan, *, by: User | None) -> bool:
    """Write a disc as it was before its last change; return whether there was one."""
    before: list[str] = plan.asked.get("before", [])
    if not before:
        return False
    write_disc(plan, before[-1], by=by)
    plan.asked["before"] = before[:-1]
    plan.save(update_fields=["asked"])
    return True


def write_disc(plan: Plan, text: str, *, by: User | None) -> None:
    """Write the disc of a plan anew, with the answer of now. Raises ``PlanRefused`` with every mistake."""
    asked: dict[str, Any] = {"text": text}
    plan.document = answer(Plan.Kind.DISC, asked)
    before = [*plan.asked.get("before", []), plan.asked["text"]][-_MOST_UNDONE:]
    plan.asked = asked | {"before": before}
    plan.save(update_fields=["asked", "document"])
    record("plan.changed", plan, f"Changed the disc {plan.name}", by=by)
