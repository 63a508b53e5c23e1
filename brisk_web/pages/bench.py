"""What the bench shows of a file: views of single frames, samples, strips of small pictures, and clips that play."""

from __future__ import annotations

import hashlib
import os
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from typing import Any

from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from django.utils.cache import patch_cache_control
from django.views.decorators.http import require_GET

from brisk_core import sandbox
from brisk_core.errors import UnreadableFile
from brisk_core.facts import keys
from brisk_core.frames import VIEWS, frame_path
from brisk_core.frames.clip import MOST_SECONDS
from brisk_core.frames.strip import MOST_FRAMES
from brisk_core.sandbox import requests
from brisk_web.inspections.models import Inspection
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import whole

WIDEST_FRAME = 1920  # samples; larger pictures are scaled down for the page
_RUN = 6  # frames decoded at once: the neighbours are usually asked for next
_STRIP_WIDTHS = (64, 240)  # smallest and largest width of one small picture
_CLIP_SECONDS = 4
_AT_ONCE = 2  # decoding processes of one web process
_decoders = threading.BoundedSemaphore(_AT_ONCE)
_makers = ThreadPoolExecutor(_AT_ONCE, thread_name_prefix="bench")
_GLANCE_S = 0.005  # between two looks whether a picture is there
_LIMITS = sandbox.Limits(wall_s=60, processor_s=60)


class _NothingToShow(Exception):
    """No frame can be found, with a sentence why."""


def _inspected(file_id: int) -> tuple[MediaFile, Inspection]:
    file = get_object_or_404(MediaFile.objects.select_related("inspection", "root"), pk=file_id)
    if file.inspection is None or not file.inspection.has_series:
        raise _NothingToShow("the packets of this file have not been read")
    try:
        file.require_unchanged()  # else the frames of another file would stand under this one's verdict
    except UnreadableFile as error:
        raise _NothingToShow(str(error)) from error
    return file, file.inspection


def _refusal(says: str, status: int = 404) -> HttpResponse:
    """A sentence that no browser keeps: the next time there may be something to show."""
    answer = HttpResponse(says, status=status, content_type="text/plain; charset=utf-8")
    patch_cache_control(answer, no_store=True)
    return answer


def _kept(answer: HttpResponseBase) -> HttpResponseBase:
    """Let a browser keep what it was shown for an hour."""
    patch_cache_control(answer, private=True, max_age=3600)
    return answer


def _file(inspection: Inspection, path: Path, kind: str) -> HttpResponseBase:
    """Answer with a file of the cache, whose use is noted for those who tidy it."""
    with suppress(OSError):
        os.utime(inspection.frame_folder)
    return _kept(FileResponse(open(path, "rb"), content_type=kind))


def _made(inspection: Inspection, path: Path, request: requests.Request[Any], kind: str) -> HttpResponseBase:
    """Answer with a file that the sandbox makes once, as soon as it is there.

    Frames are written whole, one after the other: the one that was asked for is shown while its neighbours are made.
    """
    making = None if path.exists() else _makers.submit(_make, path, request)
    if making is not None:
        while not making.done() and not (isinstance(request, requests.Frames) and path.exists()):
            time.sleep(_GLANCE_S)
        if not path.exists():
            try:
                making.result()
            except UnreadableFile as error:
                return _refusal(str(error))
    return _file(inspection, path, kind)


def _make(path: Path, request: requests.Request[Any]) -> None:
    with _decoders:
        if not path.exists():  # somebody else may have asked for it meanwhile
            sandbox.run(request, limits=_LIMITS)


def settle() -> None:
    """Wait until no picture is being made."""
    all_rest = threading.Barrier(_AT_ONCE)
    for resting in [_makers.submit(all_rest.wait) for _ in range(_AT_ONCE)]:
        resting.result()


def _whole(text: str | None, default: int) -> int:
    found = whole(text, default)
    return default if found is None else found


@require_GET
def frame(request: HttpRequest, file_id: int, number: int) -> HttpResponseBase:
    """A view of one frame, exact to the frame, decoded in the sandbox and cached."""
    view = request.GET.get("view", "picture")
    if view not in VIEWS:
        return _refusal(f"met view {view!r}; expected one of {', '.join(VIEWS)}", 400)
    try:
        file, inspection = _inspected(file_id)
    except _NothingToShow as nothing:
        return _refusal(str(nothing))
    folder = inspection.frame_folder / view
    path = frame_path(folder, number)
    if path.exists():
        return _file(inspection, path, "image/jpeg")
    facts = inspection.facts
    area = facts.witnessed(keys.CONTENT_ACTIVE_AREA).spoken() if facts else {}
    ask = requests.Frames(
        url=file.url,
        series_path=str(inspection.series_path),
        folder=str(folder),
        first=number,
        count=_RUN,
        widest=WIDEST_FRAME,
        view=view,
        full=bool(facts and facts.is_full_range),
        area=next(iter(area.values()), None),
    )
    return _made(inspection, path, ask, "image/jpeg")


