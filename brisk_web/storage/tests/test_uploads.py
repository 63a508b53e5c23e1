import base64
import io
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest import mock

from django.db import connection
from django.test import TestCase
from django.utils import timezone

from brisk_web.inspections.models import Inspection
from brisk_web.storage import services
from brisk_web.storage.models import MediaFile, Upload
from brisk_web.testing import HouseMixin, QueueTestCase

TUS = {"Tus-Resumable": "1.0.0"}


class UploadTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.sign_in()

    def open(self, name: str = "OLP_V01.mp4", size: int = 10) -> Any:
        metadata = f"filename {base64.b64encode(name.encode()).decode()}"
        headers = TUS | {"Upload-Length": str(size), "Upload-Metadata": metadata}
        return self.client.post("/intake/uploads/", headers=headers)

    def patch(self, address: str, offset: int, data: bytes) -> Any:
        return self.client.patch(
            address,
            data,
            content_type="application/offset+octet-stream",
            headers=TUS | {"Upload-Offset": str(offset)},
        )

    def test_chunks_make_a_file_that_is_inspected(self) -> None:
        answer = self.open()
        self.assertEqual((answer.status_code, answer["Tus-Resumable"]), (201, "1.0.0"))
        address = answer["Location"]
        self.assertEqual(self.patch(address, 0, b"01234")["Upload-Offset"], "5")
        self.assertEqual(MediaFile.objects.count(), 0)
        self.assertEqual(self.patch(address, 5, b"56789").status_code, 204)
        file = MediaFile.objects.get()
        self.assertEqual((file.name, file.size), ("OLP_V01.mp4", 10))
        with open(file.url, "rb") as stored:
            self.assertEqual(stored.read(), b"0123456789")
        self.assertEqual(Inspection.objects.get().state, "queued")
        outcome = self.client.get(address).json()
        self.assertEqual((outcome["complete"], outcome["page"]), (True, f"/files/{file.pk}/take-in"))

    def test_an_upload_that_stopped_half_way_goes_on_where_it_stopped(self) -> None:
        address = self.open()["Location"]
        self.patch(address, 0, b"012")
        self.assertEqual(self.client.head(address, headers=TUS)["Upload-Offset"], "3")
        self.assertFalse(self.client.get(address).json()["complete"])
        wrong = self.patch(address, 7, b"789")
        self.assertEqual((wrong.status_code, wrong.content.decode()), (409, "met a chunk at byte 7; expected byte 3"))
        self.patch(address, 3, b"3456789")
        self.assertEqual(MediaFile.objects.get().size, 10)

    def test_what_is_announced_fits_the_disk_beside_what_is_on_its_way(self) -> None:
        by, free = self.people["operator"], 10_000
        room = mock.Mock(free=services.KEPT_FREE + free)
        with mock.patch("brisk_web.storage.services.shutil.disk_usage", return_value=room):
            first = services.open_upload("a.mp4", 6_000, by=by)
            with self.assertRaisesRegex(services.StorageRefused, "no room for b.mp4: it has 4 kB, and 4 kB are left"):
                services.open_upload("b.mp4", 4_001, by=by)
            services.open_upload("b.mp4", 4_000, by=by)
            Upload.objects.filter(pk=first.pk).update(offset=1_000)  # what has arrived is on the disk already
            services.open_upload("c.mp4", 1_000, by=by)

    def test_one_person_has_so_many_open_and_others_none_the_fewer(self) -> None:
        by = self.people["operator"]
        with mock.patch.object(services, "MOST_UPLOADS", 3):
            for number in range(3):
                services.open_upload(f"{number}.mp4", 10, by=by)
            with self.assertRaisesRegex(services.StorageRefused, "you have 3 uploads open"):
                services.open_upload("3.mp4", 10, by=by)
            services.open_upload("3.mp4", 10, by=self.people["lead"])

    def test_a_chunk_whose_line_breaks_keeps_what_arrived(self) -> None:
        class Broken(io.BytesIO):
            def read(self, size: int | None = -1) -> bytes:
                if self.tell() >= 4:
                    raise OSError("the line broke")
                return super().read(min(size or 4, 4))

        upload = services.open_upload("a.mp4", 10, by=self.people["operator"])
        self.assertEqual(services.append(upload, 0, Broken(b"0123456789"), 10).offset, 4)

    def whole(self) -> Upload:
        """An upload whose bytes have all arrived, and nothing more."""
        upload = services.open_upload("a.mp4", 10, by=self.people["operator"])
        with mock.patch.object(services, "finish", side_effect=lambda upload: upload):
            return services.append(upload, 0, io.BytesIO(b"0123456789"), 10)

    def test_a_registration_that_fails_leaves_the_bytes_and_is_made_up_for(self) -> None:
        address = self.open()["Location"]
        with mock.patch.object(services, "register", side_effect=KeyError), self.assertRaises(KeyError):
            self.patch(address, 0, b"0123456789")
        self.assertEqual(MediaFile.objects.count(), 0)
        self.assertEqual(self.client.head(address, headers=TUS)["Upload-Offset"], "10")
        file = MediaFile.objects.get()
        with open(file.url, "rb") as stored:
            self.assertEqual(stored.read(), b"0123456789")
        self.assertTrue(self.client.get(address).json()["complete"])

    def test_a_kill_at_any_moment_after_the_last_byte_is_made_up_for_by_the_sweep(self) -> None:
        upload = self.whole()
        self.assertEqual(services.finish_uploads(), 0)  # it may be on its way yet
        Upload.objects.update(touched_at=timezone.now() - timedelta(minutes=1))
        self.assertEqual(services.finish_uploads(), 1)
        self.assertEqual(services.finish_uploads(), 0)
        upload = self.whole()
        path = Path(services.upload_root().url) / upload.target
        path.parent.mkdir(parents=True)
        upload.part_path.rename(path)  # killed between the move and the registration
        self.assertEqual(services.look_after(upload).file, MediaFile.objects.first())
        self.assertEqual((MediaFile.objects.count(), services.finish(upload).file_id is not None), (2, True))

    def test_what_an_older_version_moved_before_it_was_killed_is_found(self) -> None:
        upload = services.open_upload("a [x].mp4", 10, by=self.people["operator"])
        upload.part_path.unlink()
        moved = Path(services.upload_root().url) / "2026-11" / "12345678" / "a [x].mp4"
        moved.parent.mkdir(parents=True)
        moved.write_bytes(b"0123456789")
        with self.assertRaisesRegex(services.WrongOffset, "expected byte 10"):
            services.append(upload, 0, io.BytesIO(b"0123456789"), 10)
        file = services.look_after(upload).file
        assert file
        self.assertEqual(file.url, str(moved))

    def test_bytes_that_are_gone_are_asked_for_again(self) -> None:
        upload = services.open_upload("a.mp4", 10, by=self.people["operator"])
        services.append(upload, 0, io.BytesIO(b"01234"), 5)
        with upload.part_path.open("r+b") as part:
            part.truncate(2)
        self.assertEqual(services.look_after(upload).offset, 2)
        upload.part_path.unlink()
        self.assertEqual(services.look_after(upload).offset, 0)
        self.assertTrue(services.append(upload, 0, io.BytesIO(b"0123456789"), 10).file)
        lost = self.whole()
        lost.part_path.unlink()
        with self.assertRaisesRegex(services.StorageRefused, "the bytes of a.mp4 are gone; send the file again"):
            services.look_after(lost)
        self.assertEqual(Upload.objects.get(pk=lost.pk).offset, 0)

    def test_names_with_path_parts_are_refused(self) -> None:
        for name in ("../../etc/passwd", "a/b.mp4", "a\\b.mp4", "..", "", "a\nb.mp4", "x" * 300):
            answer = self.open(name)
            self.assertEqual(answer.status_code, 400, name)
        self.assertEqual(
            self.open("../x.mp4").content.decode(), "met '../x.mp4' as a file name; expected a name without path parts"
        )
        self.assertEqual(Upload.objects.count(), 0)

    def test_sizes(self) -> None:
        self.assertEqual(self.open(size=0).content.decode(), "OLP_V01.mp4 is empty; expected a media file")
        with self.settings(LARGEST_UPLOAD=9):
            self.assertIn("expected at most 9", self.open().content.decode())
        address = self.open()["Location"]
        self.assertIn("expected at most 10", self.patch(address, 0, b"0123456789A").content.decode())

    def test_the_protocol_is_held_to(self) -> None:
        address = self.open()["Location"]
        self.assertEqual(self.client.head(address).status_code, 412)
        plain = self.client.patch(address, b"x", content_type="text/plain", headers=TUS | {"Upload-Offset": "0"})
        self.assertEqual(plain.status_code, 415)
        bad = self.client.post("/intake/uploads/", headers=TUS | {"Upload-Length": "many"})
        self.assertEqual(bad.status_code, 400)

    def test_an_upload_belongs_to_its_owner(self) -> None:
        address = self.open()["Location"]
        self.sign_in("lead")
        self.assertEqual(self.client.head(address, headers=TUS).status_code, 404)
        self.sign_in("viewer")
        self.assertEqual(self.open().status_code, 403)

    def test_dropped_and_expired_uploads_leave_nothing(self) -> None:
        address = self.open()["Location"]
        part = Upload.objects.get().part_path
        self.assertTrue(part.exists())
        self.assertEqual(self.client.delete(address, headers=TUS).status_code, 204)
        self.assertFalse(part.exists())
        self.open()
        Upload.objects.update(touched_at=timezone.now() - timedelta(days=3))
        part = Upload.objects.get().part_path
        services.drop_expired_uploads()
        self.assertEqual((Upload.objects.count(), part.exists()), (0, False))


