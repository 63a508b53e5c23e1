"""The page of a mix: which stems it should be made of, and whether they add up."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from brisk_core.facts import Inspection as Facts
from brisk_core.facts import keys
from brisk_web.accounts.people import signed_in
from brisk_web.inspections.models import Fact
from brisk_web.stems import services
from brisk_web.stems.models import StemCheck, StemPart
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import asked_id, whole

_MOST_TRACKS = 1 << 15  # that a record of a stem can name
_OFFERED = 80  # files in the list of stems
_SHOWN_BEFORE = 12  # earlier checks


@dataclass(frozen=True, slots=True, kw_only=True)
class Choice:
    """One sound that may be a stem, or the mix."""

    value: str  #: id of the file, and the track from 0 where it is one of several
    name: str
    words: str  #: channels
    likely: bool  #: is it sound alone, as the files of stems are?


def _choices(file: MediaFile) -> list[Choice]:
    facts: Facts | None = file.inspection.facts if file.inspection else None
    channels = facts.witnessed(keys.SOUND_CHANNELS).told if facts else None
    if not channels:
        return []
    likely = bool(facts and facts[keys.PICTURE_CODEC] is None)
    together = len(channels) == 1 or all(count == 1 for count in channels)
    found = []
    if together:
        words = _channels(sum(count or 0 for count in channels))
        found.append(Choice(value=str(file.pk), name=file.name, words=words, likely=likely))
    if len(channels) > 1:
        for track, count in enumerate(channels):
            name = f"{file.name}, track {track + 1}"
            words = _channels(count)
            found.append(Choice(value=f"{file.pk}:{track}", name=name, words=words, likely=likely))
    return found


def _channels(count: int | None) -> str:
    return f"{count} channel{'' if count == 1 else 's'}"


def _value(part: StemPart) -> str:
    return str(part.media_file_id) if part.track is None else f"{part.media_file_id}:{part.track}"


def _chosen(value: str) -> services.Chosen:
    """Read the value of a choice."""
    number, _, track = value.partition(":")
    file = get_object_or_404(MediaFile, pk=whole(number, 0))
    track_number = whole(track)
    return file, track_number if track_number is not None and 0 <= track_number < _MOST_TRACKS else None


@require_GET
def stems_page(request: HttpRequest, file_id: int) -> HttpResponse:
    """The stems of a mix: choose them, and see whether they add up."""
    mix = get_object_or_404(MediaFile.objects.select_related("inspection", "root"), pk=file_id)
    checks = mix.stem_checks.prefetch_related("parts__media_file")
    asked = asked_id(request.GET, "check")
    shown = checks.filter(pk=asked).first() if asked else checks.first()
    sounding = Fact.objects.filter(characteristic=keys.SOUND_TRACKS.id, number__gt=0)
    files = MediaFile.objects.filter(inspection__in=sounding.values("inspection")).exclude(pk=mix.pk)
    near = files.filter(root=mix.root).select_related("inspection").order_by("-pk")[:_OFFERED]
    offered = [choice for file in near for choice in _choices(file)]
    before = {_value(part) for part in shown.parts.all()} if shown else set()
    context: dict[str, Any] = {
        "file": mix,
        "mixes": _choices(mix),
        "offered": sorted(offered, key=lambda one: (one.value not in before, not one.likely, one.name)),
        "chosen": before,
        "stem_check": shown,
        "earlier": [one for one in checks[:_SHOWN_BEFORE] if shown is None or one.pk != shown.pk],
        "page_data": shown.document if shown and shown.document else None,
    }
    return render(request, "stems/stems.html", context)


@require_POST
@permission_required("checks.add_check", raise_exception=True)
def begin(request: HttpRequest, file_id: int) -> HttpResponse:
    """Hold the chosen stems against the mix."""
    mix = get_object_or_404(MediaFile, pk=file_id)
    track = _chosen(request.POST.get("mix") or str(mix.pk))[1]
    stems = [_chosen(value) for value in request.POST.getlist("stem")]
    try:
        check = services.begin((mix, track), stems, by=signed_in(request))
    except services.StemsRefused as error:
        messages.error(request, str(error))
        return redirect("stems", mix.pk)
    return redirect(f"{reverse('stems', args=[mix.pk])}?check={check.pk}")


@require_POST
@permission_required("checks.add_check", raise_exception=True)
def cancel(request: HttpRequest, stem_check_id: int) -> HttpResponse:
    """Stop a stem check."""
    check = get_object_or_404(StemCheck.objects.select_related("mix"), pk=stem_check_id)
    services.cancel(check, by=signed_in(request))
    return redirect("stems", check.mix_id)


@require_GET
def stems_json(request: HttpRequest, stem_check_id: int) -> JsonResponse:
    """The stem check as JSON of schema ``brisk-sentry/stems/1``."""
    check = get_object_or_404(StemCheck, pk=stem_check_id)
    if check.document is None:
        return JsonResponse({"error": check.error or "the stems have not been added up yet"}, status=404)
    return JsonResponse(check.document)
