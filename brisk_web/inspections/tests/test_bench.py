import io
import os
from unittest import mock

from django.urls import reverse
from PIL import Image

from brisk_core import sandbox
from brisk_core.frames import of_shot
from brisk_web.checks.services import open_check
from brisk_web.inspections.keeping import tidy_frames, tidy_series
from brisk_web.inspections.models import Inspection
from brisk_web.pages.film_strip import shots_of
from brisk_web.testing import QueueTestCase, spec_version


class BenchTestCase(QueueTestCase):
    """A small file whose pictures are asked for."""

    def setUp(self) -> None:
        super().setUp()
        self.file = self.media(frames=40, sound="aac")
        self.sign_in("viewer")

    def get(self, name: str, *more: object, **query: object) -> object:
        return self.client.get(reverse(name, args=[self.file.pk, *more]), query)

    def image(self, answer: object) -> Image.Image:
        return Image.open(io.BytesIO(b"".join(answer.streaming_content)))  # type: ignore[attr-defined]


class SmallPicturesTest(BenchTestCase):
    scans_for_real = True

    def test_small_pictures_are_there_with_the_scan(self) -> None:
        check = open_check(self.file, spec_version(), by=None)
        self.assertEqual(self.get("small", 0).status_code, 404)  # type: ignore[attr-defined]
        self.work()
        self.file.refresh_from_db()
        assert self.file.inspection
        kept = self.file.inspection.small_numbers
        self.assertLessEqual({0, 39}, set(kept))
        self.assertEqual(self.image(self.get("small", 39)).size, (192, 128))
        self.assertEqual(self.get("small", 1)["Cache-Control"], "no-store")  # type: ignore[index]
        with mock.patch("brisk_core.sandbox.run", side_effect=AssertionError("nothing is decoded for them")):
            page = self.client.get(reverse("check", args=[check.pk]))
            self.assertContains(page, reverse("small", args=[self.file.pk, 0]))
            self.assertEqual(page.context["page_data"]["kept"], kept)
            self.assertContains(self.get("film-strip"), reverse("small", args=[self.file.pk, of_shot(kept, 0, 40)]))  # type: ignore[arg-type]
        folder = self.file.inspection.small_folder
        self.file.delete()
        Inspection.objects.all().delete()
        tidy_series()
        self.assertFalse(folder.exists())