class RootTest(HouseMixin, TestCase):
    def test_browsing_shows_folders_first_and_what_is_known(self) -> None:
        self.media("b.mp4", frames=5)
        (self.folder / "shelf" / "Z").mkdir()
        entries = services.known_among(self.root, services.browse(self.root))
        self.assertEqual(
            [(one.name, one.is_folder, one.known is not None) for one in entries],
            [("Z", True, False), ("b.mp4", False, True)],
        )
        self.assertEqual(entries[1].size, (self.folder / "shelf" / "b.mp4").stat().st_size)

    def test_no_path_leads_out(self) -> None:
        (self.folder / "secret.mp4").write_text("x")
        (self.folder / "shelf" / "link").symlink_to(self.folder)
        for path in ("../secret.mp4", "/etc/passwd", "link/secret.mp4"):
            with self.assertRaisesRegex(services.StorageRefused, "expected a path below Shelf|leads out of Shelf"):
                services.register(self.root, path)

    def test_the_same_state_of_a_file_is_registered_once(self) -> None:
        first = self.media(frames=5)
        self.assertEqual(services.register(self.root, "a.mp4").pk, first.pk)
        with (self.folder / "shelf" / "a.mp4").open("ab") as file:
            file.write(b"more")
        self.assertNotEqual(services.register(self.root, "a.mp4").pk, first.pk)

    def test_folders_and_missing_files(self) -> None:
        with self.assertRaisesRegex(services.StorageRefused, "there is no file x.mp4 in Shelf"):
            services.register(self.root, "x.mp4")


