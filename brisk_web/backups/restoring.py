"""Bringing a backup back into an empty house."""

from __future__ import annotations

import shutil
from pathlib import Path

from django.conf import settings
from django.db import connection
from django.db.migrations.loader import MigrationLoader
from django.db.models import F, Value
from django.db.models.functions import Concat, Substr

from brisk_web.backups.making import count_rows, run
from brisk_web.backups.manifest import DATA, DUMP, BackupRefused, Manifest, copy
from brisk_web.handoff.models import Destination
from brisk_web.house import chain
from brisk_web.storage.models import StorageRoot

_MADE_BY_ITSELF = {"secret-key"}  # of a house that has never run


def restore(source: Path) -> Manifest:
    """Bring a backup back; the database has to be empty, and the data folder to hold nothing of what is brought.

    Nothing is written before every file of the backup was found to be what it was. Raises ``BackupRefused``.
    """
    manifest = Manifest.read(source)
    data = Path(settings.DATA_FOLDER)
    _require_known(manifest)
    _require_empty(manifest, data)
    manifest.verify(source)
    try:
        _copy(manifest, source, data)
        run("pg_restore", ["--no-owner", "--no-privileges", "--exit-on-error", "--single-transaction",
                           f"--dbname={connection.settings_dict['NAME']}", str(source / DUMP)])  # fmt: skip
    except (OSError, BackupRefused) as error:
        for top in _tops(manifest):  # none of them was there before
            shutil.rmtree(data / top) if (data / top).is_dir() else (data / top).unlink(missing_ok=True)
        if isinstance(error, BackupRefused):
            raise
        raise BackupRefused(f"cannot write to {data}: {error.strerror or error}") from error
    if (rows := count_rows()) != manifest.rows:
        raise BackupRefused(f"the database has {rows} rows; expected the {manifest.rows} of the backup")
    _follow(manifest.data_folder, str(data.resolve()))
    number, _, digest = manifest.trail.partition(":")
    if wrong := chain.verify(kept=(int(number), digest)):
        raise BackupRefused(f"the audit trail is broken at seal {wrong.number}: {wrong.says}")
    return manifest


def _tops(manifest: Manifest) -> set[str]:
    """What lies in the data folder itself, of the files of a backup."""
    return {one.path.split("/")[1] for one in manifest.files if one.path.startswith(f"{DATA}/")}


def _copy(manifest: Manifest, source: Path, data: Path) -> None:
    """Copy the files of a backup into a data folder."""
    for name in _MADE_BY_ITSELF & _tops(manifest):
        (data / name).unlink(missing_ok=True)
    for one in manifest.files:
        if one.path.startswith(f"{DATA}/"):
            copy(source / one.path, data / one.path.removeprefix(f"{DATA}/"))


def _require_known(manifest: Manifest) -> None:
    """Refuse a backup of a newer version, whose tables nothing here can read."""
    known = set(MigrationLoader(None).disk_migrations)
    own = {name for name in manifest.migrations if name[0] in {app for app, _ in known}}
    if newer := sorted(own - known):
        app, name = newer[0]
        raise BackupRefused(
            f"the backup was made by a newer version: it knows {app} {name}; expected none that is newer"
        )


def _require_empty(manifest: Manifest, data: Path) -> None:
    with connection.cursor() as cursor:
        tables = len(connection.introspection.table_names(cursor))
    if tables:
        raise BackupRefused(f"met a database with {tables} tables; expected an empty one")
    there = sorted(name for name in _tops(manifest) - _MADE_BY_ITSELF if (data / name).exists())
    if there:
        raise BackupRefused(f"{data} holds {there[0]} already; expected the data folder of a house that never ran")
    need = sum(one.size for one in manifest.files)
    data.mkdir(parents=True, exist_ok=True)
    if need > shutil.disk_usage(data).free:
        raise BackupRefused(f"there is no room in {data}: the backup has {need:,} bytes")


def _follow(before: str, now: str) -> None:
    """Let roots and destinations that lay in the data folder lie where it is now."""
    if before == now:
        return
    for rows, field in ((StorageRoot.objects, "url"), (Destination.objects, "address")):
        rows.filter(**{f"{field}__startswith": f"{before}/"}).update(
            **{field: Concat(Value(now), Substr(F(field), len(before) + 1))}
        )
