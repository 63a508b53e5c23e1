"""The plan of rates as a document: what is asked in words of the trade, and the answer of schema
``brisk-sentry/plan-rates/1``.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fractions import Fraction
from typing import Any

from brisk_core.exact import parse_rate, positive, spell_rate, spell_seconds
from brisk_core.plan.rates import Material, RatePlan, Target, rank
from brisk_core.plan.words import Reader, read_length

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
    reader = Reader()
    sources = asked.get("sources")
    if not isinstance(sources, list) or not 1 <= len(sources) <= MOST_SOURCES:
        reader.note("sources", f"expected a list of 1 to {MOST_SOURCES} sources")
        sources = []
    materials = [_material(reader, f"source {number}", row) for number, row in enumerate(sources, 1)]
    usual = read_target(USUAL_TARGETS[0])
    wanted = asked.get("targets") or list(USUAL_TARGETS)
    if not isinstance(wanted, list):
        reader.note("targets", f"met {wanted!r}; expected a list of rates such as 25 or 29.97i")
        wanted = []
    targets = [reader.take("targets", read_target, text, usual) for text in wanted]
    reader.refuse()
    plans = [_answer(plan, materials) for plan in rank(materials, targets)]
    return {"schema": RATES_SCHEMA, "asked": dict(asked), "targets": plans}


def _material(reader: Reader, place: str, row: Any) -> Material:
    if not isinstance(row, Mapping):
        reader.note(place, f"met {row!r}; expected a mapping with rate and length")
        return Material(rate=Fraction(25), seconds=Fraction(1))
    mistakes = len(reader.mistakes)
    rate = reader.take(f"{place}, rate", parse_rate, row.get("rate"), Fraction(25))
    frames = 1
    if len(reader.mistakes) == mistakes:  # a length in frames needs a rate that was read
        frames = reader.take(f"{place}, length", positive(lambda text: read_length(text, rate)), row.get("length"), 1)
    return Material(rate=rate, seconds=frames / rate, name=str(row.get("name") or ""))


def _answer(plan: RatePlan, materials: Sequence[Material]) -> dict[str, Any]:
    """A target of the answer."""
    rows = [
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
    ]
    return {
        "rate": str(plan.target.rate),
        "interlaced": plan.target.interlaced,
        "words": plan.target.words,
        "harm": round(float(plan.harm), 3),
        "sources": rows,
    }


def _words(material: Material) -> str:
    """Name, rate and length in one line."""
    return ", ".join(one for one in (material.name, spell_rate(material.rate), spell_seconds(material.seconds)) if one)