class BenchTest(BenchTestCase):
    """Views, samples, strips, clips and the film strip of a file, decoded for real."""

    def test_before_the_packets_are_read_there_is_nothing_to_show(self) -> None:
        for answer in (
            self.get("frame", 0),
            self.get("strip", frames="0"),
            self.get("clip", 0),
            self.get("samples", 0),
        ):
            self.assertEqual(answer.status_code, 404)  # type: ignore[attr-defined]
            self.assertEqual(answer["Cache-Control"], "no-store")  # type: ignore[index]  # soon there is something
        self.assertContains(self.get("film-strip"), "when the pictures have been scanned")  # type: ignore[arg-type]

    def test_every_view_of_a_frame(self) -> None:
        self.work()
        sizes = {
            view: self.image(self.get("frame", 3, view=view)).size
            for view in ("picture", "fields", "area", "difference")
        }
        self.assertEqual(sizes["picture"], (192, 128))
        self.assertEqual(sizes["fields"], (198, 64))
        self.assertEqual(sizes["difference"], (192, 128))
        for field in ("top-field", "bottom-field"):
            self.assertEqual(self.image(self.get("frame", 3, view=field)).size, (192, 128))
        self.assertEqual(self.image(self.get("frame", 3, view="levels")).size, (560, 128))
        answer = self.get("frame", 3, view="alpha")
        self.assertContains(answer, "the picture has no alpha", status_code=404)  # type: ignore[arg-type]
        self.assertContains(self.get("frame", 3, view="wrong"), "expected one of picture", status_code=400)  # type: ignore[arg-type]

    def test_what_is_shown_may_be_kept_and_what_is_refused_may_not(self) -> None:
        self.work()
        for answer, kept in (
            (self.get("frame", 3), "max-age=3600, private"),
            (self.get("samples", 3), "max-age=3600, private"),
            (self.get("frame", 9999), "no-store"),
            (self.get("samples", 9999), "no-store"),
            (self.get("strip", frames="x"), "no-store"),
        ):
            found = sorted(answer["Cache-Control"].split(", "))  # type: ignore[index]
            self.assertEqual(", ".join(found), kept)

    def test_pictures_of_nobody_and_of_long_ago_are_tidied(self) -> None:
        self.work()
        self.get("frame", 3)
        own = Inspection.objects.get().frame_folder
        gone, old = own.with_name("999999"), own
        gone.mkdir()
        self.assertEqual((tidy_frames(), gone.exists(), own.exists()), (1, False, True))
        os.utime(old, (0, 0))
        self.assertEqual((tidy_frames(), old.exists()), (1, False))
        self.get("frame", 3)
        with self.settings(LARGEST_FRAME_CACHE=10):
            self.assertEqual((tidy_frames(), own.exists()), (1, False))
        series = Inspection.objects.get().series_path
        stray = series.with_name("999999-scan.npz")
        stray.write_bytes(b"x")
        self.assertEqual((tidy_series(), stray.exists(), series.exists()), (1, False, True))
        left, working = (stray.with_name(f"{sandbox.APART}{name}") for name in ("left", "working"))
        for folder in (left, working):
            folder.mkdir()
        os.utime(left, (1, 1))
        self.assertEqual((tidy_series(), left.exists(), working.exists()), (1, False, True))

    def test_samples_are_the_code_values_of_the_frame(self) -> None:
        self.work()
        found = self.get("samples", 5, x=60, y=40).json()  # type: ignore[attr-defined]
        self.assertEqual((found["bits"], len(found["planes"]["luma"]), len(found["planes"]["blue"])), (8, 8, 4))
        self.assertEqual((found["x"], found["y"]), (54, 36))
        self.assertIn("there is no frame 999", self.get("samples", 999).json()["error"])  # type: ignore[attr-defined]

    def test_strips_and_what_they_refuse(self) -> None:
        self.work()
        self.assertEqual(self.image(self.get("strip", frames="0,10,39", width=96)).size, (288, 64))
        self.assertEqual(self.get("strip", frames="0,x").status_code, 400)  # type: ignore[attr-defined]
        many = ",".join(map(str, range(33)))
        self.assertContains(self.get("strip", frames=many), "expected 1 to 32", status_code=400)  # type: ignore[arg-type]

    def test_a_stretch_plays_with_sound(self) -> None:
        import av

        self.work()
        answer = self.get("clip", 20, seconds=1)
        data = b"".join(answer.streaming_content)  # type: ignore[attr-defined]
        with av.open(io.BytesIO(data)) as container:
            self.assertEqual(sum(1 for _ in container.decode(video=0)), 25)
            self.assertEqual(len(container.streams.audio), 1)

    def test_the_film_strip_shows_every_shot_and_leads_to_the_bench(self) -> None:
        check = open_check(self.file, spec_version(), by=None)
        self.work()
        page = self.get("film-strip")
        self.assertContains(page, f"{reverse('check', args=[check.pk])}?frame=0")  # type: ignore[arg-type]
        self.file.refresh_from_db()
        assert self.file.inspection
        assert self.file.inspection.facts
        shots = shots_of(self.file.inspection.facts)
        self.assertEqual((shots[0].start, sum(shot.length for shot in shots)), (0, 40))

    def test_lanes_carry_the_scan(self) -> None:
        check = open_check(self.file, spec_version(), by=None)
        self.work()
        found = self.client.get(reverse("check-lanes", args=[check.pk]), {"width": 100}).json()["scan"]
        self.assertEqual((len(found["low"]), len(found["change"])), (40, 40))
        self.assertEqual([kind for kind, places in found["marks"].items() if places], [])
        self.assertEqual(len(found["sound"]), 1)
        self.assertAlmostEqual(found["sound"][0]["true_peak"][5][1], -14, delta=0.5)
