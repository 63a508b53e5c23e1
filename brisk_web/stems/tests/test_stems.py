import wave

import numpy as np

from brisk_web.house.models import AuditEntry
from brisk_web.stems import services
from brisk_web.stems.models import StemCheck
from brisk_web.storage.models import MediaFile
from brisk_web.storage.services import register
from brisk_web.testing import QueueTestCase
from brisk_web.work.kernel import MOST_TRIES
from brisk_web.work.sweep import sweep

RATE = 48_000


class StemsTest(QueueTestCase):
    def setUp(self) -> None:
        super().setUp()
        chance = np.random.default_rng(2)
        voice, music = (chance.normal(0, 0.1, 4 * RATE) for _ in range(2))
        self.files = {
            name: self.sound(name, samples)
            for name, samples in (
                ("mix.wav", voice + music),
                ("voice.wav", voice),
                ("music.wav", music),
                ("quiet.wav", music / 2),
                ("nothing.wav", music * 0),
            )
        }
        self.work()

    def sound(self, name: str, samples: np.ndarray) -> MediaFile:
        with wave.open(str(self.folder / "shelf" / name), "wb") as file:
            file.setparams((1, 2, RATE, 0, "NONE", ""))
            file.writeframes((np.clip(samples, -1, 1) * 32767).round().astype("<i2").tobytes())
        return register(self.root, name, by=self.people["operator"])

    def begin(self, *names: str) -> StemCheck:
        stems = [(self.files[name], None) for name in names]
        return services.begin((self.files["mix.wav"], None), stems, by=self.people["operator"])

    def test_of_the_stems_of_a_silent_mix_nothing_is_told(self) -> None:
        self.sign_in()
        mix = self.files["nothing.wav"]
        stems = [(self.files[name], None) for name in ("voice.wav", "music.wav")]
        services.begin((mix, None), stems, by=self.people["operator"])
        self.work()
        found = self.client.get(f"/files/{mix.pk}/stems/")
        self.assertContains(found, "The mix is silent.")
        self.assertContains(found, "cannot be told: it is the mix that is wrong", 2)
        self.assertNotContains(found, "not in the mix")

    def test_the_page_from_choosing_to_what_was_found(self) -> None:
        self.sign_in()
        page = f"/files/{self.files['mix.wav'].pk}/stems/"
        found = self.client.get(page)
        self.assertContains(found, "Choose the stems")
        self.assertContains(found, "voice.wav")
        answer = self.client.post(f"{page}begin", {}, follow=True)
        self.assertContains(answer, "met 0 stems")
        chosen = [self.files[name].pk for name in ("voice.wav", "quiet.wav")]
        answer = self.client.post(f"{page}begin", {"stem": chosen}, follow=True)
        self.assertContains(answer, "in queue")
        self.work()
        found = self.client.get(page)
        self.assertContains(found, "quiet.wav is 6.0 dB quieter than in the mix.")
        self.assertContains(found, "checked")
        document = self.client.get(f"/stems/{StemCheck.objects.get().pk}.json").json()
        self.assertEqual((document["schema"], document["right"]), ("brisk-sentry/stems/1", False))
        self.assertEqual(len(document["lane"]), 40)
        self.assertTrue(AuditEntry.objects.filter(verb="stems.begun").exists())
        right = self.begin("voice.wav", "music.wav")
        self.work()
        self.assertContains(self.client.get(page), "dB under the mix left")
        self.assertContains(self.client.get(page), "Added up before")
        right.refresh_from_db()
        self.assertTrue(right.document["right"])
        self.assertNotContains(self.client.get("/"), "quiet.wav")  # a stem waits for no deliverable

    def test_what_cannot_be_added_up_says_why(self) -> None:
        with self.assertRaisesRegex(services.StemsRefused, "is the mix"):
            self.begin("mix.wav")
        (self.folder / "shelf" / "voice.wav").write_bytes(b"hello")
        check = self.begin("voice.wav", "music.wav")
        self.work()
        check.refresh_from_db()
        self.assertEqual(check.state, "failed")
        self.sign_in()
        self.assertContains(self.client.get(f"/files/{self.files['mix.wav'].pk}/stems/"), "no wrapper that is known")

    def test_cancel_and_dead_workers(self) -> None:
        check = self.begin("voice.wav")
        self.sign_in("viewer")
        self.assertEqual(self.client.post(f"/stems/{check.pk}/cancel").status_code, 403)
        self.sign_in()
        self.client.post(f"/stems/{check.pk}/cancel")
        self.work()
        check.refresh_from_db()
        self.assertEqual((check.state, check.document), ("cancelled", None))
        self.client.post(f"/stems/{check.pk}/cancel")  # there is nothing to stop any more
        self.assertEqual(AuditEntry.objects.filter(verb="stems.cancelled").count(), 1)
        for tries, state in ((1, "queued"), (MOST_TRIES, "failed")):
            StemCheck.objects.filter(pk=check.pk).update(state="running", tries=tries)
            sweep()
            check.refresh_from_db()
            self.assertEqual(check.state, state)
        self.assertEqual(self.client.get(f"/stems/{check.pk}.json").status_code, 404)
