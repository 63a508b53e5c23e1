"""Tidying: every application says what of its own nobody needs any more, which is shown before it goes."""

from __future__ import annotations

import logging
import shutil
from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path
from typing import Any

from axes.models import AccessLog
from django.conf import settings
from django.contrib.sessions.models import Session
from django.db.models import QuerySet
from django.utils import timezone

log = logging.getLogger(__name__)

SIGN_INS_KEPT = timedelta(days=90)


@dataclass(frozen=True, slots=True)
class Removal:
    """What would go now, and how it goes."""

    count: int
    size: int  #: bytes in the data folder; 0 for rows of the database
    remove: Callable[[], int]  #: returns how many things it removed


@dataclass(frozen=True, slots=True)
class Keeper:
    """Removes one kind of thing that nobody needs any more, every hour; called, it returns how many it removed."""

    what: str  #: in words
    goes: str  #: completes "it goes ..."
    find: Callable[[], Removal]

    def __call__(self) -> int:
        return self.find().remove()


#: What upper applications tidy by themselves every hour.
KEEPERS: list[Keeper] = []


def keeper(what: str, goes: str) -> Callable[[Callable[[], Removal]], Keeper]:
    """Register a function that finds what would go now, every hour; see ``Keeper`` for the words."""

    def register(find: Callable[[], Removal]) -> Keeper:
        KEEPERS.append(Keeper(what, goes, find))
        return KEEPERS[-1]

    return register


def rows_to_remove(rows: QuerySet[Any]) -> Removal:
    """The removal of rows of the database."""
    return Removal(rows.count(), 0, lambda: rows.delete()[0])


def size_of(path: Path) -> int:
    """Bytes of a file, or of all files in a folder; what is gone meanwhile counts for nothing."""
    return sum(map(_bytes_of, path.rglob("*"))) if path.is_dir() else _bytes_of(path)


def _bytes_of(path: Path) -> int:
    with suppress(OSError):
        return 0 if path.is_dir() else path.lstat().st_size
    return 0


def paths_to_remove(paths: Iterable[Path], remove: Callable[[Path], object] | None = None) -> Removal:
    """The removal of files and whole folders; ``remove`` does it in another way, and says whether one is gone."""
    listed = list(paths)
    how = remove or _remove

    def go() -> int:
        return sum(how(path) is not False for path in listed)

    return Removal(len(listed), sum(map(size_of, listed)), go)


def _remove(path: Path) -> None:
    shutil.rmtree(path, ignore_errors=True) if path.is_dir() else path.unlink(missing_ok=True)


@keeper("Sessions that are over", f"{settings.SESSION_COOKIE_AGE // 86_400} days after somebody signed in")
def forget_sessions() -> Removal:
    """Sessions that nobody can go on with."""
    return rows_to_remove(Session.objects.filter(expire_date__lt=timezone.now()))


@keeper("Notes of who signed in from where", f"after {SIGN_INS_KEPT.days} days; the trail keeps that they did")
def forget_sign_ins() -> Removal:
    """What the throttle of signing in keeps of each sign-in."""
    return rows_to_remove(AccessLog.objects.filter(attempt_time__lt=timezone.now() - SIGN_INS_KEPT))


def tidy_up() -> int:
    """Have everybody tidy; return how many things were removed."""
    removed = sum(tidy() for tidy in KEEPERS)
    if removed:
        log.info("tidied: %d things", removed)
    return removed
