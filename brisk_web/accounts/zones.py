"""Time zones: one of the house, and one of each person who chose another."""

from __future__ import annotations

import zoneinfo
from collections.abc import Callable
from datetime import timedelta
from functools import lru_cache

from django.conf import settings
from django.contrib.auth.models import User
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from brisk_web.accounts.models import Preference


def zone_name_of(user: object) -> str:
    """Return the name of a person's zone, that of the house where none was chosen or the chosen one is not known."""
    chosen = ""
    if isinstance(user, User):
        chosen = Preference.objects.filter(user=user).values_list("time_zone", flat=True).first() or ""
    return chosen if chosen in _known_zones() else settings.HOUSE_TIME_ZONE


@lru_cache(maxsize=1)
def _known_zones() -> frozenset[str]:
    """All names of zones; the library looks through its files at every call."""
    return frozenset(zoneinfo.available_timezones() | {"UTC"})


def zone_words() -> str:
    """Return the zone in which times are told now: "Lisbon (UTC+1)"."""
    name = timezone.get_current_timezone_name()
    local = timezone.localtime()
    minutes = int((local.utcoffset() or timedelta()).total_seconds() // 60)
    if not minutes and name == "UTC":
        return "UTC"
    hours, rest = divmod(abs(minutes), 60)
    ahead = f"UTC{'-' if minutes < 0 else '+'}{hours}{f':{rest:02}' if rest else ''}"
    place = str(local.tzinfo).rpartition("/")[2].replace("_", " ")
    return f"{place} ({ahead})"


def zones_by_part() -> list[tuple[str, list[tuple[str, str]]]]:
    """Return all zones by the part of the world they lie in, as choices of a form."""
    parts: dict[str, list[tuple[str, str]]] = {}
    for name in sorted(_known_zones()):
        part, slash, place = name.partition("/")
        if slash and part not in ("Etc", "SystemV", "posix", "right", "US", "Brazil", "Canada", "Chile", "Mexico"):
            parts.setdefault(part, []).append((name, place.replace("_", " ").replace("/", ", ")))
    return sorted(parts.items())


def in_pages(request: HttpRequest) -> dict[str, object]:
    """Name the zone to every page."""
    return {"zone_words": zone_words()}


class PersonTimeZone:
    """Tells and reads every time of a request in the zone of the person who asks."""

    def __init__(self, answer: Callable[[HttpRequest], HttpResponse]) -> None:
        self._answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer a request in its zone."""
        with timezone.override(zoneinfo.ZoneInfo(zone_name_of(request.user))):
            return self._answer(request)
