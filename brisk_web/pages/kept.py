"""Page: what goes by itself, when, and what would go now."""

from __future__ import annotations

from dataclasses import dataclass

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from brisk_web.work.tidying import KEEPERS


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """One kind of thing that goes."""

    what: str
    goes: str
    count: int  #: that would go now
    size: int  #: bytes of them


@require_GET
def kept(request: HttpRequest) -> HttpResponse:
    """Every kind of thing that goes by itself; nothing is removed by looking."""
    found = [(keeper, keeper.find()) for keeper in KEEPERS]
    rows = [Row(what=keeper.what, goes=keeper.goes, count=one.count, size=one.size) for keeper, one in found]
    context = {"rows": sorted(rows, key=lambda row: (-row.size, -row.count, row.what))}
    return render(request, "house/kept.html", context)
