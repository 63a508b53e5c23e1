"""Going anywhere by name: jobs, deliverables, files, timelines, specs, pages and what can be done."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import asdict, dataclass
from functools import reduce
from operator import or_
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.db.models import Q, QuerySet
from django.http import HttpRequest, JsonResponse
from django.urls import reverse
from django.views.decorators.http import require_GET

from brisk_web.edits.models import Timeline
from brisk_web.jobs.models import Deliverable, Job, owed
from brisk_web.shelf.models import Spec
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import words

_OF_A_KIND = 6  # places that are offered of each kind
_MOST_WORDS = 8
_CLOSED = "closed"


@dataclass(frozen=True, slots=True, kw_only=True)
class Place:
    """Somewhere to go."""

    kind: str
    name: str
    more: str  #: what tells it from others of its name
    address: str


#: Pages and actions: kind, name, other words for it, name of the address, permission.
_FIXED = (
    ("page", "Desk", "what waits, intake, upload", "desk", ""),
    ("page", "Jobs", "titles, deliverables", "jobs", ""),
    ("page", "Files", "find a file by its facts", "files", ""),
    ("page", "Specs", "shelf of delivery specifications", "specs", ""),
    ("page", "Who takes a value", "lines of all specs, search the shelf", "spec-lines", ""),
    ("page", "Compare two specs", "versions, stricter, looser", "compare-specs", ""),
    ("page", "Planner", "what fits, bit rate, size, length", "planner", ""),
    ("page", "Rates", "target rate, harm, frames wrongly timed", "planner-rates", ""),
    ("page", "Sizes", "what each codec would weigh, planner", "planner-sizes", ""),
    ("page", "Nearest rows", "order, size, rate and scan that a spec allows, planner", "planner-order", ""),
    ("page", "Plays", "which players play which files, planner", "planner-plays", ""),
    ("page", "Other side", "what a site makes of a file, copies, delays, planner", "planner-target", ""),
    ("page", "Deck", "which clips a playout deck shows, alpha, planner", "planner-deck", ""),
    ("page", "Discs", "menus, chapters, room, walk, planner", "planner-discs", ""),
    ("page", "Hand-off", "deliver, send, destinations, receipts", "hand-offs", ""),
    ("page", "Watched folders", "incoming, arriving files, hot, automatic, files", "watched-folders", ""),
    ("page", "Notices", "bell, told, mail, what I am told", "notices", ""),
    ("page", "Reports and statistics", "what failed, period, first-time pass rate", "reports", ""),
    ("page", "Side by side", "compare files or attempts", "side-by-side", ""),
    ("page", "Glossary", "what the words mean, help", "glossary", ""),
    ("page", "House", "workers, queue, storage roots, people, trail", "house", ""),
    ("page", "Queue", "what waits, what runs, order, pause, stuck, slow", "queue", ""),
    ("page", "What goes by itself", "retention, remove, kept, days, cache, room", "kept", ""),
    ("page", "You", "your time zone, settings", "you", ""),
    ("page", "Where you are signed in", "sessions, devices, sign out elsewhere", "sessions", ""),
    ("page", "Passkeys", "sign in, finger, face, security key, device", "passkeys", ""),
    ("page", "Second step of signing in", "code, two-factor, authenticator app, recovery codes", "second-step", ""),
    ("page", "Your tokens", "programs, API, keys of other programs", "tokens", ""),
    ("page", "What other programs can call", "API, OpenAPI, tokens", "calls", ""),
    ("page", "Change your password", "", "password", ""),
    ("action", "Open a job", "new title", "new-job", "jobs.add_job"),
    ("action", "Watch a folder", "incoming, arriving files, automatic", "watch-folder", "watching.keep_watched"),
    ("action", "Add a destination", "folder, FTP, hand-off", "new-destination", "handoff.keep_destinations"),
    ("page", "People", "accounts, invite, roles, passwords, sessions", "people", "auth.change_user"),
    ("page", "House defaults", "what new things begin with, defaults", "house-defaults", "house.change_defaults"),
    ("page", "Programs that are told", "webhook, message, house", "hooks", "telling.keep_hooks"),
    ("action", "The house's words", "why, what to change, remedy", "house-words", "shelf.add_specversion"),
    ("action", "Write a spec", "new specification", "new-spec", "shelf.add_specversion"),
)


@require_GET
def find(request: HttpRequest) -> JsonResponse:
    """Places whose names hold every word that is asked for, those that begin with the words first."""
    asked = words(request.GET, "q").casefold().split()[:_MOST_WORDS]
    places = [*_fixed(asked, request.user)]
    if asked:
        places += [place for kind in _known(asked) for place in kind]
    places.sort(key=lambda place: not place.name.casefold().startswith(asked[0] if asked else ""))
    return JsonResponse({"places": [asdict(place) for place in places]})


def _fixed(asked: Iterable[str], person: User | AnonymousUser) -> Iterator[Place]:
    for kind, name, more, address, permission in _FIXED:
        held = f"{name} {more}".casefold()
        if all(word in held for word in asked) and (not permission or person.has_perm(permission)):
            yield Place(kind=kind, name=name, more=more, address=reverse(address))


def _known(asked: list[str]) -> Iterator[list[Place]]:
    """Places of each kind of record."""
    yield [
        Place(kind="job", name=job.title, more=_CLOSED if job.retired_at else "", address=reverse("job", args=[job.pk]))
        for job in _with(Job.objects.order_by("-pk"), asked, "title")
    ]
    found = _with(owed(Deliverable.objects.select_related("job")).order_by("-pk"), asked, "name", "job__title")
    for deliverable in found:
        newest = deliverable.renders.select_related("check_record").first()
        address, more = reverse("job", args=[deliverable.job_id]), deliverable.job.title
        if newest:
            address, more = reverse("check", args=[newest.check_record.pk]), f"{more}, attempt {newest.attempt}"
        yield [Place(kind="deliverable", name=deliverable.name, more=more, address=address)]
    yield [
        Place(kind="file", name=file.name, more=file.root.name, address=reverse("file", args=[file.pk]))
        for file in _with(MediaFile.objects.select_related("root").order_by("-pk"), asked, "name")
    ]
    yield [
        Place(kind="timeline", name=edit.name, more=edit.job.title, address=reverse("timeline", args=[edit.pk]))
        for edit in _with(Timeline.objects.select_related("job").defer("document"), asked, "name", "file_name")
    ]
    yield [
        Place(kind="spec", name=spec.name, more=spec.family, address=reverse("spec", args=[spec.slug]))
        for spec in _with(Spec.objects.order_by("name"), asked, "name", "slug", "family")
    ]


def _with(rows: QuerySet[Any], asked: list[str], *fields: str) -> QuerySet[Any]:
    """Those of some rows whose fields hold every word."""
    for word in asked:
        rows = rows.filter(reduce(or_, (Q(**{f"{field}__icontains": word}) for field in fields)))
    return rows[:_OF_A_KIND]
