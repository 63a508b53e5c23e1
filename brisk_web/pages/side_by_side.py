"""The page Side by side: the spec, the timeline, and up to four files."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET

from brisk_core.edit import FrameRange
from brisk_core.report import Compared, compare
from brisk_web.captions.services import captioned_for
from brisk_web.checks.models import Check
from brisk_web.edits.models import Timeline
from brisk_web.jobs.models import Render
from brisk_web.shelf.models import SpecVersion
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import asked_id, whole

MOST_FILES = 4
_OFFERED = 60  # newest files in the list of files to add


@dataclass(frozen=True, slots=True, kw_only=True)
class Column:
    """One file on the page."""

    file: MediaFile
    title: str  #: "Master" of another on the page, "Attempt 2" where it is one, else "File"
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


def _checked(files: list[MediaFile], version: SpecVersion | None) -> list[Check]:
    """The checks of files by a version of a spec, the newest last."""
    return list(Check.objects.filter(media_file__in=files, spec_version=version).order_by("pk")) if version else []


def _covered(checks: list[Check], timeline: Timeline | None) -> dict[int, FrameRange]:
    """The range of the timeline by which each file was checked, by file id; a file without such a check covers all."""
    if timeline is None:
        return {}
    by_it = (check for check in checks if check.timeline_id == timeline.pk)
    return {check.media_file_id: timeline.covered(check.range_start, check.range_end) for check in by_it}


def side_address(files: Sequence[int], spec_version: int, timeline: int | None, master: int | None = None) -> str:
    """Return the page's address for a master and the first few of ``files`` (ids, newest first), shown oldest first."""
    others = [file for file in files if file != master][: MOST_FILES - bool(master)]
    shown = [*([master] if master else []), *reversed(others)]
    query: dict[str, Any] = {"files": ",".join(map(str, shown)), "spec": spec_version}
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
    checks = _checked(read, version)
    covered, kinds = _covered(checks, timeline), {check.media_file_id: check.kind_of_work for check in checks}
    groups = compare(
        [
            Compared(
                inspection=facts[file.pk],
                covered=covered.get(file.pk),
                captioned=captioned_for(file),
                kind_of_work=kinds.get(file.pk),
            )
            for file in read
        ],
        spec=version.parsed() if version else None,
        timeline=timeline.edit if timeline else None,
    )
    masters = set(_masters_of(files).values_list("pk", flat=True))
    differing = sum(len(group.differing) for group in groups)
    agreeing = sum(len(group.agreeing) for group in groups)
    context = {
        "columns": [_column(file, files, kept, masters) for file in read],
        "unread": [file for file in files if file not in read],
        "version": version,
        "timeline": timeline,
        "groups": groups,
        "span": 1 + bool(version) + bool(timeline) + len(read),  # columns of the table
        "differing": differing,
        "agreeing": agreeing,
        "files_text": ",".join(str(file.pk) for file in files),
        "kept": kept,
        "offered": _offered(files) if len(ids) < MOST_FILES else [],
    }
    return render(request, "checks/side_by_side.html", context)


def _masters_of(files: list[MediaFile]) -> QuerySet[MediaFile]:
    """The files that some of these files are held against."""
    return MediaFile.objects.filter(checks_against_it__media_file__in=files).distinct()


def _offered(files: list[MediaFile]) -> list[tuple[str, list[tuple[int, str]]]]:
    """What can be added, by group: renders of the same jobs first, then masters, then other files with pictures or
    sound.
    """
    ids = [file.pk for file in files]
    readable = MediaFile.objects.filter(caption_file__isnull=True, inspection__document__isnull=False).exclude(
        pk__in=ids
    )
    renders = (
        Render.objects.filter(deliverable__job__deliverables__renders__media_file__in=files, media_file__in=readable)
        .select_related("deliverable", "media_file")
        .order_by("deliverable__name", "-attempt")
        .distinct()
    )
    own = [(render.media_file_id, f"{render}: {render.media_file.name}") for render in renders[:_OFFERED]]
    masters = [(file.pk, file.name) for file in _masters_of(files).filter(pk__in=readable)]
    taken = {pk for pk, _ in (*own, *masters)}
    others = [(file.pk, file.name) for file in readable.exclude(pk__in=taken).order_by("-pk")[:_OFFERED]]
    groups = (("Renders of the same job", own), ("Masters", masters), ("Other files", others))
    return [(name, entries) for name, entries in groups if entries]


def _column(file: MediaFile, files: list[MediaFile], kept: dict[str, str], masters: set[int]) -> Column:
    attempt = next((one.attempt for one in file.renders.all()), None)
    others = ",".join(str(other.pk) for other in files if other.pk != file.pk)
    return Column(
        file=file,
        title="Master" if file.pk in masters else f"Attempt {attempt}" if attempt else "File",
        without=f"?{urlencode(kept | {'files': others})}",
    )
