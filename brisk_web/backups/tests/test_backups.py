import json
import os
import shutil
import subprocess
import sys
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.core.management import CommandError, call_command
from django.db import connection

from brisk_core.small_media import Small, make_small
from brisk_web.backups import making, restoring
from brisk_web.backups.making import make
from brisk_web.backups.manifest import BackupRefused, Manifest, files_to_keep
from brisk_web.backups.restoring import restore
from brisk_web.handoff.models import Destination
from brisk_web.house import chain
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import take_in
from brisk_web.storage.models import MediaFile
from brisk_web.storage.services import keep, register, upload_root
from brisk_web.testing import QueueTestCase, spec_version

_REPOSITORY = Path(__file__).resolve().parents[3]
_ASKED_THERE = """
from django.test import Client
from django.contrib.auth import get_user_model
from brisk_web.checks.models import Check
from brisk_web.handoff.models import Destination
from brisk_web.storage.models import MediaFile
client = Client(headers={"host": "127.0.0.1"})
client.force_login(get_user_model().objects.get(username="operator"))
check = Check.objects.get()
print(check.verdict, client.get(f"/checks/{check.pk}/").status_code, check.media_file.inspection.scan_path.exists())
print(*sorted((file.name, file.has_changed) for file in MediaFile.objects.all()))
print(Destination.objects.get().address)
"""


class BackupTest(QueueTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.kept = self.folder / "kept"

    def live(self) -> None:
        """A house with a render that was brought and judged, one that lies elsewhere, and a destination inside."""
        version = spec_version()
        wide = Deliverable.objects.create(job=Job.objects.create(title="Canal"), name="Wide", spec_version=version)
        path = make_small(self.folder / "brought.mp4", Small())
        take_in(keep("brought.mp4", path.read_bytes(), by=self.people["operator"]), wide, by=self.people["operator"])
        self.media("elsewhere.mp4")
        inside = Path(settings.DATA_FOLDER) / "outside" / "box"
        inside.mkdir(parents=True)
        Destination.objects.create(name="Box", kind="folder", address=str(inside.resolve()))
        (Path(settings.DATA_FOLDER) / "secret-key").write_text("k" * 60)
        (Path(settings.DATA_FOLDER) / "web.log").write_text("log")
        self.work()

    def elsewhere(self, name: str) -> dict[str, str]:
        """The environment of a house that never ran: an empty database, and a data folder that is not there."""
        asked = connection.settings_dict
        base = f"{asked['NAME']}_{name}"
        with connection.cursor() as cursor:
            cursor.execute(f'DROP DATABASE IF EXISTS "{base}"')
            cursor.execute(f'CREATE DATABASE "{base}"')
        self.addCleanup(self.drop, base)
        address = f"postgresql://{asked['USER']}:{asked['PASSWORD']}@{asked['HOST']}:{asked['PORT']}/{base}"
        data = self.folder / name
        return os.environ | {
            "DATABASE_URL": address,
            "BRISK_DATA": str(data),
            "BRISK_PLACES": str(self.folder),
            "PYTHONWARNINGS": "",  # no static files were collected there
        }

    def drop(self, base: str) -> None:
        with connection.cursor() as cursor:
            cursor.execute(f'DROP DATABASE "{base}" WITH (FORCE)')

    def manage(self, environment: dict[str, str], *arguments: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "manage.py", *arguments],
            cwd=_REPOSITORY, env=environment, capture_output=True, text=True, check=False,
        )  # fmt: skip

    def test_a_house_comes_back_whole_in_another_place(self) -> None:
        self.live()
        chain.seal()
        before = chain.head()
        call_command("backup", str(self.kept), stdout=mock.Mock())
        self.assertEqual(self.kept.stat().st_mode & 0o777, 0o700)
        there = self.elsewhere("another")
        done = self.manage(there, "restore", str(self.kept))
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("the audit trail holds", done.stdout)
        self.assertEqual(self.manage(there, "collectstatic", "--noinput").returncode, 0)  # as a start does
        asked = self.manage(there, "shell", "-c", _ASKED_THERE)
        self.assertEqual(asked.returncode, 0, asked.stderr)
        verdict, files, address = [line for line in asked.stdout.splitlines() if line and "import" not in line][-3:]
        self.assertEqual(verdict, f"{self.verdict()} 200 True")
        self.assertEqual(files, "('brought.mp4', False) ('elsewhere.mp4', False)")
        self.assertEqual(address, str(self.folder / "another" / "outside" / "box"))
        head = self.manage(there, "verify_trail", "--kept", f"{before[0]}:{before[1]}")
        self.assertEqual(head.returncode, 0, head.stderr)
        self.assertEqual((self.folder / "another" / "secret-key").read_text(), "k" * 60)
        self.assertFalse((self.folder / "another" / "web.log").exists())
        again = self.manage(there, "restore", str(self.kept))
        self.assertEqual(again.returncode, 1)
        self.assertIn("expected an empty one", again.stderr)

    def verdict(self) -> str:
        return Deliverable.objects.get().renders.get().check_record.verdict

    def test_what_is_dumped_and_counted_is_of_one_moment(self) -> None:
        plain, late = making.run, []

        def run(program: str, arguments: list[str]) -> None:
            plain(program, arguments)
            code = "from brisk_web.jobs.models import Job; Job.objects.create(title='Late')"
            address = connection.settings_dict
            url = "postgresql://{USER}:{PASSWORD}@{HOST}:{PORT}/{NAME}".format(**address)
            late.append(self.manage(os.environ | {"DATABASE_URL": url}, "shell", "-c", code).returncode)

        with mock.patch("brisk_web.backups.making.run", run):
            manifest = make(self.kept)
        self.assertEqual((late, Job.objects.count()), ([0], 1))
        done = self.manage(self.elsewhere("moment"), "restore", str(self.kept))
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn(f"{manifest.rows:,} rows", done.stdout)

    def test_a_backup_is_whole_or_not_there(self) -> None:
        self.live()
        for broken in ("copy", "run", "digest_of"):
            with (
                mock.patch(f"brisk_web.backups.making.{broken}", side_effect=OSError(28, "No space left on device")),
                self.assertRaisesRegex(BackupRefused, "No space left"),
            ):
                make(self.kept)
            self.assertEqual([path.name for path in self.folder.glob("*kept*")], [])
        make(self.kept)
        with self.assertRaisesRegex(BackupRefused, "is there already"):
            make(self.kept)
        for inside in (settings.DATA_FOLDER / "kept", settings.DATA_FOLDER):
            with self.assertRaises(BackupRefused):
                make(inside)

    def test_what_is_made_anew_or_belongs_to_others_is_left_out(self) -> None:
        data = self.folder / "house"
        for name in ("renders/2026-11/a.mp4", "series/1.npz", "destination-key", "frames/1/a.webp", "postgres/data/base",
                     "web.log", "database.conf", "run.lock", "empty/secret-key", "static/a.css"):  # fmt: skip
            (data / name).parent.mkdir(parents=True, exist_ok=True)
            (data / name).write_text("x")
        (data / "renders" / "link.mp4").symlink_to("/etc/passwd")
        kept = [path.relative_to(data).as_posix() for path in files_to_keep(data)]
        self.assertEqual(kept, ["destination-key", "renders/2026-11/a.mp4", "series/1.npz"])


