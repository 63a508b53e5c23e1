from unittest import mock

from brisk_core.samples import RENDERS
from brisk_core.samples.captions import CAPTIONS
from brisk_core.samples.stems import LATE_BELL, MIX, STEM_FILES
from brisk_core.samples.tests.shared import shared_samples
from brisk_web.captions.models import Pairing
from brisk_web.checks.models import Check
from brisk_web.demo import house as demo
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.stems.models import StemCheck
from brisk_web.storage.models import MediaFile
from brisk_web.testing import QueueTestCase

_SOUNDS = (MIX, LATE_BELL, *STEM_FILES)


class DemoTest(QueueTestCase):
    minutes = 6

    def load(self) -> Job:
        with mock.patch("brisk_web.demo.house.build_samples", return_value=shared_samples()):
            return demo.load()

    def test_the_demo_is_loaded_once_and_judged_as_its_renders_were_made(self) -> None:
        job = self.load()
        self.assertEqual(self.load(), job)
        self.assertEqual(
            (Job.objects.count(), MediaFile.objects.count()), (1, len(RENDERS) + len(CAPTIONS) + len(_SOUNDS))
        )
        self.assertEqual(Deliverable.objects.count(), 3)
        self.work()
        verdicts = {recipe.name: recipe.verdict for recipe in RENDERS}
        for check in Check.objects.select_related("media_file"):
            self.assertEqual(check.verdict, verdicts[check.media_file.name], check.media_file.name)
        waiting = MediaFile.objects.filter(renders__isnull=True, caption_file__isnull=True).exclude(name__in=_SOUNDS)
        self.assertEqual(waiting.get().name, "OLP_LAMPLIGHTERS_PEBBLE_WIDE_V08.mp4")
        self.assertEqual(Pairing.objects.filter(look__document__isnull=False).count(), len(CAPTIONS))
        self.assertEqual([one.document["right"] for one in StemCheck.objects.order_by("pk")], [True, False])
