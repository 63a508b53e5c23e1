"""The plan of sizes as a document: what is asked in words of the trade, and the answer of schema
``brisk-sentry/plan-sizes/1``.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fractions import Fraction
from typing import Any

from brisk_core.exact import parse_bytes, parse_rate, parse_size, positive, spell_bit_rate, spell_bytes
from brisk_core.plan.bits import Programme, Sound
from brisk_core.plan.overhead import WRAPPERS
from brisk_core.plan.sizes import Weighed, spelled, weigh
from brisk_core.plan.sounds import read_sound
from brisk_core.plan.words import Reader, read_length

SIZES_SCHEMA = "brisk-sentry/plan-sizes/1"
_FIELDS = ("size", "rate", "scan", "length", "sounds", "wrapper", "free")


def plan_sizes(asked: Mapping[str, Any], measured: Mapping[str, Sequence[float]] | None = None) -> dict[str, Any]:
    """Return what each codec would weigh, the smallest first. ``measured`` holds bits a pixel of the house's renders by
    codec. Raises ``PlanRefused`` with every mistake and its place.
    """
    reader = Reader()
    reader.only("plan", asked, _FIELDS)
    rate = reader.take("rate", parse_rate, asked.get("rate"), Fraction(25))
    sounds = asked.get("sounds") or []
    if not isinstance(sounds, list):
        reader.note("sounds", f"met {sounds!r}; expected a list")
        sounds = []
    nothing = Sound(codec="aac", bit_rate=1)
    programme = Programme(
        name="this",
        frames=reader.take("length", positive(lambda text: read_length(text, rate)), asked.get("length"), 1),
        rate=rate,
        size=reader.take("size", parse_size, asked.get("size"), (2, 2)),
        sounds=tuple(reader.take(f"sound {at}", read_sound, one, nothing) for at, one in enumerate(sounds, 1)),
    )
    wrapper = reader.known("wrapper", asked.get("wrapper") or "mov", tuple(WRAPPERS))
    scan = reader.known("scan", asked.get("scan") or "progressive", ("progressive", "interlaced"))
    free = reader.take("free", parse_bytes, asked["free"], 0) if asked.get("free") else None
    reader.refuse()
    rows = [
        _row(one, programme, free)
        for one in weigh(programme, wrapper, interlaced=scan == "interlaced", measured=measured)
    ]
    return {"schema": SIZES_SCHEMA, "asked": dict(asked), "free": free, "sizes": rows}


def _row(one: Weighed, programme: Programme, free: int | None) -> dict[str, Any]:
    """A codec of the answer."""
    fits = None
    if free is not None and one.least is not None and one.most is not None:
        fits = True if one.most <= free else False if one.least > free else None
    rate = one.middle * 8 / programme.seconds if one.middle is not None else None
    says = [one.says]
    if fits is False and free is not None and one.least is not None:
        says.append(f"{spell_bytes(one.least - free)} more than is free")
    return {
        "codec": one.codec,
        "name": one.name,
        "sureness": one.sureness.value,
        "least": one.least,
        "most": one.most,
        "words": spelled(one),
        "whole_rate": None if rate is None else int(rate),
        "whole_rate_words": "" if rate is None else spell_bit_rate(int(rate)),
        "fits": fits,
        "says": says,
    }
