"""Verbs of plans: work one out, keep one with a job."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from brisk_core.exact import spell_bit_rate, spell_bytes
from brisk_core.facts import keys
from brisk_core.plan.bits_document import plan_bits
from brisk_web.house.services import record
from brisk_web.jobs.models import Job
from brisk_web.planner.models import Plan
from brisk_web.shelf.models import SpecVersion
from brisk_web.storage.models import MediaFile


def answer(asked: Mapping[str, Any], version: SpecVersion | None) -> dict[str, Any]:
    """Return the answer to a plan of bits. Raises ``PlanRefused`` with every mistake."""
    return plan_bits(asked, version.parsed() if version else None)


def disagreements(plan: Plan, rendered: Mapping[str, MediaFile]) -> list[str]:
    """Say where renders go beyond their plan: those over the size that was planned for them, by the name of the file,
    and all together over the cap. ``rendered`` holds the newest render of each name.
    """
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
def keep(job: Job, name: str, asked: Mapping[str, Any], version: SpecVersion | None, *, by: User | None) -> Plan:
    """Keep a plan with a job, with the answer of now. Raises ``PlanRefused`` for one that cannot be worked out."""
    plan = Plan.objects.create(
        job=job, name=name, asked=dict(asked), spec_version=version, document=answer(asked, version), kept_by=by
    )
    record("plan.kept", plan, f"Kept the plan {name} with {job.title}", by=by)
    return plan
