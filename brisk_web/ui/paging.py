"""Paging by key: the next page begins where this one ended, so a list of any length costs the same."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from django.db.models import QuerySet
from django.http import HttpRequest

PAGE = 50  # rows


@dataclass(frozen=True, slots=True, kw_only=True)
class Page:
    """One page of a list, newest first."""

    rows: list[Any]
    following: str  #: query of the next page, empty on the last
    former: str  #: query of the first page, empty when this is it


def newest_first(request: HttpRequest, rows: QuerySet[Any], size: int = PAGE) -> Page:
    """Return the page that the request's ``before`` asks for; rows are ordered by falling primary key."""
    before = request.GET.get("before", "")
    found = rows.order_by("-pk")
    if before.isdigit():
        found = found.filter(pk__lt=int(before))
    shown = list(found[: size + 1])
    kept = {key: value for key, value in request.GET.items() if key != "before"}
    following = f"?{urlencode(kept | {'before': shown[size - 1].pk})}" if len(shown) > size else ""
    return Page(rows=shown[:size], following=following, former=f"?{urlencode(kept)}" if before else "")