class RefusedTest(QueueTestCase):
    """What is brought back is what was backed up, or nothing is."""

    def setUp(self) -> None:
        super().setUp()
        upload_root()
        self.kept = self.folder / "kept"
        keep("a.srt", b"1\n00:00:01,000 --> 00:00:02,000\nA\n", by=self.people["operator"])
        self.manifest = make(self.kept)

    def refused(self, says: str) -> None:
        with (
            mock.patch.object(restoring, "_require_empty"),
            mock.patch.object(restoring, "run") as run,
            self.assertRaisesRegex(BackupRefused, says),
        ):
            restore(self.kept)
        run.assert_not_called()

    def rewrite(self, **changed: object) -> None:
        path = self.kept / "manifest.json"
        path.write_text(json.dumps(json.loads(path.read_text()) | changed))

    def test_a_damaged_one(self) -> None:
        brought = next(self.kept.glob("data/renders/*/*/a.srt"))
        plain = brought.read_bytes()
        brought.write_bytes(plain[:-2] + b"B\n")
        self.refused("a.srt is not what it was")
        brought.unlink()
        self.refused("a.srt is missing")
        brought.write_bytes(plain)
        with (self.kept / "database.dump").open("r+b") as dump:
            dump.seek(100)
            dump.write(b"\x00\x01\x02")
        self.refused("database.dump is not what it was")

    def test_none_at_all_or_one_of_another_kind(self) -> None:
        for changed, says in (
            ({"schema": "else/9"}, "met a backup of the form 'else/9'"),
            ({"files": [{"path": "data/../../etc/x", "size": 1, "sha256": ""}]}, "expected paths in data"),
            ({"files": [{"path": "/etc/x", "size": 1, "sha256": ""}]}, "expected paths in data"),
            ({"files": [{"path": 7}]}, "cannot read"),
            ({"files": 3}, "cannot read"),
        ):
            before = (self.kept / "manifest.json").read_text()
            self.rewrite(**changed)
            self.refused(says)
            (self.kept / "manifest.json").write_text(before)
        (self.kept / "manifest.json").write_text("[]")
        self.refused("cannot read")
        shutil.rmtree(self.kept)
        self.refused("there is no backup in")

    def test_one_of_a_newer_version(self) -> None:
        self.rewrite(migrations=[*self.manifest.migrations, ["jobs", "9999_later"]])
        self.refused("made by a newer version: it knows jobs 9999_later")
        self.rewrite(migrations=[*self.manifest.migrations, ["gone", "0001_initial"]])  # of an application that went
        restoring._require_known(Manifest.read(self.kept))

    def test_one_that_cannot_be_brought_back_leaves_the_house_as_it_was(self) -> None:
        data = self.folder / "fresh"
        for failing, error in (("run", BackupRefused("pg_restore says: no")), ("copy", OSError(28, "No space left"))):
            with (
                self.settings(DATA_FOLDER=data),
                mock.patch.object(connection.introspection, "table_names", return_value=[]),
                mock.patch.object(restoring, failing, side_effect=error),
                self.assertRaisesRegex(BackupRefused, "pg_restore says|No space left"),
            ):
                restore(self.kept)
            self.assertEqual(list(data.iterdir()), [])

    def test_a_house_that_is_not_empty(self) -> None:
        with self.assertRaisesRegex(CommandError, "expected an empty one"):
            call_command("restore", str(self.kept))
        self.assertEqual(MediaFile.objects.count(), 1)
        with (
            mock.patch.object(connection.introspection, "table_names", return_value=[]),
            self.assertRaisesRegex(BackupRefused, "holds renders already"),
        ):
            restore(self.kept)
        register(self.root, self.media("b.mp4").path)
