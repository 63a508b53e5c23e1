"""What a site says of what it was sent, read with care, and its own copies, judged: as told, and as signed."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any

from brisk_core.errors import ValueRefused
from brisk_core.exact import parse_rate, spell_rate_exactly
from brisk_core.facts import REGISTRY, Held, Inspection, keys
from brisk_core.spec import Check, Outcome, Spec, Verdict, Weight, judge, parse_spec, read_value

_LABEL = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]{0,39}")
_MOST_COPIES = 40
_LONGEST_REASON = 300
_MOST_BYTES = 1 << 44
_CODED_GAIN, _CODED_OFFSET = 0.03, 3.0  # of a level curve over code values; a wrong range gives 0.14 and more
_CODECS = {"h264": "avc", "h265": "hevc", "vp09": "vp9", "av01": "av1"}  # other words for one codec
_STATES = ("checking", "making copies", "ready", "refused")


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    """What a site says of one of its copies; fields are ``None`` where it does not say."""

    label: str
    is_ready: bool
    size: tuple[int, int] | None = None
    rate: Fraction | None = None
    codec: str | None = None
    bit_rate: int | None = None  #: bit/s
    weight: int | None = None  #: bytes
    ready_at: float | None = None  #: seconds since 1970
    address: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Item:
    """What a site says of what it was sent."""

    state: str  #: checking, making copies, ready or refused
    reasons: tuple[str, ...]  #: of a refusal
    sha256: str
    copies: tuple[Told, ...]
    lines: tuple[tuple[int, str | None], ...]  #: kbit/s of a viewer's line, and the label of the copy that plays there

    @property
    def largest(self) -> Told | None:
        """The copy with most lines; of those that are not there yet, and so have no size, the last."""
        waiting = [one for one in self.copies if one.size is None]
        return waiting[-1] if waiting else max(self.copies, key=lambda one: one.size or (0, 0), default=None)


def read_item(document: Any) -> Item:
    """Return what a site says; raises ``ValueRefused`` where it cannot be understood."""
    if not isinstance(document, dict) or document.get("state") not in _STATES:
        raise ValueRefused(f"the site's answer has no state of {', '.join(_STATES)}")
    copies, lines = document.get("copies"), document.get("lines")
    if not isinstance(copies, list) or len(copies) > _MOST_COPIES:
        raise ValueRefused(f"the site's answer lists no copies; expected at most {_MOST_COPIES}")
    told = tuple(_read_copy(one) for one in copies)
    if len({one.label for one in told}) < len(told):
        raise ValueRefused("two copies of the site have one label")
    reasons = document.get("reasons")
    return Item(
        state=document["state"],
        reasons=tuple(_printable(str(one)) for one in reasons[:20]) if isinstance(reasons, list) else (),
        sha256=str(document.get("sha256") or "")[:64],
        copies=told,
        lines=_read_lines(lines, {one.label for one in told}),
    )


def _read_copy(document: Any) -> Told:
    if not isinstance(document, dict) or not _LABEL.fullmatch(str(document.get("label", ""))):
        raise ValueRefused("a copy of the site has no label of 1 to 40 letters, digits, dots, dashes and underscores")
    width, height = _count(document, "width"), _count(document, "height")
    try:
        rate = parse_rate(str(document["rate"])[:40]) if document.get("rate") else None
    except ValueRefused:
        rate = None
    ready_at = document.get("ready_at")
    return Told(
        label=document["label"],
        is_ready=document.get("state") == "ready",
        size=(width, height) if width and height else None,
        rate=rate,
        codec=str(document["codec"])[:20] if document.get("codec") else None,
        bit_rate=_count(document, "bit_rate"),
        weight=_count(document, "bytes"),
        ready_at=float(ready_at) if isinstance(ready_at, (int, float)) and 0 < ready_at < 1 << 33 else None,
        address=str(document.get("address") or "")[:500],
    )


def _count(document: Mapping[str, Any], name: str) -> int | None:
    value = document.get(name)
    return value if isinstance(value, int) and not isinstance(value, bool) and 0 < value < _MOST_BYTES else None


def _read_lines(lines: Any, labels: set[str]) -> tuple[tuple[int, str | None], ...]:
    found = []
    for one in lines[:_MOST_COPIES] if isinstance(lines, list) else ():
        if isinstance(one, dict) and (speed := _count(one, "kbps")):
            found.append((speed, one.get("copy") if one.get("copy") in labels else None))
    return tuple(found)


def _printable(text: str) -> str:
    return "".join(sign if sign.isprintable() else " " for sign in text[:_LONGEST_REASON])


def copy_spec(told: Told, signed: Inspection) -> Spec:
    """Return what a copy should be: what the site says of it, with as many pictures a second as what was signed.

    The lines of a master are judged beside it.
    """
    rate = signed[keys.PICTURE_FRAME_RATE]
    lines = [
        ("size", keys.PICTURE_SIZE.id, f"{told.size[0]}×{told.size[1]}" if told.size else None, "Size as told"),
        ("rate", keys.PICTURE_FRAME_RATE.id, _rate(told.rate), "Frame rate as told"),
        ("codec", keys.PICTURE_CODEC.id, _codec(told.codec), "Codec as told"),
        ("pictures", keys.PICTURE_FRAME_RATE.id, _rate(rate), "Every picture"),
    ]
    document = {
        "brisk_spec": 1,
        "id": "served-copy",
        "name": f"Copy {told.label}",
        "family": "web",
        "source": "what the site says of its copy",
        "issued": "2026-11-29",
        "lines": [
            {"id": id_, "characteristic": asks, "label": label, "weight": "should", "condition": {"equals": value}}
            for id_, asks, value, label in lines
            if value is not None
        ]
        or [{"id": "size", "characteristic": keys.PICTURE_SIZE.id, "condition": {"present": True}}],
    }  # fmt: skip
    return parse_spec(json.dumps(document, ensure_ascii=False))


def _codec(told: str | None) -> str | None:
    """The registry's word for a codec; ``None`` for one that it has no word for, which then cannot be compared."""
    word = (told or "").lower().replace(".", "")
    word = _CODECS.get(word, word)
    try:
        read_value(REGISTRY[keys.PICTURE_CODEC.id], word)
    except ValueRefused:
        return None
    return word


