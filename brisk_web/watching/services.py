"""Verbs of watched folders: watch one, look at it, and let what arrived become files and attempts."""

from __future__ import annotations

import logging
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.contrib.auth.models import User
from django.db import IntegrityError, OperationalError, transaction
from django.utils import timezone

from brisk_core.captions import is_caption_name
from brisk_core.errors import UnreadableFile
from brisk_web.house.models import in_use
from brisk_web.house.services import record
from brisk_web.jobs.services import take_in
from brisk_web.jobs.suggestions import suggest_all
from brisk_web.storage.models import MediaFile
from brisk_web.storage.services import StorageRefused, list_files, register, require_folder
from brisk_web.watching.models import SeenFile, WatchedFolder
from brisk_web.watching.settling import is_being_written
from brisk_web.work.tidying import Removal, keeper, rows_to_remove

MOST_FILES = 100_000  #: in one folder; more of them are told as trouble
MOST_AT_ONCE = 100  #: files that one look registers, so that none of many folders waits long for its turn
GONE_KEPT = timedelta(days=90)  #: that a file which is gone stays in the list of its folder, since it was last written
_UNFINISHED = (".part", ".partial", ".tmp", ".temp")  # endings of names that their writer will change
_LONGEST_SAYS, _LONGEST_PATH = 300, 1000
_OUR_MISTAKE = "a mistake of ours, which stands in the log of the workers"
_BATCH = 1000  # rows written by one query

State = SeenFile.State
log = logging.getLogger(__name__)


class WatchRefused(Exception):
    """A folder that cannot be watched, with a sentence."""


@dataclass(frozen=True, slots=True)
class Found:
    """A file as it lies there."""

    size: int
    modified_ns: int


@transaction.atomic
def keep_watched(watched: WatchedFolder, *, by: User | None) -> WatchedFolder:
    """Watch a folder that was filled in, or keep what was changed of it.

    Raises ``WatchRefused`` where it is no folder of its root, or where one around or inside it is watched already.
    """
    watched.folder = watched.folder.strip().strip("/")
    try:
        require_folder(watched.root, watched.folder)
    except StorageRefused as error:
        raise WatchRefused(str(error)) from error
    for other in in_use(WatchedFolder.objects.filter(root=watched.root).exclude(pk=watched.pk)):
        if _holds(other.folder, watched.folder) or _holds(watched.folder, other.folder):
            raise WatchRefused(f"{other} is watched already, and one of the two lies in the other; choose one of them")
    new = watched.pk is None
    if new:
        watched.added_by = by
    try:
        with transaction.atomic():
            watched.save()
    except IntegrityError as error:
        raise WatchRefused(f"{watched} was watched before; bring it back instead") from error
    verb, says = ("watched.added", "Began to watch") if new else ("watched.changed", "Changed how the house watches")
    record(verb, watched, f"{says} {watched}", by=by)
    return watched


def _holds(folder: str, other: str) -> bool:
    return not folder or other == folder or other.startswith(f"{folder}/")


def look_everywhere(now: datetime | None = None) -> int:
    """Look at every folder that is watched, those first that were looked at longest ago; return how many files were
    registered. A folder that cannot be looked at says why, and the others are looked at all the same.
    """
    registered = 0
    for watched in in_use(WatchedFolder.objects.select_related("root").order_by("looked_at")):
        if watched.root.retired_at is not None:
            continue
        try:
            registered += look(watched, now)
        except OperationalError:
            raise
        except Exception:
            log.exception("the watched folder %s could not be looked at", watched)
            WatchedFolder.objects.filter(pk=watched.pk).update(trouble=_OUR_MISTAKE)
    return registered


def look(watched: WatchedFolder, now: datetime | None = None) -> int:
    """Look at one folder; return how many files were registered."""
    now = now or timezone.now()
    try:
        there, unusable = _listed(watched)
    except StorageRefused as error:
        trouble = str(error)[:_LONGEST_SAYS]
        if trouble != watched.trouble:
            log.warning("watched folder %s: %s", watched, trouble)
        WatchedFolder.objects.filter(pk=watched.pk).update(trouble=trouble)
        return 0
    registered = 0
    for seen in _Look(watched, there, unusable, now).note():
        registered += _receive(seen, watched)
        if registered >= MOST_AT_ONCE:
            break
    WatchedFolder.objects.filter(pk=watched.pk).update(looked_at=now, trouble="")
    return registered


