"""The plan of rates as a document: what is asked in words of the trade, and the answer of schema
``brisk-sentry/plan-rates/1``.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from brisk_core.errors import Mistake, PlanRefused, ValueRefused
from brisk_core.exact import parse_rate, spell_rate, spell_seconds
from brisk_core.plan.bits_document import read_length
from brisk_core.plan.rates import Material, Target, rank

RATES_SCHEMA = "brisk-sentry/plan-rates/1"
MOST_SOURCES = 200
#: Targets that are held against each other where none are named.
USUAL_TARGETS = ("23.976", "24", "25", "25i", "29.97", "29.97i", "30", "50", "59.94", "60")


def read_target(text: object) -> Target:
    """Read a rate, with an i behind it for an interlaced one: ``25``, ``29.97i``. Raises ``ValueRefused``."""
    said = str(text).strip()
    interlaced = said[-1:].lower() == "i"
    return Target(rate=parse_rate(said[:-1] if interlaced else said), interlaced=interlaced)


def plan_rates(asked: Mapping[str, Any]) -> dict[str, Any]:
    """Return the targets in order of harm. ``asked`` holds ``sources`` (each with ``rate`` and ``length``, maybe a
    ``name``) and maybe ``targets``. Raises ``PlanRefused`` with every mistake and its place.
    """
    mistakes: list[Mistake] = []
    materials: list[Material] = []
    sources = asked.get("sources")
    if not isinstance(sources, list) or not 1 <= len(sources) <= MOST_SOURCES:
        mistakes.append(Mistake(place="sources", says=f"expected a list of 1 to {MOST_SOURCES} sources"))
        sources = []
    for number, row in enumerate(sources, 1):
        place = f"source {number}"
        if not isinstance(row, Mapping):
            mistakes.append(Mistake(place=place, says=f"met {row!r}; expected a mapping with rate and length"))
            continue
        try:
            rate = parse_rate(row.get("rate"))
        except ValueRefused as error:
            mistakes.append(Mistake(place=f"{place}, rate", says=str(error)))
            continue
        try:
            frames = read_length(row.get("length"), rate)
            if frames <= 0:
                raise ValueRefused(f"met {row.get('length')!r}; expected more than 0")
            materials.append(Material(rate=rate, seconds=frames / rate, name=str(row.get("name") or "")))
        except ValueRefused as error:
            mistakes.append(Mistake(place=f"{place}, length", says=str(error)))
    targets: list[Target] = []
    for text in asked.get("targets") or USUAL_TARGETS:
        try:
            targets.append(read_target(text))
        except ValueRefused as error:
            mistakes.append(Mistake(place="targets", says=str(error)))
    if mistakes:
        count = len(mistakes)
        listed = "; ".join(map(str, mistakes))
        raise PlanRefused(f"the plan has {count} mistake{'s' if count != 1 else ''}: {listed}", mistakes)
    return {
        "schema": RATES_SCHEMA,
        "asked": dict(asked),
        "targets": [
            {
                "rate": str(plan.target.rate),
                "interlaced": plan.target.interlaced,
                "words": plan.target.words,
                "harm": round(float(plan.harm), 3),
                "sources": [
                    {
                        "name": one.name,
                        "rate": str(one.rate),
                        "words": _words(one),
                        "seconds": round(float(one.seconds), 6),
                        "manner": way.manner.value,
                        "harm": round(float(way.harm(one.seconds)), 3),
                        "says": way.says,
                    }
                    for one, way in zip(materials, plan.ways, strict=True)
                ],
            }
            for plan in rank(materials, targets)
        ],
    }


def _words(material: Material) -> str:
    """Name, rate and length in one line."""
    return ", ".join(one for one in (material.name, spell_rate(material.rate), spell_seconds(material.seconds)) if one)
