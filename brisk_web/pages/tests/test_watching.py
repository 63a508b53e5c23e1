from datetime import timedelta

from django.test import TestCase
from django.utils import timezone

from brisk_web.accounts.roles import LEAD, OPERATOR, VIEWER
from brisk_web.testing import HouseMixin
from brisk_web.watching.models import SeenFile, WatchedFolder
from brisk_web.watching.services import look


class WatchedPagesTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        (self.folder / "shelf" / "in").mkdir()
        self.sign_in(LEAD)

    def filled(self, **more: object) -> dict[str, object]:
        return {"root": self.root.pk, "folder": "in", "names": "*.mp4", "settle_s": 30, "takes_in": "on", **more}

    def test_a_folder_is_watched_changed_removed_and_brought_back(self) -> None:
        self.assertContains(self.client.get("/files/watched/"), "No folder is watched")
        page = self.client.post("/files/watched/new", self.filled(), follow=True)
        watched = WatchedFolder.objects.get()
        self.assertContains(page, "Shelf/in is watched")
        self.assertContains(page, "Not looked at yet")
        self.assertFalse(watched.from_now_on)
        form = self.client.get(f"/files/watched/{watched.pk}/change").context["form"]
        look(watched)  # what the house itself writes is nobody's change
        changed = {"names": "*.mov", "settle_s": 60, "seen": form["seen"].value()}
        self.client.post(f"/files/watched/{watched.pk}/change", changed)
        watched.refresh_from_db()
        self.assertEqual(
            (watched.names, watched.settle_s, watched.takes_in, watched.folder), ("*.mov", 60, False, "in")
        )
        self.client.post(f"/files/watched/{watched.pk}/retire")
        self.assertContains(self.client.get("/files/watched/"), "not watched any more")
        self.client.post(f"/files/watched/{watched.pk}/retire", {"again": "1"})
        self.assertContains(self.client.get("/files/watched/"), "left in the intake")

    def test_what_cannot_be_watched_is_told_at_its_field(self) -> None:
        self.client.post("/files/watched/new", self.filled())
        for wrong, says in (
            ({"folder": "nowhere"}, "there is no folder “nowhere” in Shelf"),
            ({"folder": ""}, "Shelf/in is watched already"),
            ({"folder": "../.."}, "expected a path below Shelf"),
            ({"settle_s": "1"}, "greater than or equal to 5"),
            ({"names": ""}, "This field is required"),
        ):
            self.assertContains(self.client.post("/files/watched/new", self.filled(**wrong)), says)
        self.assertEqual(WatchedFolder.objects.count(), 1)

    def test_files_are_found_by_state_and_name(self) -> None:
        watched = WatchedFolder.objects.create(root=self.root, folder="in", looked_at=timezone.now())
        for number, state in enumerate(SeenFile.State):
            now = timezone.now()
            SeenFile.objects.create(watched=watched, path=f"in/deep/{number}.mp4", size=1, modified_ns=1, state=state,
                                    says=f"Words {number}", seen_at=now, changed_at=now)  # fmt: skip
        self.sign_in(VIEWER)
        address = f"/files/watched/{watched.pk}/"
        with self.assertNumQueries(11):
            page = self.client.get(address)
        self.assertEqual([way["count"] for way in page.context["ways"]], [5, 1, 1, 1, 1, 1])
        self.assertContains(page, "in deep")
        self.assertNotContains(page, "Change</a>")
        page = self.client.get(address, {"show": "refused"})
        self.assertEqual([seen.state for seen in page.context["page"].rows], ["refused"])
        self.assertContains(self.client.get(address, {"q": "3.mp4"}), "Words 3")
        self.assertContains(self.client.get(address, {"q": "none"}), "No file here is like that")

    def test_trouble_stands_on_the_desk_and_silence_is_told(self) -> None:
        watched = WatchedFolder.objects.create(root=self.root, folder="gone")
        look(watched)
        self.sign_in(OPERATOR)
        self.assertContains(self.client.get("/"), "Nothing arrives from the watched folder")
        self.assertContains(self.client.get("/files/watched/"), "There is no folder “gone” in Shelf")
        (self.folder / "shelf" / "gone").mkdir()
        look(watched)
        self.assertNotContains(self.client.get("/"), "Nothing arrives")
        self.assertContains(self.client.get("/files/watched/"), "Looked at just now")
        WatchedFolder.objects.update(looked_at=timezone.now() - timedelta(hours=1))
        self.assertContains(self.client.get("/files/watched/"), "is a worker running?")
