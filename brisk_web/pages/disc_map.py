"""The map of a disc, drawn and changed by mouse and keys: every change is one step of the document."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from brisk_core.errors import PlanRefused
from brisk_core.plan.disc import editing
from brisk_core.plan.disc.items import Disc, Screen
from brisk_core.spec.written import rewrite
from brisk_web.accounts.people import signed_in
from brisk_web.handoff.models import Destination
from brisk_web.house.models import in_use
from brisk_web.house.services import DecisionRefused
from brisk_web.planner.models import Plan
from brisk_web.planner.outside import try_outside
from brisk_web.planner.services import files_of, undo_disc, write_disc
from brisk_web.ui.asking import asked_id, words

_COLUMN, _ROW, _WIDE, _HIGH, _EDGE = 164, 50, 128, 34, 14  # in units of the drawing
_rewrite = partial(rewrite, expected="a disc")
_LEADS = (("stop", "the disc stops"), ("back", "back to where one came from"))


@require_POST
@permission_required("planner.add_plan", raise_exception=True)
def edit_map(request: HttpRequest, plan_id: int) -> HttpResponse:
    """Do one step, as the button says, and show what was changed."""
    plan = get_object_or_404(Plan.objects.select_related("job"), pk=plan_id, kind=Plan.Kind.DISC)
    action, item = words(request.POST, "action"), words(request.POST, "item")
    try:
        if action == "undo":
            if not undo_disc(plan, by=signed_in(request)):
                messages.info(request, "There is nothing to undo.")
        else:
            text, item = _stepped(plan.asked["text"], action, item, request)
            write_disc(plan, text, by=signed_in(request))
    except PlanRefused as error:
        messages.error(request, "; ".join(str(one) for one in error.mistakes) or str(error))
    shown = f"?{urlencode({'item': item})}" if item else ""
    return redirect(f"{reverse('plan', args=[plan.pk])}{shown}#map")


@require_POST
@permission_required("planner.add_plan", raise_exception=True)
def play_outside(request: HttpRequest, plan_id: int) -> HttpResponse:
    """Send a disc to a player outside, to be walked there by every key."""
    plan = get_object_or_404(Plan, pk=plan_id, kind=Plan.Kind.DISC)
    destination = get_object_or_404(Destination, pk=asked_id(request.POST, "destination"))
    try:
        try_outside(plan, destination, by=signed_in(request))
    except DecisionRefused as error:
        messages.error(request, str(error))
    return redirect(f"{reverse('plan', args=[plan.pk])}#outside")


def _stepped(text: str, action: str, item: str, request: HttpRequest) -> tuple[str, str]:
    """The text of a disc after a step, and the item that is shown then."""
    to, button, name = (words(request.POST, field) for field in ("to", "button", "name"))
    match action:
        case "draw":
            return _rewrite(text, lambda disc: editing.draw_way(disc, item, to)), item
        case "lead":
            return _rewrite(text, lambda disc: editing.set_way(disc, item, to, button)), item
        case "rename":
            return _rewrite(text, lambda disc: editing.rename(disc, item, name, button)), item
        case "add-button":
            return _rewrite(text, lambda disc: editing.add_button(disc, item, name, to)), item
        case "remove-button":
            return _rewrite(text, lambda disc: editing.remove_button(disc, item, button)), item
        case "remove":
            return _rewrite(text, lambda disc: editing.remove(disc, item)), ""
        case "start":
            return _rewrite(text, lambda disc: editing.start_with(disc, item)), item
        case "home":
            return _rewrite(text, lambda disc: editing.go_home_to(disc, item)), item
        case "add-screen":
            return _with_new(text, lambda disc: editing.add_screen(disc, name))
        case "add-clip":
            return _with_new(text, lambda disc: editing.add_clip(disc, name, words(request.POST, "file")))
    raise PlanRefused(f"There is no {action[:40]!r} to do with a map.")


def _with_new(text: str, add: Callable[[dict[str, Any]], tuple[dict[str, Any], str]]) -> tuple[str, str]:
    """The text of a disc with an item added, and the id that it got."""
    new = []

    def step(disc: dict[str, Any]) -> dict[str, Any]:
        made, id_ = add(disc)
        new.append(id_)
        return made

    return _rewrite(text, step), new[0]


def item_panel(plan: Plan, read: Disc, chosen: str) -> dict[str, Any]:
    """What the panel beside the map shows: the chosen item, where it may lead, and the files that can become clips."""
    item = read.by_id.get(chosen)
    return {
        "item": item,
        "kind": type(item).__name__.lower() if item else "",
        "buttons": item.buttons if isinstance(item, Screen) else (),
        "targets": [(one.id, one.name) for one in read.items][:400] + list(_LEADS),
        "files": [file.name for file in files_of(plan.job)],
        "undo": len(plan.asked.get("before", [])),
    }


def trials_of(plan: Plan) -> dict[str, Any]:
    """The players outside, and what the newest trials of a disc on them found."""
    trials = list(plan.trials.select_related("destination", "made_by")[:5])
    players = in_use(Destination.objects.filter(answers=Destination.Answers.PLAYER))
    return {"trials": trials, "players": players, "refresh_ms": 1500 if any(one.is_active for one in trials) else 0}


def drawn(found: dict[str, Any]) -> dict[str, Any]:
    """The map as boxes and lines: layers beside each other, by their distance from the start."""
    faulty = {one["item"] for one in found["faults"] if not one["caution"]}
    boxes = {}
    for one in found["map"]["items"]:
        left, top = _EDGE + one["layer"] * _COLUMN, _EDGE + one["row"] * _ROW
        box = {"x": left, "y": top, "text_y": top + _HIGH / 2, "faulty": one["item"] in faulty}
        boxes[one["item"]] = one | box
    lines = [
        row | {"d": _line(boxes[row["from"]], boxes[row["to"]]), "kind": _direction(boxes, row)}
        for row in found["map"]["steps"]
    ]
    lines += [
        {
            "d": _line(boxes[row["list"]], boxes[row["clip"]]),
            "kind": "plays",
            "by": "plays",
            "from": row["list"],
            "to": row["clip"],
        }
        for row in found["map"]["plays"]
    ]
    width = max(box["x"] for box in boxes.values()) + _WIDE + 3 * _EDGE
    height = max(box["y"] for box in boxes.values()) + _HIGH + 2 * _EDGE
    return {"boxes": boxes.values(), "lines": lines, "width": width, "height": height, "box": (_WIDE, _HIGH)}


def _direction(boxes: dict[str, dict[str, Any]], row: dict[str, Any]) -> str:
    return "on" if boxes[row["to"]]["layer"] > boxes[row["from"]]["layer"] else "back"


def _line(one: dict[str, Any], two: dict[str, Any]) -> str:
    """A curve from a box to another: forwards from side to side, backwards and upright around the right side."""
    start, end = (one["x"] + _WIDE, one["y"] + _HIGH / 2), (two["x"], two["y"] + _HIGH / 2)
    if two["layer"] > one["layer"]:
        bend = (end[0] - start[0]) / 2
        return f"M{start[0]} {start[1]}C{start[0] + bend} {start[1]} {end[0] - bend} {end[1]} {end[0]} {end[1]}"
    end = (two["x"] + _WIDE, two["y"] + _HIGH / 2 + 5)
    out = max(start[0], end[0]) + 24
    return f"M{start[0]} {start[1] + 5}C{out} {start[1] + 5} {out} {end[1]} {end[0]} {end[1]}"
