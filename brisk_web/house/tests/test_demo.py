import os
from pathlib import Path
from unittest import mock

from django.conf import settings

from brisk_core.samples import RENDERS, build_samples
from brisk_web.checks.models import Check
from brisk_web.house import demo
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.storage.models import MediaFile
from brisk_web.testing import QueueTestCase


class DemoTest(QueueTestCase):
    def load(self) -> Job:
        samples = Path(os.environ.get("BRISK_SAMPLES", Path(settings.BASE_DIR) / "var" / "demo"))
        with mock.patch("brisk_web.house.demo.build_samples", return_value=build_samples(samples)):
            return demo.load()

    def test_the_demo_is_loaded_once_and_judged_as_its_renders_were_made(self) -> None:
        job = self.load()
        self.assertEqual(self.load(), job)
        self.assertEqual((Job.objects.count(), MediaFile.objects.count()), (1, len(RENDERS)))
        self.assertEqual(Deliverable.objects.count(), 3)
        self.work()
        verdicts = {recipe.name: recipe.verdict for recipe in RENDERS}
        for check in Check.objects.select_related("media_file"):
            self.assertEqual(check.verdict, verdicts[check.media_file.name], check.media_file.name)
        self.assertEqual(
            MediaFile.objects.filter(renders__isnull=True).get().name, "OLP_LAMPLIGHTERS_PEBBLE_WIDE_V08.mp4"
        )