@require_GET
def small(request: HttpRequest, file_id: int, number: int) -> HttpResponseBase:
    """The small picture of a frame that the scan kept, there before any frame is decoded."""
    return _small(file_id, number, Inspection.small_picture)


@require_GET
def seen_picture(request: HttpRequest, file_id: int, number: int) -> HttpResponseBase:
    """A small picture that the first look kept, counted from 0."""
    return _small(file_id, number, Inspection.look_picture)


def _small(file_id: int, number: int, place: Callable[[Inspection, int], Path]) -> HttpResponseBase:
    file = get_object_or_404(MediaFile.objects.select_related("inspection"), pk=file_id)
    if file.inspection is None or number >= 10**8:
        return _refusal("no small picture is kept of this frame")
    try:
        return _kept(FileResponse(open(place(file.inspection, number), "rb"), content_type="image/jpeg"))
    except OSError:
        return _refusal("no small picture is kept of this frame")


@require_GET
def samples(request: HttpRequest, file_id: int, number: int) -> HttpResponseBase:
    """Code values around a place of a frame, as JSON; an object with "error" where they cannot be told."""
    try:
        file, inspection = _inspected(file_id)
        place = {name: _whole(request.GET.get(name), default) for name, default in _SAMPLES.items()}
        ask = requests.Samples(url=file.url, series_path=str(inspection.series_path), frame=number, **place)
        with _decoders:
            return _kept(JsonResponse(sandbox.run(ask, limits=_LIMITS)))
    except (_NothingToShow, UnreadableFile) as error:
        says = str(error)
    answer = JsonResponse({"error": says}, status=404)
    patch_cache_control(answer, no_store=True)
    return answer


_SAMPLES = {"x": 0, "y": 0, "across": 12, "down": 8}


@require_GET
def strip(request: HttpRequest, file_id: int) -> HttpResponseBase:
    """Small pictures of the frames in ``frames`` (numbers with commas) beside each other, each ``width`` wide."""
    asked = [whole(text) for text in request.GET.get("frames", "").split(",")[: MOST_FRAMES + 1]]
    numbers = [number for number in asked if number is not None]
    if len(numbers) < len(asked):
        return _refusal("expected whole numbers of frames with commas between them", 400)
    if not 1 <= len(numbers) <= MOST_FRAMES:
        return _refusal(f"met {len(numbers)} frames; expected 1 to {MOST_FRAMES} at once", 400)
    least, most = _STRIP_WIDTHS
    width = max(least, min(_whole(request.GET.get("width"), 96), most))
    try:
        file, inspection = _inspected(file_id)
    except _NothingToShow as nothing:
        return _refusal(str(nothing))
    key = hashlib.sha256(f"{numbers}-{width}".encode()).hexdigest()[:24]
    path = inspection.frame_folder / "strips" / f"{key}.jpg"
    ask = requests.Strip(
        url=file.url, series_path=str(inspection.series_path), frames=numbers, path=str(path), width=width
    )
    return _made(inspection, path, ask, "image/jpeg")


@require_GET
def clip(request: HttpRequest, file_id: int, number: int) -> HttpResponseBase:
    """Some seconds around a frame as a copy that every browser plays, with sound and timecode."""
    try:
        file, inspection = _inspected(file_id)
    except _NothingToShow as nothing:
        return _refusal(str(nothing))
    facts = inspection.facts
    rate = facts[keys.PICTURE_FRAME_RATE] if facts else None
    if facts is None or rate is None:
        return _refusal("the frame rate of this file is not known")
    seconds = max(1, min(_whole(request.GET.get("seconds"), _CLIP_SECONDS), MOST_SECONDS))
    count = round(seconds * rate)
    first = max(number - count // 2, 0)
    start = next(iter(facts.witnessed(keys.WRAPPER_START_TIMECODE).spoken().values()), None)
    path = inspection.frame_folder / "clips" / f"{first}-{count}.webm"
    ask = requests.Clip(
        url=file.url,
        series_path=str(inspection.series_path),
        first=first,
        count=count,
        rate=f"{rate.numerator}/{rate.denominator}",
        start=str(start) if start else "",
        path=str(path),
    )
    return _made(inspection, path, ask, "video/webm")
