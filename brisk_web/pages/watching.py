"""Pages: folders that are watched, and what arrived in them."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django import forms
from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.db.models import Count, Q, QuerySet
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET

from brisk_web.accounts.people import signed_in
from brisk_web.house.models import in_use, retired
from brisk_web.pages.changing import SeenMixin
from brisk_web.storage.models import StorageRoot
from brisk_web.ui.asking import words
from brisk_web.ui.paging import by_number
from brisk_web.watching.models import SeenFile, WatchedFolder
from brisk_web.watching.services import WatchRefused, keep_watched

_MAY = "watching.keep_watched"
_STALE = timedelta(minutes=2)  # since the last look, after which nobody seems to look any more
_REFRESH_MS = 5000


def with_counts(rows: QuerySet[WatchedFolder]) -> QuerySet[WatchedFolder]:
    """Watched folders with how many of their files are in each state, as ``count_arriving`` and so on."""
    counts = {f"count_{state}": Count("seen", filter=Q(seen__state=state)) for state in SeenFile.State}
    return rows.select_related("root").annotate(**counts)


@require_GET
def watched_folders(request: HttpRequest) -> HttpResponse:
    """Every folder that is watched, and how it goes."""
    context = {
        "rows": with_counts(in_use(WatchedFolder.objects.all())),
        "retired": retired(WatchedFolder.objects.select_related("root")),
        "stale": timezone.now() - _STALE,
        "roots": in_use(StorageRoot.objects.all()).exists(),
        "refresh_ms": _REFRESH_MS,
    }
    return render(request, "watching/folders.html", context)


@require_GET
def watched_folder(request: HttpRequest, watched_id: int) -> HttpResponse:
    """What arrived in one folder, the newest first."""
    watched = get_object_or_404(with_counts(WatchedFolder.objects.all()), pk=watched_id)
    chosen = words(request.GET, "show")
    chosen = chosen if chosen in SeenFile.State.values else ""
    wanted = words(request.GET, "q")
    seen = watched.seen.select_related("media_file", "watched")
    if chosen:
        seen = seen.filter(state=chosen)
    if wanted:
        seen = seen.filter(path__icontains=wanted)
    counts = {state: getattr(watched, f"count_{state}") for state in SeenFile.State}
    ways = [{"key": state.value, "label": state.label.capitalize(), "count": counts[state]} for state in SeenFile.State]
    context = {
        "watched": watched,
        "page": by_number(request, seen),
        "chosen": chosen,
        "wanted": wanted,
        "ways": [
            {"key": "", "label": "All", "count": sum(counts.values())},
            *(way for way in ways if way["count"] or way["key"] == chosen),
        ],
        "stale": timezone.now() - _STALE,
        "refresh_ms": _REFRESH_MS,
    }
    return render(request, "watching/folder.html", context)


class WatchedForm(SeenMixin, forms.ModelForm):  # type: ignore[type-arg]  # it takes none when it runs
    """A folder to watch, or how it is watched."""

    class Meta:
        model = WatchedFolder
        fields = ("root", "folder", "names", "settle_s", "takes_in", "from_now_on")
        labels = {
            "root": "Storage root",
            "names": "Names that are received",
            "settle_s": "A file has come whole after so many seconds without a change",
            "takes_in": "Take files in by their names",
            "from_now_on": "Leave what lies there already",
        }
        help_texts = {
            "folder": "Below the root, such as incoming/masters; empty for all of it. Folders in it are watched too.",
            "names": "Patterns parted by spaces; * stands for any letters, ? for one. Hidden files are left.",
            "settle_s": "And once nobody writes it any more, where the system tells.",
            "takes_in": "A file whose name fits the naming rule of one deliverable becomes its next attempt. Any other "
            "waits in the intake.",
            "from_now_on": "Without this, every file that lies there is received as well.",
        }
        widgets = {"names": forms.Textarea(attrs={"rows": 3})}

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        roots: Any = self.fields["root"]
        roots.queryset, roots.empty_label = in_use(StorageRoot.objects.all()), "Choose a root"
        if self.instance.pk:
            for name in ("root", "folder", "from_now_on"):  # another place is another folder
                del self.fields[name]
            self.keep(self.instance)


@permission_required(_MAY, raise_exception=True)
def write_watched(request: HttpRequest, watched_id: int | None = None) -> HttpResponse:
    """Watch a folder, or change how it is watched."""
    found = get_object_or_404(WatchedFolder.objects.select_related("root"), pk=watched_id) if watched_id else None
    form = WatchedForm(request.POST or None, instance=found)
    if request.method == "POST" and form.is_valid():
        try:
            watched = keep_watched(form.save(commit=False), by=signed_in(request))
        except WatchRefused as error:
            form.add_error("folder" if "folder" in form.fields else None, str(error))
        else:
            messages.success(request, f"{watched} is watched. It is looked at every ten seconds.")
            return redirect("watched-folder", watched.pk)
    heading = f"How {found} is watched" if found else "Watch a folder"
    return render(request, "watching/form.html", {"form": form, "heading": heading, "action": "Save"})
