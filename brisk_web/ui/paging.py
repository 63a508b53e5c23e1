"""Paging: by key, where the next page begins where this one ended; by number, where the reader chooses the order."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from urllib.parse import urlencode

from django.db.models import F, Q, QuerySet
from django.http import HttpRequest

from brisk_web.ui.asking import whole

PAGE = 50  # rows
_LAST_PAGE = 10_000  # of lists that are paged by number


@dataclass(frozen=True, slots=True, kw_only=True)
class Page:
    """One page of a list."""

    rows: list[Any]
    following: str  #: query of the next page, empty on the last
    first: str  #: query of the first page, empty when this is it


def by_number(request: HttpRequest, rows: QuerySet[Any] | Sequence[Any], size: int = PAGE) -> Page:
    """Return the page that the request's ``page`` asks for, of rows in an order that has no key to go on from."""
    number = min(max(whole(request.GET.get("page"), 1) or 1, 1), _LAST_PAGE)
    return _numbered(request, list(rows[(number - 1) * size : number * size + 1]), number, size)


def _numbered(request: HttpRequest, shown: list[Any], number: int, size: int) -> Page:
    """Return a page of rows, of which one more than it shows tells that there are others."""
    kept = {key: value for key, value in request.GET.items() if key != "page"}
    following = f"?{urlencode(kept | {'page': number + 1})}" if len(shown) > size else ""
    return Page(rows=shown[:size], following=following, first=f"?{urlencode(kept)}" if number > 1 else "")


def due_first(request: HttpRequest, rows: QuerySet[Any], size: int = PAGE) -> Page:
    """Return the page that the request's ``after`` asks for; rows are ordered by ``due_at``, those without one last.

    ``after`` is the due time and the primary key of the last row before it: "2026-11-28T09:00:00+00:00 17".
    """
    due, parted, key = request.GET.get("after", "").replace("\x00", "").rpartition(" ")
    moment, number = _moment(due), whole(key) if parted else None
    found = rows.order_by(F("due_at").asc(nulls_last=True), "pk")
    began = number is not None and (moment is not None or not due)
    if began and moment is not None:
        found = found.filter(Q(due_at__gt=moment) | Q(due_at=moment, pk__gt=number) | Q(due_at=None))
    elif began:
        found = found.filter(due_at=None, pk__gt=number)
    shown = list(found[: size + 1])
    kept = {key: value for key, value in request.GET.items() if key != "after"}
    following = ""
    if len(shown) > size:
        last = shown[size - 1]
        due_at = last.due_at.isoformat() if last.due_at else ""
        following = f"?{urlencode(kept | {'after': f'{due_at} {last.pk}'})}"
    return Page(rows=shown[:size], following=following, first=f"?{urlencode(kept)}" if began else "")


def _moment(text: str) -> datetime | None:
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        return None
    return found if found.tzinfo else None


def newest_first(request: HttpRequest, rows: QuerySet[Any], size: int = PAGE) -> Page:
    """Return the page that the request's ``before`` asks for; rows are ordered by falling primary key."""
    before = whole(request.GET.get("before"))
    found = rows.order_by("-pk")
    if before is not None:
        found = found.filter(pk__lt=before)
    shown = list(found[: size + 1])
    kept = {key: value for key, value in request.GET.items() if key != "before"}
    following = f"?{urlencode(kept | {'before': shown[size - 1].pk})}" if len(shown) > size else ""
    return Page(rows=shown[:size], following=following, first=f"?{urlencode(kept)}" if before else "")