def _rate(rate: Fraction | None) -> str | None:
    return spell_rate_exactly(rate) if rate else None


def judge_copy(told: Told, inspection: Inspection, held: Mapping[str, Held], signed: Inspection) -> Check:
    """Judge a copy by what the site says of it, and by what holding it against the signed file found."""
    return judge(copy_spec(told, signed), inspection, master=_coded_small(held))


def _coded_small(held: Mapping[str, Held]) -> Mapping[str, Held]:
    """What was found of a copy of few bits: coding alone draws its levels together by some percent."""
    curve = held.get(keys.MASTER_LEVEL_CURVE.id)
    if curve is None or curve.right is not False or not isinstance(curve.document, dict):
        return held
    gain, offset = float(curve.document["gain"]), float(curve.document["offset"])
    clipped = curve.document["clipped_low"] or curve.document["clipped_high"]
    if clipped or abs(gain - 1) > _CODED_GAIN or abs(gain * 126 + offset - 126) > _CODED_OFFSET:
        return held
    return {**held, keys.MASTER_LEVEL_CURVE.id: replace(curve, right=True, look=True)}


def says_of(check: Check) -> str:
    """Return in a sentence what a copy is like: its worst finding, or that it is what was signed."""
    if check.verdict is Verdict.PASS:
        return "It is what was signed."
    wanted = {
        Verdict.FAIL: Outcome.FAIL, Verdict.CAUTION: Outcome.CAUTION, Verdict.NOT_MEASURED: Outcome.NOT_MEASURED,
    }[check.verdict]  # fmt: skip
    told = [one for one in check.findings if one.outcome is wanted and one.line.weight is not Weight.NOTE]
    more = f" And {len(told) - 1} more." if len(told) > 1 else ""
    return f"{told[0].line.label}: {told[0].says}{more}"


def usual_wait(waits: Sequence[float]) -> float | None:
    """Return how long the largest copy took of late, in seconds: the middle of the last three; ``None`` without any."""
    last = sorted(waits[:3])
    return last[len(last) // 2] if last else None
