"""The shelf searched and compared: who takes a value, which lines speak of something, two specs line by line."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from brisk_core.errors import ValueRefused
from brisk_core.facts import REGISTRY, Characteristic, Group, spell
from brisk_core.spec import Change, Line, Taking, compare_specs, read_asked, who_takes
from brisk_core.spec.values import UNCOMPARED
from brisk_web.shelf.models import SpecVersion, newest_published, published_by_family
from brisk_web.ui.asking import asked_id, words

_MOST_LINES = 500  # shown
#: How what a line makes of a value is marked.
_OUTCOMES = {
    Taking.TAKES: "pass",
    Taking.SOMETIMES: "caution",
    Taking.REFUSES: "fail",
    Taking.UNKNOWN: "not measured",
}
_ORDER = (Taking.TAKES, Taking.SOMETIMES, Taking.UNKNOWN, Taking.REFUSES)
#: Changes in the order in which they are read; lines that are the same come last, folded.
_CHANGES = (Change.STRICTER, Change.LOOSER, Change.OTHER, Change.ADDED, Change.REMOVED, Change.WORDED)


@dataclass(frozen=True, slots=True, kw_only=True)
class FoundLine:
    """A line of the shelf that was looked for."""

    version: SpecVersion
    line: Line
    says: str  #: what it makes of the value; empty where none was asked for
    outcome: str  #: its mark; empty where no value was asked for


def _by_group() -> list[tuple[str, list[Characteristic]]]:
    """Characteristics that can be asked with a value."""
    can = [one for one in REGISTRY.values() if one.kind not in UNCOMPARED]
    return [(group.value, [one for one in can if one.group is group]) for group in Group]


@require_GET
def spec_lines(request: HttpRequest) -> HttpResponse:
    """Lines of all specs: which take a value, or which speak of some words."""
    wanted, value = words(request.GET, "q"), words(request.GET, "value")
    characteristic = REGISTRY.get(words(request.GET, "characteristic"))
    found: list[FoundLine] = []
    mistake, spelled = "", ""
    if characteristic and value:
        try:
            asked = read_asked(characteristic, value)
            spelled = spell(characteristic.kind, False, asked, characteristic.unit)
            found = _taking(characteristic, asked)
        except ValueRefused as error:
            mistake = str(error)
    elif characteristic or wanted:
        found = _speaking(characteristic, wanted)
    context: dict[str, Any] = {
        "wanted": wanted,
        "value": value,
        "characteristic": characteristic,
        "by_group": [(name, some) for name, some in _by_group() if some],
        "mistake": mistake,
        "spelled": spelled,
        "found": found[:_MOST_LINES],
        "more": max(len(found) - _MOST_LINES, 0),
        "specs": len({one.version.pk for one in found}),
        "asked": bool(characteristic or wanted),
    }
    return render(request, "shelf/lines.html", context)


def _taking(characteristic: Characteristic, value: Any) -> list[FoundLine]:
    rows = [
        (taking, FoundLine(version=version, line=line, says=taking.value, outcome=_OUTCOMES[taking]))
        for version in newest_published()
        for line, taking in who_takes(version.parsed(), characteristic, value)
    ]
    return [row for _, row in sorted(rows, key=lambda one: _ORDER.index(one[0]))]


def _speaking(characteristic: Characteristic | None, wanted: str) -> list[FoundLine]:
    """Lines that hold every word that is asked for, in what they are called, ask for and say."""
    asked = wanted.casefold().split()
    found = []
    for version in newest_published():
        for line in version.parsed().lines:
            if characteristic and line.characteristic.id != characteristic.id:
                continue
            own = (
                line.id,
                line.label,
                line.characteristic.id,
                line.condition.required(),
                line.why_told,
                line.remedy_told,
            )
            text = " ".join((version.spec.name, *own)).casefold()
            if all(word in text for word in asked):
                found.append(FoundLine(version=version, line=line, says="", outcome=""))
    return found


@require_GET
def compare_specs_page(request: HttpRequest) -> HttpResponse:
    """Two versions or two specs, line by line."""
    published = published_by_family()
    old, new = (published.defer(None).filter(pk=asked_id(request.GET, name)).first() for name in ("old", "new"))
    both = (old.parsed(), new.parsed()) if old and new else None
    changes = compare_specs(*both) if both else ()
    context = {
        "old": old,
        "new": new,
        "versions": published,
        "other_companions": both is not None and both[0].companions != both[1].companions,
        "other_ladder": both is not None and both[0].ladder != both[1].ladder,
        "changes": [one for kind in _CHANGES for one in changes if one.change is kind],
        "same": [one for one in changes if one.change is Change.SAME],
        "counts": [(kind.value, count) for kind in _CHANGES if (count := sum(one.change is kind for one in changes))],
    }
    return render(request, "shelf/compare.html", context)
