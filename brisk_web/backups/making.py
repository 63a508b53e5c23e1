"""Making a backup while the house runs."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
from collections.abc import Sequence
from pathlib import Path

from django.conf import settings
from django.db import connection, transaction
from django.db.migrations.recorder import MigrationRecorder
from django.utils import timezone

from brisk_core.version import ENGINE
from brisk_web.backups.manifest import DATA, DUMP, BackupRefused, Kept, Manifest, copy, digest_of, files_to_keep
from brisk_web.house import chain

_PROGRAMS = Path("/usr/lib/postgresql/15/bin")  # of Debian's package; elsewhere those of the path


def make(target: Path) -> Manifest:
    """Back the house up into a folder that is not there yet, whole or not at all.

    The database is taken as it is at one moment, and first: files that come while the rest is copied are more than it
    knows. Raises ``BackupRefused``.
    """
    if target.exists():
        raise BackupRefused(f"{target} is there already; expected the name of a new folder")
    data = Path(settings.DATA_FOLDER)
    if data.resolve() in (target.resolve(), *target.resolve().parents):
        raise BackupRefused(
            f"{target} lies in the data of the house; expected a folder elsewhere, best on another disk"
        )
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        # It holds the keys of the house: whoever makes it alone may read it.
        with tempfile.TemporaryDirectory(
            prefix=f".{target.name}-", dir=target.parent, ignore_cleanup_errors=True
        ) as part:
            manifest = _fill(Path(part), data)
            manifest.write(Path(part))
            Path(part).rename(target)
    except OSError as error:
        raise BackupRefused(f"cannot write to {target}: {error.strerror or error}") from error
    return manifest


def _fill(part: Path, data: Path) -> Manifest:
    chain.seal()
    dump = part / DUMP
    with transaction.atomic(), connection.cursor() as cursor:
        cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
        cursor.execute("SELECT pg_export_snapshot()")
        (moment,) = cursor.fetchone()  # what is dumped, counted and read of the trail is of one moment
        whole = ["--format=custom", "--no-owner", "--no-privileges"]
        run("pg_dump", [*whole, f"--snapshot={moment}", f"--file={dump}"])
        rows, (number, digest) = count_rows(), chain.head()
        migrations = tuple(sorted(MigrationRecorder(connection).applied_migrations()))
    kept = [Kept(path=DUMP, size=dump.stat().st_size, sha256=digest_of(dump))]
    for path in files_to_keep(data) if data.is_dir() else ():
        below = path.relative_to(data)
        copied = part / DATA / below
        try:
            sha256 = copy(path, copied)
        except FileNotFoundError:
            continue  # it was removed since it was listed
        kept.append(Kept(path=f"{DATA}/{below.as_posix()}", size=copied.stat().st_size, sha256=sha256))
    return Manifest(
        made_at=timezone.now().isoformat(timespec="seconds"),
        engine=ENGINE,
        data_folder=str(data.resolve()),
        migrations=migrations,
        trail=f"{number}:{digest}",
        rows=rows,
        files=tuple(kept),
    )


def count_rows() -> int:
    """Return how many rows all tables of the house have together."""
    total = 0
    with connection.cursor() as cursor:
        for table in connection.introspection.table_names(cursor):
            cursor.execute(f"SELECT count(*) FROM {connection.ops.quote_name(table)}")  # noqa: S608 - a name of its own
            total += cursor.fetchone()[0]
    return total


def run(program: str, arguments: Sequence[str]) -> None:
    """Run a program of the database's package on the house's database; raises ``BackupRefused`` with what it says."""
    asked = connection.get_connection_params()
    found = _PROGRAMS / program if (_PROGRAMS / program).exists() else shutil.which(program)
    if not found:
        raise BackupRefused(f"there is no {program} on this machine; expected the package postgresql-client")
    environment = os.environ | {
        "PGHOST": str(asked.get("host", "")),
        "PGPORT": str(asked.get("port", "")),
        "PGUSER": str(asked.get("user", "")),
        "PGPASSWORD": str(asked.get("password", "")),
        "PGDATABASE": str(asked.get("dbname", "")),
    }
    done = subprocess.run([str(found), *arguments], env=environment, capture_output=True, text=True, check=False)
    if done.returncode:
        raise BackupRefused(f"{program} says: {done.stderr.strip()[-500:]}")
