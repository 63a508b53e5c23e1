"""The Planner: discs. Each is a plan that is kept with a job; its page shows its room, its ways and a walk."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

import yaml
from django.contrib.auth.decorators import permission_required
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from brisk_core.errors import Mistake, PlanRefused
from brisk_core.facts import keys
from brisk_core.plan.disc.chapters_file import chapters_vtt
from brisk_core.plan.disc.document import DISC_SCHEMA
from brisk_core.plan.disc.items import Clip, Disc, Screen
from brisk_core.plan.disc.kinds import FAMILIES, KINDS
from brisk_core.plan.disc.walk import KEYS, STOPPED, State, clip_of, read_state, step
from brisk_core.spec.document import read_document
from brisk_web.accounts.people import signed_in
from brisk_web.house.models import in_use
from brisk_web.jobs.models import Job
from brisk_web.pages.disc_map import drawn, item_panel, trials_of
from brisk_web.pages.planning import kept_plans
from brisk_web.planner.models import Plan
from brisk_web.planner.services import disc_files, disc_of, files_of, keep, write_disc
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import asked_id, words

_JOBS = 200  # offered
#: Keys of the remote control: of the walk, of the keyboard, and their labels.
_REMOTE = (
    ("up", "ArrowUp", "Up"),
    ("left", "ArrowLeft", "Left"),
    ("enter", "Enter", "Enter"),
    ("right", "ArrowRight", "Right"),
    ("down", "ArrowDown", "Down"),
    ("previous", "p", "Previous"),
    ("next", "n", "Next"),
    ("title", "t", "Title"),
    ("end", "e", "To its end"),
)
_MOST_DRAWN = 400  # items of a map


@require_GET
def discs(request: HttpRequest) -> HttpResponse:
    """The discs that are planned, and the form for another one."""
    context = {
        "kind": Plan.Kind.DISC,
        "kinds": KINDS.values(),
        "families": FAMILIES,
        "jobs": in_use(Job.objects.all())[:_JOBS],
        "job": Job.objects.filter(pk=asked_id(request.GET, "job")).first(),
        "plans": kept_plans(Plan.Kind.DISC),
    }
    return render(request, "planner/discs.html", context)


@require_POST
@permission_required("planner.add_plan", raise_exception=True)
def new_disc(request: HttpRequest) -> HttpResponse:
    """Begin a disc with the newest files of a job and a menu that leads to each of them."""
    job = get_object_or_404(in_use(Job.objects.all()), pk=asked_id(request.POST, "job"))
    kind = words(request.POST, "disc_kind")
    family = words(request.POST, "family")
    name = words(request.POST, "name")[:200] or job.title
    text = first_disc(
        name, kind if kind in KINDS else "sd-single", family if family in FAMILIES else "25", files_of(job)
    )
    plan = keep(job, name, {"text": text}, None, by=signed_in(request), kind=Plan.Kind.DISC)
    return redirect("plan", plan.pk)


def first_disc(name: str, kind: str, family: str, files: list[MediaFile]) -> str:
    """The text of a disc of some files, each with a button of the menu; of a planned film where there is none."""
    clips: list[dict[str, Any]] = []
    for file in files:
        facts = file.inspection.facts if file.inspection else None
        if facts and facts[keys.PICTURE_FRAME_COUNT]:
            row = {"id": f"clip-{len(clips) + 1}", "kind": "clip", "name": file.name, "file": file.name, "then": "menu"}
            clips.append(row)
    if not clips:
        clips = [{
            "id": "clip-1", "kind": "clip", "name": "Film", "length": "10:00", "rate": 25, "size": "720x576",
            "shape": "16:9", "scan": "interlaced", "codec": "mpeg2", "sounds": ["ac3 192 kb/s"], "then": "menu",
        }]  # fmt: skip
    buttons = [{"id": f"b{at}", "label": row["name"], "to": row["id"]} for at, row in enumerate(clips, 1)]
    menu = {"id": "menu", "kind": "screen", "name": "Menu", "buttons": buttons}
    document = {
        "schema": DISC_SCHEMA, "name": name, "kind": kind, "family": family, "starts_with": "menu", "home": "menu",
        "items": [menu, *clips],
    }  # fmt: skip
    return yaml.safe_dump(document, sort_keys=False, allow_unicode=True, width=110)


@require_POST
@permission_required("planner.add_plan", raise_exception=True)
def change_disc(request: HttpRequest, plan_id: int) -> HttpResponse:
    """Write a disc anew; with mistakes nothing is written, and what was typed stays."""
    plan = _plan(plan_id)
    text = request.POST.get("document", "").replace("\x00", "")
    try:
        write_disc(plan, text, by=signed_in(request))
    except PlanRefused as error:
        mistakes = error.mistakes or [Mistake(place="disc", says=str(error))]
        return disc(request, plan, typed=text, mistakes=mistakes)
    return redirect("plan", plan.pk)


def _plan(plan_id: int) -> Plan:
    return get_object_or_404(Plan.objects.select_related("job", "kept_by"), pk=plan_id, kind=Plan.Kind.DISC)


def disc(request: HttpRequest, plan: Plan, *, typed: str | None = None, mistakes: Any = ()) -> HttpResponse:
    """A disc: its faults, its room, its map, the walk and its text."""
    text = plan.asked["text"]
    context: dict[str, Any] = trials_of(plan) | {
        "plan": plan,
        "found": plan.document,
        "text": text if typed is None else typed,
        "mistakes": mistakes,
        "map": drawn(plan.document) if len(plan.document["map"]["items"]) <= _MOST_DRAWN else None,
    }
    try:
        read = disc_of(plan.asked)
        context["remote"] = _REMOTE
        context["walk"] = _shown(read, _walked(read, request), disc_files(plan.asked))
        context["disc"] = read
        context["panel"] = item_panel(plan, read, words(request.GET, "item"))
    except PlanRefused as error:  # a file of the house is gone, or an older version wrote it
        context["lost"] = str(error)
    return render(request, "planner/disc.html", context)


def _walked(read: Disc, request: HttpRequest) -> State:
    """Where the walk stands: at a place that the address names, after a key that it presses."""
    state, key = STOPPED, words(request.GET, "key")
    try:
        if at := words(request.GET, "at"):
            state = read_state(read, at)
        return step(read, state, key) if key else state
    except PlanRefused:
        return STOPPED  # a place of the disc as it was before it was changed


@dataclass(frozen=True, kw_only=True)
class Walk:
    """What a player shows."""

    state: State
    item: Any
    clip: Clip | None
    screen: Screen | None
    chapter: str
    picture: tuple[MediaFile, int] | None  #: a file and the frame that is kept of it
    came: str


def _shown(read: Disc, state: State, files: dict[str, MediaFile]) -> Walk:
    item, clip = read.by_id.get(state.item or ""), clip_of(read, state)
    came = read.by_id.get(state.came or "")
    screen = item if isinstance(item, Screen) else None
    number, chapter = 0, ""
    if clip and clip.chapters:
        number = clip.chapters[state.chapter - 1].frame
        chapter = clip.chapters[state.chapter - 1].name or f"chapter {state.chapter}"
    file = files.get((clip or item).picture if item else "")
    picture = None
    if file and file.inspection and (kept := file.inspection.small_numbers):
        picture = file, min(kept, key=lambda one: abs(one - number))
    return Walk(
        state=state,
        item=item,
        clip=clip,
        screen=screen,
        chapter=chapter,
        picture=picture,
        came=came.name if came else "",
    )


@require_GET
def walk_json(request: HttpRequest, plan_id: int) -> JsonResponse:
    """A step of the walk: ``at`` is a place that the walk gave, nothing before the first; ``key`` is pressed there."""
    plan = _plan(plan_id)
    at, key = words(request.GET, "at"), words(request.GET, "key")
    try:
        read = disc_of(plan.asked)
        state = read_state(read, at) if at else STOPPED
        state = step(read, state, key) if key else state
    except PlanRefused as error:
        return JsonResponse({"error": str(error), "keys": KEYS}, status=400)
    clip = clip_of(read, state)
    told = {
        "item": state.item,
        "part": state.part,
        "chapter": state.chapter,
        "button": state.button,
        "came": state.came,
    }
    return JsonResponse({"at": str(state), **told, "clip": clip.id if clip else None, "stopped": state.item is None})


@require_GET
def chapters_file(request: HttpRequest, plan_id: int, item: str) -> HttpResponse:
    """The chapters of a clip as WebVTT."""
    plan = _plan(plan_id)
    try:
        clip = disc_of(plan.asked).by_id.get(item)
    except PlanRefused as error:
        raise Http404(str(error)) from error
    if not isinstance(clip, Clip):
        raise Http404(f"{item} is no clip of this disc")
    answer = HttpResponse(chapters_vtt(clip), content_type="text/vtt; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{item}.vtt"'
    return answer


@require_GET
def disc_document(request: HttpRequest, plan_id: int) -> HttpResponse:
    """The disc as it was written, of schema ``brisk-sentry/disc/1``, as JSON."""
    document = read_document(_plan(plan_id).asked["text"])
    return HttpResponse(
        json.dumps(document, indent=2, ensure_ascii=False, default=str), content_type="application/json"
    )
