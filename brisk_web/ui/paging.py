"""Paging: by key, where the next page begins where this one ended; by number, where the reader chooses the order."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from django.db.models import QuerySet
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
