from unittest import mock

from brisk_core.samples import RENDERS
from brisk_core.samples.captions import CAPTIONS
from brisk_core.samples.foyer import LAMPS
from brisk_core.samples.stems import LATE_BELL, MIX, STEM_FILES
from brisk_core.samples.tests.shared import shared_samples
from brisk_web.captions.models import Pairing
from brisk_web.checks.models import Check
from brisk_web.demo import house as demo
from brisk_web.demo.titles import FOYER
from brisk_web.jobs.models import Job
from brisk_web.planner.models import Plan
from brisk_web.planner.services import answer, files_of
from brisk_web.stems.models import StemCheck
from brisk_web.storage.models import MediaFile
from brisk_web.testing import QueueTestCase

_HIDDEN = {lamp.name for lamp in LAMPS if lamp.size != (1920, 1080) or lamp.rate != 25}
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
            (Job.objects.count(), MediaFile.objects.count()),
            (3, len(RENDERS) + len(CAPTIONS) + len(_SOUNDS) + len(LAMPS)),
        )
        self.assertEqual([one.deliverables.count() for one in Job.objects.order_by("pk")], [3, len(LAMPS), 5])
        self.work()
        verdicts = {recipe.name: recipe.verdict for recipe in RENDERS}
        deck = answer(Plan.Kind.DECK, {"media": [file.pk for file in files_of(Job.objects.get(title=FOYER))]})
        self.assertEqual(
            (deck["setting"]["words"], deck["says"]), ("1920 × 1080, 25, progressive", "5 of 7 clips appear, 2 vanish")
        )
        multiplied = [one["name"] for one in deck["clips"] if "already" in one["keying"]]
        self.assertEqual(multiplied, [lamp.name for lamp in LAMPS if lamp.multiplied])
        verdicts |= {lamp.name: "not measured" for lamp in LAMPS if lamp.name not in _HIDDEN}
        verdicts |= dict.fromkeys(_HIDDEN, "fail")
        for check in Check.objects.select_related("media_file"):
            self.assertEqual(check.verdict, verdicts[check.media_file.name], check.media_file.name)
        waiting = MediaFile.objects.filter(renders__isnull=True, caption_file__isnull=True).exclude(name__in=_SOUNDS)
        self.assertEqual(waiting.get().name, "OLP_LAMPLIGHTERS_PEBBLE_WIDE_V08.mp4")
        self.assertEqual(Pairing.objects.filter(look__document__isnull=False).count(), len(CAPTIONS))
        self.assertEqual([one.document["right"] for one in StemCheck.objects.order_by("pk")], [True, False])