@keeper("Names of files that are gone from a watched folder", f"{GONE_KEPT.days} days later; records and checks stay")
def forget_gone() -> Removal:
    """Files that are gone and were last written long ago; their records and checks stay."""
    return rows_to_remove(SeenFile.objects.filter(state=State.GONE, changed_at__lt=timezone.now() - GONE_KEPT))


def _listed(watched: WatchedFolder) -> tuple[dict[str, Found], dict[str, str]]:
    """What lies in a folder and is wanted, and why some of it cannot be kept by its name. Raises ``StorageRefused``."""
    there: dict[str, Found] = {}
    unusable: dict[str, str] = {}
    for path, state in list_files(watched.root, watched.folder, most=MOST_FILES).items():
        name = path.rpartition("/")[2]
        if not watched.wants(name) or name.casefold().endswith(_UNFINISHED):
            continue
        printed = path.encode("utf-8", "surrogateescape").decode("utf-8", "replace")[:_LONGEST_PATH]
        if len(path) > _LONGEST_PATH:
            unusable[printed] = f"its path has {len(path)} letters; expected at most {_LONGEST_PATH}"
        elif printed != path:
            unusable[printed] = "its name is not text in UTF-8; rename it"
        there[printed] = Found(*state)
    return there, unusable


class _Look:
    """What is new, changed, moved and gone since the last look."""

    def __init__(
        self, watched: WatchedFolder, there: Mapping[str, Found], unusable: Mapping[str, str], now: datetime
    ) -> None:
        self.watched = watched
        self.there = there
        self.unusable = unusable
        self.now = now
        self.paths: set[str] = set()  # of all rows
        self.known = self._unlike()
        self.first = watched.looked_at is None
        self.changed: dict[int, SeenFile] = {}

    def note(self) -> list[SeenFile]:
        """Write down what was seen; return the files that have come whole, those that arrived first in front."""
        gone = [seen for path, seen in self.known.items() if path not in self.there]
        fresh = [path for path in self.there if path not in self.paths]
        moved = self._moved(gone, fresh)
        for seen in gone:
            if seen.path not in moved:
                self._end(seen, State.GONE, "" if seen.media_file_id else "it went before it had come whole")
        rows = [self._row(path) for path in fresh if path not in moved.values()]
        SeenFile.objects.bulk_create(rows, batch_size=_BATCH, ignore_conflicts=True)
        for path, seen in self.known.items():
            if path in self.there:
                self._follow(seen, self.there[path])
        self._write()
        old = self.now - timedelta(seconds=self.watched.settle_s)
        waiting = self.watched.seen.filter(state=State.ARRIVING, changed_at__lte=old).order_by("changed_at", "pk")
        return [seen for seen in waiting if seen.path in self.there]

    def _unlike(self) -> dict[str, SeenFile]:
        """The rows that say something else than what lies there, by path."""
        numbers = []
        for number, path, size, modified_ns, state in self.watched.seen.values_list(
            "pk", "path", "size", "modified_ns", "state"
        ):
            self.paths.add(path)
            found = self.there.get(path)
            if (found is None) != (state == State.GONE) or (found and found != Found(size, modified_ns)):
                numbers.append(number)
        return {seen.path: seen for seen in SeenFile.objects.filter(pk__in=numbers)}

    def _write(self) -> None:
        """Write down what changed: the many that only went or came back together, others one by one."""
        alike: dict[tuple[str, str], list[int]] = {}
        for seen in self.changed.values():
            if seen.changed_at != self.now:
                alike.setdefault((seen.state, seen.says), []).append(seen.pk)
        for (state, says), numbers in alike.items():
            SeenFile.objects.filter(pk__in=numbers).update(state=state, says=says)
        anew = [seen for seen in self.changed.values() if seen.changed_at == self.now]
        fields = ["size", "modified_ns", "state", "says", "changed_at"]
        SeenFile.objects.bulk_update(anew, fields, batch_size=_BATCH)

    def _row(self, path: str) -> SeenFile:
        found = self.there[path]
        says = self.unusable.get(path, "")
        state = State.LEFT if self.first and self.watched.from_now_on else State.ARRIVING
        return SeenFile(
            watched=self.watched, path=path, size=found.size, modified_ns=found.modified_ns,
            state=State.REFUSED if says else state, says=says, seen_at=self.now, changed_at=self.now,
        )  # fmt: skip

    def _follow(self, seen: SeenFile, found: Found) -> None:
        """See whether a file that is known has become another one, or has come back."""
        same = (seen.size, seen.modified_ns) == (found.size, found.modified_ns)
        if seen.path in self.unusable or (same and seen.state != State.GONE):
            return
        if same and seen.state == State.GONE and seen.media_file_id:
            self._end(seen, State.REGISTERED, "it was gone for a while")
            return
        seen.size, seen.modified_ns, seen.changed_at = found.size, found.modified_ns, self.now
        again = seen.media_file_id is not None
        self._end(seen, State.ARRIVING, "it was written again after it was registered" if again else "")

    def _end(self, seen: SeenFile, state: State, says: str) -> None:
        seen.state, seen.says = state, says
        self.changed[seen.pk] = seen

    def _moved(self, gone: Sequence[SeenFile], fresh: Sequence[str]) -> dict[str, str]:
        """The files that lie elsewhere now, by name, size and time: their old path, and the new one."""
        lost: dict[tuple[str, int, int], list[SeenFile]] = {}
        for seen in gone:
            if seen.media_file_id:
                lost.setdefault((seen.name, seen.size, seen.modified_ns), []).append(seen)
        moved: dict[str, str] = {}
        for path in fresh:
            found = self.there[path]
            alike = lost.get((path.rpartition("/")[2], found.size, found.modified_ns), [])
            if len(alike) == 1 and alike[0].path not in moved and _follow_move(alike[0], path):
                seen = alike[0]
                moved[seen.path] = path
                SeenFile.objects.filter(pk=seen.pk).update(
                    path=path, state=State.REGISTERED, says=f"it was moved here from {seen.path}"[:_LONGEST_SAYS]
                )
        return moved


