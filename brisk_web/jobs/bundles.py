"""Verbs of bundles: what is offered to be ordered in one step, ordering it, keeping one of the house's own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from fractions import Fraction

import yaml
from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from brisk_core.edit import parse_range
from brisk_core.errors import RangeRefused, ValueRefused
from brisk_core.plan.bundle import Bundle as Read
from brisk_core.plan.bundle import Ordered, bundle_to_document, read_bundle, shipped_bundles
from brisk_core.spec import NamePattern
from brisk_web.edits.models import Timeline
from brisk_web.house.models import in_use
from brisk_web.house.services import defaults, record
from brisk_web.jobs.models import Bundle, Deliverable, Job, owed
from brisk_web.jobs.services import JobRefused, add_deliverable
from brisk_web.shelf.services import newest_of

_JOBS = 200  # offered to be copied, the newest


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """One deliverable to be ordered, as a person has it before them."""

    ordered: Ordered
    due_at: datetime | None


def sources() -> list[tuple[str, list[tuple[str, str]]]]:
    """What can be ordered from, by kind: the key and the name of each."""
    shipped = [(f"shipped:{key}", read_bundle(text).name) for key, text in shipped_bundles().items()]
    own = [(f"own:{one.pk}", one.name) for one in in_use(Bundle.objects.all())]
    jobs = (
        Job.objects.filter(deliverables__retired_at=None, deliverables__isnull=False).distinct().order_by("-pk")[:_JOBS]
    )
    copied = [(f"job:{one.pk}", one.title) for one in jobs]
    kinds = (("Bundles of the house", own), ("Bundles that are shipped", shipped), ("What another job owes", copied))
    return [(label, rows) for label, rows in kinds if rows]


def bundle_at(key: str) -> Read | None:
    """Return the bundle of a key of ``sources``, ``None`` where there is none any more. Raises ``PlanRefused``."""
    kind, _, name = key.partition(":")
    if kind == "shipped" and name in shipped_bundles():
        return read_bundle(shipped_bundles()[name])
    if not name.isascii() or not name.isdecimal() or len(name) > 18:
        return None
    if kind == "own" and (own := in_use(Bundle.objects.filter(pk=int(name))).first()):
        return read_bundle(own.text)
    job = Job.objects.filter(pk=int(name)).first() if kind == "job" else None
    return bundle_of(job) if job else None


def bundle_of(job: Job) -> Read:
    """What a job owes as a bundle: dues keep their distances to the first of them."""
    rows = list(owed(Deliverable.objects.filter(job=job)).select_related("spec_version__spec", "timeline"))
    rows = rows or list(in_use(Deliverable.objects.filter(job=job)).select_related("spec_version__spec", "timeline"))
    first = min((one.due_at for one in rows if one.due_at), default=None)
    ordered = tuple(
        Ordered(
            name=one.name,
            spec=one.spec_version.spec.slug,
            naming_rule=one.naming_rule,
            due_in=Fraction(round((one.due_at - first).total_seconds())) if one.due_at and first else None,
            range=one.range_entry,
            language=one.language,
            two_sign=one.two_sign,
        )
        for one in rows
    )
    return Read(name=job.title, ordered=ordered)


def wanted_of(bundle: Read, start: datetime | None = None) -> list[Wanted]:
    """What a bundle orders, with the moments at which each is due, counted from a moment.

    What it does not say of names and signing is as new deliverables of the house begin.
    """
    first = defaults()
    begin = (start or timezone.localtime()).replace(minute=0, second=0, microsecond=0)
    return [
        Wanted(
            ordered=replace(
                one,
                naming_rule=one.naming_rule or first.naming_rule,
                language=one.language or first.language,
                two_sign=one.two_sign or first.two_sign,
            ),
            due_at=begin + timedelta(seconds=float(one.due_in)) if one.due_in is not None else None,
        )
        for one in bundle.ordered
    ]


@transaction.atomic
def order(job: Job, wanted: Sequence[Wanted], timeline: Timeline | None, *, by: User) -> list[Deliverable]:
    """Add deliverables to a job, all or none; raises ``JobRefused`` with what is wrong with any of them."""
    if not wanted:
        raise JobRefused("Nothing is ticked.")
    known = set(Deliverable.objects.filter(job=job).values_list("name", flat=True))
    first = defaults()
    wrong, made = [], []
    for one in wanted:
        version, name = newest_of(one.ordered.spec), one.ordered.name.strip()
        says = _wrong(name, one.ordered, known, timeline)
        if version is None:
            says = f"no spec {one.ordered.spec} is on the shelf"
        if says or version is None:
            wrong.append(f"{name or one.ordered.spec}: {says}")
            continue
        known.add(name)
        made.append(
            Deliverable(
                job=job, name=name, spec_version=version, timeline=timeline, naming_rule=one.ordered.naming_rule,
                due_at=one.due_at, language=one.ordered.language, two_sign=one.ordered.two_sign,
                rendered_by=first.rendered_by, rendered_by_email=first.rendered_by_email,
            )
        )  # fmt: skip
        if timeline and one.ordered.range:
            covered = parse_range(one.ordered.range, timeline.edit)
            made[-1].range_start, made[-1].range_end = covered.start, covered.end
    if wrong:
        raise JobRefused("; ".join(wrong))
    return [add_deliverable(one, by=by) for one in made]


def _wrong(name: str, ordered: Ordered, known: set[str], timeline: Timeline | None) -> str:
    """What is wrong with one deliverable; empty for nothing."""
    if not name or len(name) > 200:
        return f"its name has {len(name)} letters; expected 1 to 200"
    if name in known:
        return "the job has a deliverable of this name already"
    try:
        if ordered.naming_rule:
            NamePattern(ordered.naming_rule)
        if timeline and ordered.range:
            parse_range(ordered.range, timeline.edit)
    except (ValueRefused, RangeRefused) as error:
        return str(error)
    return ""


@transaction.atomic
def keep_bundle(bundle: Bundle, text: str, *, by: User) -> Bundle:
    """Keep a bundle of the house; raises ``PlanRefused``, or ``JobRefused`` for a name that is taken."""
    read = read_bundle(text)
    if Bundle.objects.filter(name=read.name).exclude(pk=bundle.pk).exists():
        raise JobRefused(f"There is a bundle {read.name!r} already.")
    verb, says = ("changed", "Changed") if bundle.pk else ("added", "Added")
    bundle.name, bundle.text = read.name, text
    bundle.save()
    record(f"bundle.{verb}", bundle, f"{says} the bundle {bundle}", by=by)
    return bundle


def text_of(job: Job) -> str:
    """What a job owes, as the text of a bundle."""
    read = bundle_of(job)
    return yaml.safe_dump(bundle_to_document(read.name, read.ordered), sort_keys=False, allow_unicode=True, width=110)
