import tempfile
from pathlib import Path
from unittest import TestCase

import numpy as np

from brisk_core.meters.tests.drawn import moment
from brisk_core.scan.tests.encoded import CODINGS, inspected, write


class FramingTest(TestCase):
    """Bars on all four sides, through a coder: a picture that was placed smaller is not one that was fitted twice."""

    def told(self, down: int, across: int) -> list[str]:
        pictures = []
        for number in range(12):
            framed = np.full((288, 352), 16, np.uint8)
            framed[down : 288 - down, across : 352 - across] = np.maximum(moment(number, grain=1), 40)[
                down : 288 - down, across : 352 - across
            ]
            pictures.append(framed)
        with tempfile.TemporaryDirectory() as folder:
            found = inspected(write(Path(folder) / "file", pictures, CODINGS["avc"]))
        return [one for one in found.best("content.mistakes") or () if one.startswith("Bars")]

    def test_even_bars_around_the_right_shape(self) -> None:
        self.assertEqual(
            self.told(36, 44),
            ["Bars on all four sides: the picture stands at 75 % of its size and does not fill the frame."],
        )

    def test_bars_inside_bars(self) -> None:
        self.assertIn("letterbox inside pillarbox", self.told(64, 24)[0])

    def test_bars_on_two_sides_and_none(self) -> None:
        self.assertEqual((self.told(36, 0), self.told(0, 44), self.told(0, 0)), ([], [], []))