class NewRootTest(HouseMixin, TestCase):
    def add(self, name: str, url: str) -> str:
        answer = self.client.post("/files/roots/new", {"name": name, "url": url}, follow=True)
        return answer.content.decode()

    def test_a_lead_adds_a_folder_and_browses_it(self) -> None:
        self.sign_in("lead")
        (self.folder / "more").mkdir()
        self.assertIn("This folder is empty.", self.add("More", str(self.folder / "more")))

    def test_what_is_no_folder_is_refused_with_a_sentence(self) -> None:
        self.sign_in("lead")
        for name, url, says in (
            ("More", "renders", "expected a whole path such as /media/renders"),
            ("More", str(self.folder / "nowhere"), "there is no folder"),
            ("Shelf", str(self.folder / "shelf"), "has this name or this folder already"),
            ("", "", "needs a name and a folder"),
            ("More", "nothing://x", "no place that is allowed"),
        ):
            self.assertIn(says, self.add(name, url))

    def test_an_operator_adds_none(self) -> None:
        self.sign_in()
        answer = self.client.post("/files/roots/new", {"name": "More", "url": "/tmp"})
        self.assertContains(answer, "Not for this role", status_code=403)


class SlowLineTest(QueueTestCase):
    def test_nothing_of_the_database_is_held_while_a_chunk_arrives(self) -> None:
        upload = services.open_upload("a.mp4", 10, by=self.people["operator"])
        held, other = [], services.open_upload("b.mp4", 3, by=self.people["operator"])

        class Slow(io.BytesIO):
            def read(self, size: int | None = -1) -> bytes:
                held.append(connection.in_atomic_block)
                return super().read(min(size or 3, 3))

        self.assertEqual(services.append(upload, 0, Slow(b"012345678"), 9).offset, 9)
        self.assertEqual((len(held), any(held)), (3, False))
        services.append(other, 0, Slow(b"abc"), 3)
        file = services.append(upload, 9, Slow(b"9"), 1).file
        assert file
        self.assertEqual(Path(file.url).read_bytes(), b"0123456789")

    def test_of_two_that_send_the_same_chunk_one_is_taken(self) -> None:
        upload = services.open_upload("a.mp4", 10, by=self.people["operator"])

        class Overtaken(io.BytesIO):
            def read(self, size: int | None = -1) -> bytes:
                if not self.tell():
                    services.append(upload, 0, io.BytesIO(b"abcde"), 5)
                return super().read(size)

        with self.assertRaisesRegex(services.WrongOffset, "expected byte 5"):
            services.append(upload, 0, Overtaken(b"01234"), 5)
        self.assertEqual(Upload.objects.get().part_path.read_bytes(), b"abcde")
