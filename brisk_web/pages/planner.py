"""The Planner: what fits under a cap. The whole plan stands in the address; it can be kept with a job."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse, QueryDict
from django.views.decorators.http import require_GET

from brisk_core.plan.bits_document import MOST_FILES, PICTURE_CODECS
from brisk_web.house.models import kinds_of_work
from brisk_web.jobs.models import Deliverable
from brisk_web.pages.planning import Page, as_json, chosen_version, kept_plans, show
from brisk_web.planner.models import Plan
from brisk_web.shelf.models import SpecVersion, published_by_family
from brisk_web.ui.asking import asked_id, rows, words

#: What each wrapper is called.
WRAPPER_WORDS = {
    "mp4": "MP4",
    "mov": "MOV",
    "mp4-fragmented": "MP4 in fragments",
    "mpeg-ts": "Transport stream",
    "mpeg-ps": "Program stream",
    "mpeg-ps-packs": "Program stream, a pack each 2,048 bytes",
    "mpeg-ps-disc": "Program stream of a disc",
    "matroska": "Matroska",
    "webm": "WebM",
    "mxf-op1a": "MXF OP1a",
}
_OF_PLAN = ("cap", "reserve", "wrapper", "codec", "group", "picture_rate", "line", "index_first", "kind_of_work")
_OF_FILE = ("name", "length", "rate", "size", "sounds", "texts", "weight")
_AT_FIRST = {"index_first": "yes", "reserve": "2", "wrapper": "mp4", "codec": "avc", "group": "2 s"}


def _asked(form: QueryDict) -> dict[str, Any] | None:
    """What a form asks, as the core reads it; what was left empty is left out."""
    if "cap" not in form:
        return None
    asked: dict[str, Any] = {name: words(form, name) for name in _OF_PLAN if words(form, name)}
    files = []
    for row in rows(form, "file", _OF_FILE, MOST_FILES):
        file: dict[str, Any] = {name: value for name, value in row.items() if value and name != "sounds"}
        file["sounds"] = [one.strip() for one in row["sounds"].split(",") if one.strip()]
        files.append(file)
    if job := asked_id(form, "job"):
        asked["job"] = job
    return asked | {"files": files}


def _of_deliverable(deliverable: Deliverable) -> tuple[dict[str, str], SpecVersion]:
    """The row of a file that answers a deliverable: its name, and length, rate and size of its timeline."""
    row = {"name": deliverable.name, "sounds": "aac 192 kb/s"}
    if deliverable.timeline:
        edit = deliverable.timeline.edit
        covered = deliverable.timeline.covered(deliverable.range_start, deliverable.range_end)
        rate = edit.rate
        row |= {"length": f"{covered.end - covered.start} frames", "rate": str(rate)}
        if edit.size:
            row["size"] = "{}x{}".format(*edit.size)
    return row, deliverable.spec_version


PAGE = Page(kind=Plan.Kind.BITS, address="planner", template="planner/bits.html", asks=_asked, version=chosen_version)


@require_GET
def bits(request: HttpRequest) -> HttpResponse:
    """What fits under a cap, for one file or several that share it."""
    form, version = request.GET, chosen_version(request.GET)
    values = _AT_FIRST | {name: words(form, name) for name in _OF_PLAN if name in form}
    filled = rows(form, "file", _OF_FILE, MOST_FILES)
    deliverable = Deliverable.objects.filter(pk=asked_id(form, "deliverable")).select_related("timeline", "job").first()
    if deliverable and not filled:
        row, version = _of_deliverable(deliverable)
        filled, values["kind_of_work"] = [row], deliverable.job.kind_of_work
    context: dict[str, Any] = {
        "values": values,
        "rows": [*filled, {}] if len(filled) < MOST_FILES else filled,
        "version": version,
        "versions": published_by_family(),
        "choices": {
            "wrapper": list(WRAPPER_WORDS.items()),
            "codec": [(one, one) for one in PICTURE_CODECS],
            "index_first": (("yes", "before the media"), ("no", "behind it")),
            "kind_of_work": [("", "not said"), *kinds_of_work()],
        },
        "job": deliverable.job if deliverable else None,
        "plans": kept_plans(Plan.Kind.BITS),
    }
    return show(request, PAGE, context)


@require_GET
def bits_json(request: HttpRequest) -> JsonResponse:
    """The answer as JSON of schema ``brisk-sentry/plan-bits/1``."""
    return as_json(request, PAGE)
