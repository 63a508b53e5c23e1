"""Pages: Files, a file's facts, browsing a root."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any
from urllib.parse import urlencode

from django import forms
from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from brisk_core.exact import spell_bit_rate, spell_bytes
from brisk_core.facts import (
    REGISTRY,
    FactsBuilder,
    Group,
    Inspection,
    Unheard,
    Witness,
    find_contradictions,
    keys,
    spell,
)
from brisk_core.packets import LINE_SPEEDS, LinePlay, play_over_line
from brisk_web.accounts.people import signed_in
from brisk_web.house.models import in_use
from brisk_web.jobs.suggestions import suggest
from brisk_web.pages.changing import SeenMixin
from brisk_web.pages.first_look import seen_so_far
from brisk_web.pages.searching import COMPARISONS, Search, fact_choices
from brisk_web.storage import services
from brisk_web.storage.models import MediaFile, StorageRoot
from brisk_web.ui.asking import words
from brisk_web.ui.paging import by_number


@require_GET
def file_list(request: HttpRequest) -> HttpResponse:
    """Every file that is known, found by name or by any fact, in the order that is asked for."""
    search = Search.of(request.GET)
    found = search.files()
    page = by_number(
        request,
        found.select_related("inspection", "root", "caption_file")
        .defer("caption_file__document")
        .prefetch_related(*_RELATED),
    )
    rows = [{"file": file, "facts": _headline(file), "purpose": _purpose(file)} for file in page.rows]
    active = any(file.inspection and file.inspection.is_active for file in page.rows)
    context = {
        "rows": rows,
        "page": page,
        "search": search,
        "found": found.count(),
        "known": MediaFile.objects.count() if search.is_narrowed else None,
        "columns": _columns(request, search),
        "fact_choices": fact_choices(),
        "comparisons": COMPARISONS,
        "roots": in_use(StorageRoot.objects.all()),
        "refresh_ms": 1500 if active else 0,
    }
    return render(request, "storage/file_list.html", context)


_ENTRIES = 200  # of a folder on one page
_LONGEST_CELL, _FOLDED_AT = 160, 90  # characters of a fact that are shown at once, and where a longer one is folded
_RELATED = ("renders__deliverable__job", "caption_file__files", "stem_parts", "stem_checks")


def _purpose(file: MediaFile) -> str:
    """What a file is for that belongs to no deliverable."""
    if hasattr(file, "caption_file"):
        count = len(file.caption_file.files.all())
        return f"captions of {count} file{'' if count == 1 else 's'}" if count else "captions of no file yet"
    if file.stem_checks.all():
        return "a mix"
    return "a stem" if file.stem_parts.all() else "no deliverable"


#: Columns of the list: title, the order they stand for, whether their figures stand to the right.
_COLUMNS = (
    ("Name", "name", False),
    ("For", "", False),
    ("Codec", "codec", False),
    ("Size", "size", False),
    ("Rate", "rate", True),
    ("Scan", "scan", False),
    ("Mean", "mean", True),
    ("Duration", "duration", True),
    ("Bytes", "bytes", True),
)


def _columns(request: HttpRequest, search: Search) -> list[dict[str, Any]]:
    """The heads of the list; each leads to the list ordered by it, and turned round where it is already."""
    kept = {key: value for key, value in request.GET.items() if key not in ("page", "sort")}
    heads = []
    for title, order, right in _COLUMNS:
        rising, falling = search.order == order, search.order == f"-{order}"
        address = urlencode(kept | {"sort": f"-{order}" if rising else order}) if order else ""
        state = "ascending" if rising else "descending" if falling and order else ""
        heads.append({"title": title, "address": address, "right": right, "state": state})
    return heads


_HEADLINE = (
    keys.PICTURE_CODEC.id,
    keys.PICTURE_SIZE.id,
    keys.PICTURE_FRAME_RATE.id,
    keys.PICTURE_SCAN.id,
    keys.BITRATE_AVERAGE.id,
    keys.WRAPPER_DURATION.id,
)


def _headline(file: MediaFile) -> list[str]:
    """The facts an operator looks at first, spelled; an empty text where one is not known."""
    facts = file.inspection.facts if file.inspection else None
    if facts is None:
        return [""] * len(_HEADLINE)
    return [
        "" if facts.best(id_) is None else spell(REGISTRY[id_].kind, False, facts.best(id_), REGISTRY[id_].unit)
        for id_ in _HEADLINE
    ]


@require_GET
def media_file(request: HttpRequest, file_id: int) -> HttpResponse:
    """One file: its facts by three witnesses, its checks."""
    file = get_object_or_404(MediaFile.objects.select_related("inspection", "root"), pk=file_id)
    inspection = file.inspection
    facts = inspection.facts if inspection else None
    whole_rate = facts[keys.WRAPPER_BITRATE] if facts else None
    context = {
        "file": file,
        "changed": file.has_changed,
        "inspection": inspection,
        "seen": seen_so_far(file.pk, inspection),
        "groups": _fact_groups(facts) if facts else [],
        "unmeasured": _unmeasured(facts) if facts else [],
        "lines": [
            {
                "speed": spell_bit_rate(one.bits_per_second),
                "play": one,
                "longest": max((s for _, s in one.stalls), default=0),
            }
            for one in (_over_lines(file, facts) if facts else ())
        ],
        "an_hour": spell_bytes(round(whole_rate * 3600 / 8)) if whole_rate else "",
        "with_sound": bool(facts and facts[keys.SOUND_TRACKS]),
        "with_places": request.GET.get("places") == "1",
        "checks": file.checks.select_related("spec_version__spec", "render__deliverable__job"),
        "suggestion": suggest(file.name),
        "refresh_ms": 1500 if inspection and inspection.is_active else 0,
    }
    return render(request, "storage/file.html", context)


def _folded(text: str) -> tuple[str, str]:
    """Return the beginning of a long text, to its last whole word, and the rest; a short one has none."""
    if len(text) <= _LONGEST_CELL:
        return text, ""
    begins = text[:_FOLDED_AT].rpartition(" ")[0] or text[:_FOLDED_AT]
    return begins, text[len(begins) :].strip()


def _spelled(facts: Inspection, id_: str, contradicting: Collection[str]) -> dict[str, Any] | None:
    characteristic, witnessed = REGISTRY[id_], facts.facts[id_]
    if not witnessed.spoken():
        return None
    places = facts.places.get(id_, {})
    cells = []
    for witness in Witness:
        value = witnessed.of(witness)
        known = value is not None and value is not Unheard.UNHEARD
        text = spell(characteristic.kind, characteristic.per_track, value, characteristic.unit) if known else ""
        begins, rest = _folded(text)
        cells.append({"text": begins, "rest": rest, "place": places.get(witness.value, "")})
    return {"characteristic": characteristic, "cells": cells, "disagree": id_ in contradicting}


def _fact_groups(facts: Inspection) -> list[tuple[str, list[dict[str, Any]]]]:
    groups = []
    contradicting = find_contradictions(FactsBuilder.resume(facts))
    for group in Group:
        ids = [id_ for id_, characteristic in REGISTRY.items() if characteristic.group is group and id_ in facts.facts]
        rows = [_spelled(facts, id_, contradicting) for id_ in ids]
        kept = [characteristic for characteristic in rows if characteristic]
        if kept:
            groups.append((group.value, kept))
    return groups


def _over_lines(file: MediaFile, facts: Inspection) -> list[LinePlay]:
    """How the file plays to viewers on slow lines, for each of some speeds; nothing for a file without pictures."""
    rate = facts[keys.PICTURE_FRAME_RATE]
    series = file.inspection.load_series() if file.inspection and rate else None
    if series is None or rate is None or facts[keys.PICTURE_FRAME_COUNT] is None:
        return []
    first = facts[keys.WRAPPER_INDEX_FIRST] is not False
    return [play_over_line(series, rate, speed, file_size=file.size, index_first=first) for speed in LINE_SPEEDS]


def _unmeasured(facts: Inspection) -> list[tuple[str, list[str]]]:
    """What could not be heard, by reason."""
    by_reason: dict[str, list[str]] = {}
    for id_, reason in facts.unread.items():
        by_reason.setdefault(reason, []).append(REGISTRY[id_].label)
    return sorted(by_reason.items())


@require_GET
def browse_root(request: HttpRequest, root_id: int) -> HttpResponse:
    """The folders and files of a root."""
    root = get_object_or_404(StorageRoot, pk=root_id)
    path = request.GET.get("path", "").strip("/")
    try:
        entries = services.browse(root, path)
    except services.StorageRefused as error:
        messages.error(request, str(error))
        entries = []
    steps = path.split("/") if path else []
    trail = [("/".join(steps[: number + 1]), step) for number, step in enumerate(steps)]
    page = by_number(request, entries, _ENTRIES)
    context = {"root": root, "path": path, "trail": trail, "page": page, "count": len(entries)}
    return render(request, "storage/browse.html", context | {"entries": services.known_among(root, page.rows)})


@require_POST
@permission_required("storage.add_storageroot", raise_exception=True)
def add_root(request: HttpRequest) -> HttpResponse:
    """Add a storage root."""
    try:
        root = services.add_root(words(request.POST, "name"), words(request.POST, "url"), by=signed_in(request))
    except services.StorageRefused as error:
        messages.error(request, str(error))
        return redirect("house")
    return redirect("browse-root", root.pk)


class RootForm(SeenMixin, forms.ModelForm):  # type: ignore[type-arg]  # it takes none when it runs
    """The name of a storage root."""

    class Meta:
        model = StorageRoot
        fields = ("name",)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.keep(self.instance)


@permission_required("storage.add_storageroot", raise_exception=True)
def change_root(request: HttpRequest, root_id: int) -> HttpResponse:
    """Give a storage root another name."""
    root = get_object_or_404(StorageRoot, pk=root_id)
    form = RootForm(request.POST or None, instance=root)
    if request.method == "POST" and form.is_valid():
        services.rename_root(root, form.cleaned_data["name"], by=signed_in(request))
        return redirect("house")
    context = {"form": form, "heading": f"Change {form.initial['name']}", "action": "Save"}
    return render(request, "jobs/form.html", context)


@require_POST
@permission_required("storage.add_mediafile", raise_exception=True)
def register_file(request: HttpRequest, root_id: int) -> HttpResponse:
    """Register a file of a root and go on to what it is for."""
    root = get_object_or_404(StorageRoot, pk=root_id)
    try:
        file = services.register(root, request.POST.get("path", ""), by=signed_in(request))
    except services.StorageRefused as error:
        messages.error(request, str(error))
        return redirect("browse-root", root.pk)
    return redirect("take-in", file.pk)
