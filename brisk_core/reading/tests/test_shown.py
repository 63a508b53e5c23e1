import tempfile
from pathlib import Path
from unittest import TestCase

from PIL import Image

from brisk_core.reading.shown import difference_of_pictures


class DifferenceTest(TestCase):
    def test_pictures_are_compared(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            paths = [Path(folder) / f"{at}.png" for at in range(4)]
            for path, (size, level) in zip(
                paths, (((8, 8), 10), ((8, 8), 10), ((8, 8), 30), ((4, 8), 10)), strict=True
            ):
                Image.new("RGB", size, (level, level, level)).save(path)
            self.assertEqual(difference_of_pictures(paths[0], paths[1]), 0)
            self.assertEqual(difference_of_pictures(paths[0], paths[2]), 20)
            self.assertIsNone(difference_of_pictures(paths[0], paths[3]))
            self.assertIsNone(difference_of_pictures(paths[0], Path(folder) / "gone.png"))
