"""The page Side by side: the spec, the timeline, and up to four files."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET

from brisk_core.edit import FrameRange
from brisk_core.report import Compared, compare
from brisk_web.captions.services import captioned_for
from brisk_web.checks.models import Check
from brisk_web.edits.models import Timeline
from brisk_web.shelf.models import SpecVersion
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import asked_id, whole

MOST_FILES = 4
_OFFERED = 60  # newest files in the list of files to add


@dataclass(frozen=True, slots=True, kw_only=True)
class Column:
    """One file on the page."""

    file: MediaFile
    title: str  #: "Attempt 2" where it is one, else "File"
    without: str  #: query of the page without it


def _ids(text: str) -> list[int]:
    """The whole numbers in a list parted by commas, each once, in order."""
    return list(dict.fromkeys(number for part in text.split(",") if (number := whole(part)) and number > 0))[
        :MOST_FILES
    ]


def _files(ids: list[int]) -> list[MediaFile]:
    found = MediaFile.objects.select_related("inspection", "root").prefetch_related("renders").in_bulk(ids)
    return [found[id_] for id_ in ids if id_ in found]


def _chosen(request: HttpRequest, model: Any, name: str) -> Any:
    return get_object_or_404(model, pk=asked_id(request.GET, name)) if request.GET.get(name) else None


def _covered(files: list[MediaFile], version: SpecVersion | None, timeline: Timeline | None) -> dict[int, FrameRange]:
    """The range of the timeline by which each file was checked, by file id; a file without such a check covers all."""
    if version is None or timeline is None:
        return {}
    checks = Check.objects.filter(media_file__in=files, spec_version=version, timeline=timeline).order_by("pk")
    return {check.media_file_id: timeline.covered(check.range_start, check.range_end) for check in checks}


def side_address(files: Sequence[int], spec_version: int, timeline: int | None) -> str:
    """Return the page's address for the first few of ``files`` (ids, newest first), shown oldest first."""
    query: dict[str, Any] = {"files": ",".join(map(str, reversed(files[:MOST_FILES]))), "spec": spec_version}
    if timeline:
        query["timeline"] = timeline
    return f"{reverse('side-by-side')}?{urlencode(query)}"


@require_GET
def side_by_side(request: HttpRequest) -> HttpResponse:
    """Rows are characteristics; what differs stands out, what agrees folds away."""
    ids = _ids(request.GET.get("files", ""))
    if added := asked_id(request.GET, "add"):
        ids = list(dict.fromkeys([*ids, added]))[:MOST_FILES]
    files = _files(ids)
    version: SpecVersion | None = _chosen(request, SpecVersion, "spec")
    timeline: Timeline | None = _chosen(request, Timeline, "timeline")
    kept = {key: request.GET[key] for key in ("spec", "timeline") if request.GET.get(key)}
    facts = {file.pk: known for file in files if file.inspection and (known := file.inspection.facts)}
    read = [file for file in files if file.pk in facts]
    covered = _covered(read, version, timeline)
    groups = compare(
        [
            Compared(inspection=facts[file.pk], covered=covered.get(file.pk), captioned=captioned_for(file))
            for file in read
        ],
        spec=version.parsed() if version else None,
        timeline=timeline.edit if timeline else None,
    )
    differing = sum(len(group.differing) for group in groups)
    agreeing = sum(len(group.agreeing) for group in groups)
    context = {
        "columns": [_column(file, files, kept) for file in read],
        "unread": [file for file in files if file not in read],
        "version": version,
        "timeline": timeline,
        "groups": groups,
        "span": 1 + bool(version) + bool(timeline) + len(read),  # columns of the table
        "differing": differing,
        "agreeing": agreeing,
        "files_text": ",".join(str(file.pk) for file in files),
        "kept": kept,
        "offered": MediaFile.objects.exclude(pk__in=ids).order_by("-pk")[:_OFFERED] if len(ids) < MOST_FILES else [],
    }
    return render(request, "checks/side_by_side.html", context)


def _column(file: MediaFile, files: list[MediaFile], kept: dict[str, str]) -> Column:
    attempt = next((one.attempt for one in file.renders.all()), None)
    others = ",".join(str(other.pk) for other in files if other.pk != file.pk)
    return Column(
        file=file,
        title=f"Attempt {attempt}" if attempt else "File",
        without=f"?{urlencode(kept | {'files': others})}",
    )
