"""Why the other side refused, and each reason as a line that a spec could have had."""

from __future__ import annotations

import re
from collections.abc import Mapping, Set
from dataclasses import dataclass
from typing import Any

from django.utils.text import slugify

from brisk_core.errors import SpecRefused
from brisk_core.facts import REGISTRY, Characteristic
from brisk_core.facts.inspection import inspected
from brisk_core.spec import parse_spec
from brisk_web.handoff.models import HandOff

_MOST_REASONS, _LONGEST = 20, 500
_LONGEST_LABEL, _LONGEST_ID = 100, 50
_TOO_PLAIN = {"of", "the", "in", "a", "to", "by", "and", "sound", "file", "bit", "rate", "time", "times", "size"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Reason:
    """One reason of a refusal."""

    says: str
    asks: Mapping[str, Any] | None  #: characteristic and condition as a spec writes them, where the answer names them


def reasons_of(row: HandOff) -> list[Reason]:
    """Return why a hand-off came back, in the words of the other side; nothing for one that did not."""
    if not row.is_back:
        return []
    body = row.answer_document.get("body") if isinstance(row.answer_document, Mapping) else None
    given = body.get("reasons") if isinstance(body, Mapping) else None
    says = [str(one)[:_LONGEST] for one in given][:_MOST_REASONS] if isinstance(given, list) else []
    asks = body.get("asks") if isinstance(body, Mapping) else None
    known = {one["reason"]: one for one in asks if _names_a_reason(one)} if isinstance(asks, list) else {}
    return [Reason(says=one, asks=_readable(known.get(one))) for one in says or [row.answer_says[:_LONGEST]]]


def _names_a_reason(asked: Any) -> bool:
    return isinstance(asked, Mapping) and isinstance(asked.get("reason"), str)


def _readable(asked: Mapping[str, Any] | None) -> dict[str, Any] | None:
    """What an answer asks for, if a spec could ask for it."""
    if asked is None:
        return None
    line = {name: asked.get(name) for name in ("characteristic", "condition")}
    head = {"brisk_spec": 1, "id": "asked", "name": "Asked", "family": "web", "source": "x", "issued": "2026-01-01"}
    try:
        parse_spec({**head, "lines": [{"id": "asked", **line}]})
    except SpecRefused:
        return None
    return line


def line_of(reason: Reason, row: HandOff, taken: Set[str]) -> dict[str, Any]:
    """Return a reason as a line of a spec, whose id is none of ``taken``.

    Where the answer does not say what it asks for, the characteristic is the one that its words name best, if any, and
    the condition is left to the person: such a line cannot be published as it is.
    """
    stem = slugify(reason.says)[:_LONGEST_ID].strip("-") or "refused"
    id_, number = stem, 1
    while id_ in taken:
        number += 1
        id_ = f"{stem}-{number}"
    told = reason.says if reason.says.endswith((".", "!", "?")) else f"{reason.says}."
    line: dict[str, Any] = {"id": id_, "label": reason.says[:1].upper() + reason.says[1:_LONGEST_LABEL]}
    if reason.asks:
        line |= reason.asks
    else:
        named = _named_in(reason.says)
        line |= ({"characteristic": named.id} if named else {}) | {"condition": {}}
    return line | {"why": f"{row.destination.name} refused {row.name}: {told}"}


def _named_in(says: str) -> Characteristic | None:
    """The characteristic whose label a reason names with the most words."""
    words = set(re.findall(r"[a-z]+", says.casefold()))
    best: tuple[int, Characteristic | None] = (0, None)
    for one in REGISTRY.values():
        label = set(re.findall(r"[a-z]+", one.label.casefold()))
        if inspected(one) and label <= words and label - _TOO_PLAIN and len(label) > best[0]:
            best = (len(label), one)
    return best[1]
