from unittest import mock

from django.db import ProgrammingError, connection, transaction
from django.test import TestCase
from django.test.utils import CaptureQueriesContext

from brisk_core.spec import parse_spec, shelf_specs
from brisk_web.house import chain
from brisk_web.house.models import AuditEntry
from brisk_web.house.services import bring_back, name_of, record, retire
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.pages.house import _WALLS, _open_walls
from brisk_web.shelf.services import publish, publish_shelf
from brisk_web.testing import SPEC, HouseMixin, spec_version


class RecordTest(HouseMixin, TestCase):
    def test_the_audit_trail_can_only_grow(self) -> None:
        entry = record("job.opened", Job.objects.create(title="Canal"), "Opened", by=self.people["lead"])
        for change in ("UPDATE house_auditentry SET says = 'x'", "DELETE FROM house_auditentry"):
            with (
                self.assertRaisesRegex(ProgrammingError, "append only"),
                transaction.atomic(),
                connection.cursor() as cursor,
            ):
                cursor.execute(change)
        self.assertTrue(AuditEntry.objects.filter(pk=entry.pk).exists())

    def test_a_published_version_never_changes(self) -> None:
        version = spec_version()
        with self.assertRaisesRegex(ProgrammingError, "never changes"), transaction.atomic():
            version.source = "another"
            version.save()
        with self.assertRaisesRegex(ProgrammingError, "never changes"), transaction.atomic():
            version.delete()

    def test_publishing_again_makes_a_version_only_when_something_changed(self) -> None:
        first = spec_version()
        self.assertEqual(spec_version(), first)
        second = publish(parse_spec(SPEC.replace("equals: 25", "equals: 30")))
        self.assertEqual((second.number, second.spec.current), (2, second))
        self.assertEqual(len(publish_shelf()), len(shelf_specs()))

    def test_people_are_called_by_their_names_and_else_by_how_they_sign_in(self) -> None:
        person = self.people["operator"]
        self.assertEqual(name_of(person), "operator")
        person.first_name, person.last_name = "Otto", "Lockwood"
        self.assertEqual(name_of(person), "Otto Lockwood")

    def test_the_head_of_a_trail_that_nobody_sealed(self) -> None:
        record("job.opened", self.root, "x")
        self.assertEqual(chain.head(), (0, chain.FIRST))

    def test_out_of_use_and_back_stand_on_the_trail_once(self) -> None:
        job, lead = Job.objects.create(title="Canal"), self.people["lead"]
        self.assertEqual([retire(job, by=lead), retire(job, by=lead)], [True, False])
        self.assertEqual([bring_back(job, by=lead), bring_back(job, by=lead)], [True, False])
        told = list(AuditEntry.objects.order_by("pk").values_list("verb", "says", "actor"))
        says = [("job.retired", "Put Canal out of use"), ("job.brought-back", "Brought Canal back into use")]
        self.assertEqual(told, [(*one, lead.pk) for one in says])

    def test_only_a_lead_reads_the_trail(self) -> None:
        record("job.opened", Job.objects.create(title="Canal"), "Opened the canal", by=None)
        for role, sees in (("operator", False), ("lead", True)):
            self.sign_in(role)
            page = self.client.get("/house/")
            (self.assertContains if sees else self.assertNotContains)(page, "Opened the canal")


class WallsTest(HouseMixin, TestCase):
    def test_the_house_says_whether_what_reads_a_file_is_kept_in(self) -> None:
        self.sign_in("viewer")
        self.addCleanup(_open_walls.cache_clear)
        _open_walls.cache_clear()
        page = self.client.get("/house/")  # by what this machine really has
        self.assertContains(page, "files are read")
        walls = dict.fromkeys(_WALLS, True)
        _open_walls.cache_clear()
        with mock.patch("brisk_web.pages.house.sandbox.run", return_value={"refused": walls}):
            self.assertContains(self.client.get("/house/"), "a hostile file reaches nothing else")
        _open_walls.cache_clear()
        walls = {"reading": False, "writing": True, "processes": True, "programs": True, "namespaces": True}
        with mock.patch("brisk_web.pages.house.sandbox.run", return_value={"refused": walls | {"signals": True}}):
            page = self.client.get("/house/")
        self.assertContains(
            page, "nothing keeps what reads a file from reading other files, the network, gaining rights."
        )


