"""The film strip: a picture of every shot of a file with what is wrong in it, to run the eye over a programme."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET

from brisk_core.exact import Timecode
from brisk_core.facts import Inspection as Facts
from brisk_core.facts import Span, keys
from brisk_core.frames import of_shot, shot_bounds
from brisk_core.scan.small_pictures import INTO
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import whole

_TILE = 144  # samples across
_SHOTS_A_PAGE = 480
#: What is marked, by characteristic: how it is called, and whether it is a fault for sure.
_MARKED = (
    (keys.CONTENT_COMB.id, "combs", True),
    (keys.CONTENT_BLEND.id, "blended", True),
    (keys.CONTENT_REPEAT.id, "repeat", True),
    (keys.CONTENT_DROP.id, "jump", False),
    (keys.CONTENT_FREEZE.id, "freeze", False),
    (keys.CONTENT_BLACK.id, "black", False),
    (keys.CONTENT_FLASH.id, "flashes", True),
    (keys.CONTENT_BARS_CHANGE.id, "bars", False),
    (keys.CONTENT_UNREADABLE.id, "not decodable", True),
    (keys.CONTENT_BURST.id, "damage?", False),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Shot:
    """One shot of the strip."""

    number: int
    start: int  #: first frame
    length: int  #: frames
    label: str  #: timecode of the first frame
    seconds: str  #: length as a person reads it
    marks: tuple[tuple[str, bool], ...]  #: what is found inside, and whether it is a fault for sure

    @property
    def is_faulty(self) -> bool:
        """Is something in it a fault for sure?"""
        return any(sure for _, sure in self.marks)

    @property
    def shown(self) -> int:
        """The frame that stands for it where the scan kept none."""
        return self.start + min(INTO, self.length - 1)


def shots_of(facts: Facts) -> list[Shot]:
    """Return the shots of a scanned file, the whole file as one where no cut is found; none before the scan."""
    cuts, count = facts[keys.CONTENT_CUTS], facts[keys.PICTURE_FRAME_COUNT]
    rate: Fraction | None = facts[keys.PICTURE_FRAME_RATE]
    if cuts is None or not count or not rate:
        return []
    said = next(iter(facts.witnessed(keys.WRAPPER_START_TIMECODE).spoken().values()), None)
    first: Timecode = said or Timecode(frames=0, rate=rate)
    places = [(words, sure, facts.best(id_) or ()) for id_, words, sure in _MARKED]
    return [
        Shot(
            number=number,
            start=start,
            length=end - start,
            label=str(first.plus(start)),
            seconds=f"{float((end - start) / rate):.1f} s",
            marks=tuple((words, sure) for words, sure, spans in places if _inside(spans, start, end)),
        )
        for number, (start, end) in enumerate(shot_bounds([span.start for span in cuts], count), 1)
    ]


def _inside(spans: tuple[Span, ...], start: int, end: int) -> bool:
    return any(span.start < end and span.end > start for span in spans)


@require_GET
def film_strip(request: HttpRequest, file_id: int) -> HttpResponse:
    """Every shot with the picture that stands for it."""
    file = get_object_or_404(MediaFile.objects.select_related("inspection"), pk=file_id)
    inspection = file.inspection
    shots = shots_of(inspection.facts) if inspection and inspection.facts else []
    kept = inspection.small_numbers if inspection else []
    page = max(1, whole(request.GET.get("page"), 1) or 1)
    check = file.checks.order_by("-pk").first()
    context = {
        "file": file,
        "inspection": inspection,
        "tiles": [
            (shot, _picture(file, shot, kept)) for shot in shots[(page - 1) * _SHOTS_A_PAGE : page * _SHOTS_A_PAGE]
        ],
        "following": page + 1 if len(shots) > page * _SHOTS_A_PAGE else None,
        "previous": page - 1 if page > 1 else None,
        "count": len(shots),
        "faulty": sum(shot.is_faulty for shot in shots),
        "doubtful": sum(bool(shot.marks) and not shot.is_faulty for shot in shots),
        "bench": reverse("check", args=[check.pk]) if check else "",
    }
    return render(request, "inspections/film_strip.html", context)


def _picture(file: MediaFile, shot: Shot, kept: list[int]) -> str:
    """The address of a shot's picture: the one that the scan kept, else one that is decoded when it is asked for."""
    number = of_shot(kept, shot.start, shot.start + shot.length)
    if number is not None:
        return reverse("small", args=[file.pk, number])
    return f"{reverse('strip', args=[file.pk])}?width={_TILE}&frames={shot.shown}"