@transaction.atomic
def _follow_move(seen: SeenFile, path: str) -> bool:
    """Let a registered file lie where it was moved to; return whether it is so."""
    known = MediaFile.objects.select_for_update(of=("self",)).filter(path=seen.path)
    media_file = known.filter(pk=seen.media_file_id).first() if seen.media_file_id else None
    if media_file is None:
        return False
    taken = MediaFile.objects.filter(
        root_id=media_file.root_id, path=path, size=media_file.size, modified_ns=media_file.modified_ns
    )
    if taken.exists():
        return False
    media_file.path = path
    media_file.save(update_fields=["path"])
    record("file.moved", media_file, f"{media_file.name} was moved from {seen.path} to {path}")
    return True


def _receive(seen: SeenFile, watched: WatchedFolder) -> bool:
    """Register a file that has come whole, and take it in where its name says for what; return whether it was so."""
    if seen.size == 0:
        return _say(seen, State.ARRIVING, "it is empty so far")
    path = f"{watched.root.url.rstrip('/')}/{seen.path}"
    if watched.root.is_here and is_being_written(path):
        return _say(seen, State.ARRIVING, "somebody still writes it")
    try:
        with transaction.atomic():
            media_file = register(watched.root, seen.path)
            SeenFile.objects.filter(pk=seen.pk).update(
                state=State.REGISTERED, media_file=media_file, says=_take_in(media_file) if watched.takes_in else ""
            )
    except (StorageRefused, UnreadableFile) as error:
        return _say(seen, State.REFUSED, str(error)[:_LONGEST_SAYS])
    except OperationalError:  # the database is away or busy: the next look comes to it
        raise
    except Exception:  # it stops neither the other files nor the other folders
        log.exception("%s of the watched folder %s could not be received", seen.path, watched)
        return _say(seen, State.REFUSED, f"{_OUR_MISTAKE}; register it by hand")
    return True


def _say(seen: SeenFile, state: State, says: str) -> bool:
    if (seen.state, seen.says) != (state, says):
        SeenFile.objects.filter(pk=seen.pk).update(state=state, says=says)
    return False


def _take_in(media_file: MediaFile) -> str:
    """Take a file in where its name fits the naming rule of one deliverable; return what was done, as words."""
    if is_caption_name(media_file.name):
        return ""  # captions find their picture by its name
    if media_file.renders.exists():
        return "it was taken in before"
    found = suggest_all([media_file.name])[media_file.name]
    if found is None:
        return "its name fits no naming rule; it waits in the intake"
    if found.difference:
        near = f"its name fits no naming rule, nearly that of {found.deliverable.name}: {found.difference}"
        return near[:_LONGEST_SAYS]
    if found.others:
        return f"its name fits the naming rules of {found.others + 1} deliverables; choose one in the intake"
    check = take_in(media_file, found.deliverable)
    return f"taken in as {check.render}"[:_LONGEST_SAYS]
