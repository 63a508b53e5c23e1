"""What a first look saw of a file, as pages show it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.urls import reverse

from brisk_core.facts import keys
from brisk_core.first_look import FirstLook, Seen
from brisk_web.inspections.models import Inspection

_MOST_PLACES = 6  # shown of a line


@dataclass(frozen=True, slots=True, kw_only=True)
class Place:
    """A stretch in which something was seen, in seconds; a picture can be shown from ``frame`` on."""

    first: float
    last: float
    frame: int | None


def seen_so_far(file_id: int, inspection: Inspection | None, *, seekable: bool = False) -> dict[str, Any] | None:
    """Return the first look at a file for ``inspections/first_look.html``; ``None`` where there is none, or no more.

    With ``seekable`` places are frames too, as far as the rate is known.
    """
    look = inspection.first_look if inspection else None
    if look is None or inspection is None:
        return None
    facts = inspection.facts
    rate = facts[keys.PICTURE_FRAME_RATE] if facts and seekable else None

    def place(first: float, last: float) -> Place:
        return Place(first=first, last=last, frame=round(first * rate) if rate else None)

    return {
        "look": look,
        "lines": [_line(one, [place(*span) for span in one.spans]) for one in look.seen],
        "strip": _strip(look, file_id, inspection.pk, place),
    }


def _line(seen: Seen, places: list[Place]) -> dict[str, Any]:
    return {
        "what": seen.what,
        "says": seen.says,
        "odd": seen.odd,
        "places": places[:_MOST_PLACES],
        "more": max(len(places) - _MOST_PLACES, 0),
    }


def _strip(look: FirstLook, file_id: int, inspection_id: int, place: Any) -> list[dict[str, Any]]:
    return [
        {
            "place": place(second, second),
            "picture": f"{reverse('seen-picture', args=[file_id, number])}?of={inspection_id}",
        }
        for number, second in look.strip
    ]
