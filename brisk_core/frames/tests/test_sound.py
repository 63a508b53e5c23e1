import tempfile
from pathlib import Path
from unittest import TestCase

from brisk_core.frames import read_sound
from brisk_core.reading import Source
from brisk_core.small_media import Small, make_small


class LateSoundTest(TestCase):
    def test_sound_that_begins_after_all_pictures_is_read(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            late = Small(codec="mpeg2video", size=(640, 360), frames=500, options={"b": "12M"}, sound="mp2")
            path = make_small(Path(folder) / "late.ts", late)
            samples = read_sound(Source.at(str(path)), 2.0, 1.0)
        assert samples is not None
        self.assertEqual(samples.shape, (2, 48000))
        self.assertGreater(float(abs(samples).max()), 0.1)