class DoorTest(HouseMixin, TestCase):
    def test_pages_of_every_list_in_an_empty_house(self) -> None:
        self.sign_in("viewer")
        for address, says in (
            ("/", "Nothing is owed yet."),
            ("/jobs/", "No job is open."),
            ("/files/", "No file is known yet."),
            ("/specs/", "The shelf is empty."),
            ("/house/", "No worker runs; nothing will be inspected."),
        ):
            self.assertContains(self.client.get(address), says)

    def test_the_policy_lets_nothing_in_from_outside(self) -> None:
        answer = self.client.get("/sign-in")
        self.assertIn("default-src 'self'", answer["Content-Security-Policy"])
        self.assertNotIn("unsafe", answer["Content-Security-Policy"])

    def test_a_wrong_password_is_tried_eight_times_at_most(self) -> None:
        for _ in range(8):
            answer = self.client.post("/sign-in", {"username": "lead", "password": "wrong"})
        self.assertContains(answer, "Too many tries", status_code=429)
        answer = self.client.post("/sign-in", {"username": "lead", "password": "right-word"})
        self.assertEqual(answer.status_code, 429)


class ShelfPageTest(HouseMixin, TestCase):
    def test_sheet_and_documents(self) -> None:
        publish_shelf()
        self.sign_in("viewer")
        self.assertContains(self.client.get("/specs/"), "Pebbleview wide upload")
        self.assertContains(self.client.get("/specs/?q=merrow"), "Channel Merrow master")
        sheet = self.client.get("/specs/pebbleview-wide/")
        self.assertContains(sheet, "size 1920 × 1080: 10 Mb/s to 16 Mb/s")
        document = self.client.get("/specs/pebbleview-wide/1.yaml").content.decode()
        self.assertEqual(parse_spec(document).id, "pebbleview-wide")
        self.assertEqual(self.client.get("/specs/pebbleview-wide/1.json").json()["brisk_spec"], 1)
        self.assertEqual(self.client.get("/specs/pebbleview-wide/9.json").status_code, 404)


class LongListTest(HouseMixin, TestCase):
    def test_the_desk_costs_as_many_queries_with_many_rows_as_with_few(self) -> None:
        from brisk_web.jobs.services import take_in

        version = spec_version()
        job = Job.objects.create(title="Canal")
        self.sign_in("viewer")

        def add(number: int) -> None:
            deliverable = Deliverable.objects.create(job=job, name=f"Part {number}", spec_version=version)
            take_in(self.media(f"{number}.mp4", frames=2), deliverable)

        add(0)
        self.client.get("/")  # the first page of a session notes that somebody is there
        with CaptureQueriesContext(connection) as few:
            self.client.get("/")
        for number in range(1, 5):
            add(number)
        # Each running row tells its place in the queue, which is one query; nothing else grows.
        with self.assertNumQueries(len(few) + 4):
            self.client.get("/")

    def test_files_are_paged_by_key(self) -> None:
        from brisk_web.storage.models import MediaFile

        MediaFile.objects.bulk_create(
            MediaFile(root=self.root, path=f"{number}.mp4", name=f"{number}.mp4", size=1, modified_ns=0)
            for number in range(120)
        )
        self.sign_in("viewer")
        first = self.client.get("/files/")
        self.assertContains(first, "119.mp4")
        following = first.context["page"].following
        second = self.client.get(f"/files/{following}")
        self.assertContains(second, ">69.mp4")
        self.assertNotContains(second, ">70.mp4")
