from dataclasses import replace
from unittest import TestCase

import numpy as np
from numpy.typing import NDArray

from brisk_core.master.colours import Colours, Matrix, matrix_of
from brisk_core.master.levels import LevelCurve, tell_levels
from brisk_core.plan.settings import planned_inspection

HIGH, STANDARD, UNSAID = ("BT.709", True), ("BT.601", True), ("BT.709", False)
#: Luma and both differences of BT.601 over those of BT.709, worked out by their equations from red, green and blue.
RED_GREEN_BLUE = {
    "BT.709": np.array([[0.2126, 0.7152, 0.0722], [-0.1146, -0.3854, 0.5], [0.5, -0.4542, -0.0458]]),
    "BT.601": np.array([[0.299, 0.587, 0.114], [-0.1687, -0.3313, 0.5], [0.5, -0.4187, -0.0813]]),
}


def master_colours(spread: float = 25) -> NDArray[np.float64]:
    """Luma, blue and red difference of some thousand places, around grey; what is bright is red, as in daylight."""
    rows = np.random.default_rng(4).normal(0, 1, (3000, 3)) * [40, spread, spread * 0.8]
    rows[:, 2] += 0.5 * rows[:, 0]
    return np.asarray(rows, np.float64)


def converted(rows: NDArray[np.float64], before: str, after: str) -> NDArray[np.float64]:
    """The same colours by another matrix."""
    scale = np.array([219, 224, 224]) / 255
    primaries = (rows / scale) @ np.linalg.inv(RED_GREEN_BLUE[before]).T
    return np.asarray((primaries @ RED_GREEN_BLUE[after].T) * scale, np.float64)


def held(
    own: NDArray[np.float64], other: NDArray[np.float64], matrices: tuple[Matrix, Matrix] | None = (HIGH, HIGH)
) -> list[str]:
    """Sentences of colours and luma, with the noise of coding; faults begin with an exclamation mark."""
    noise = np.random.default_rng(9).normal(0, 1.0, own.shape)
    gain, lift = np.polyfit(other[:, 0] + 126, own[:, 0] + 126, 1)
    rows = (
        np.column_stack([own[:, 1:] + noise[:, 1:], other[:, 1:], own[:, 0] + noise[:, 0] - 2, other[:, 0] - 2]) + 128
    )
    curve = LevelCurve(
        points=(), gain=float(gain), offset=float(lift), clipped_low=False, clipped_high=False,
        colours=Colours.of(rows.astype(np.float32), matrices),
    )  # fmt: skip
    return [f"{'!' if one.fault else ''}{one.says}" for one in tell_levels(curve)[0]]


class ColoursTest(TestCase):
    def setUp(self) -> None:
        self.rows = master_colours()

    def test_the_same_colours_are_silent(self) -> None:
        for matrices in (None, (HIGH, HIGH), (UNSAID, STANDARD), (STANDARD, UNSAID)):
            self.assertEqual(held(self.rows, self.rows, matrices), [])
        grey = self.rows * [1, 0, 0]
        self.assertEqual(held(grey, grey), [])

    def test_a_conversion_to_another_matrix_is_right_where_the_file_has_it(self) -> None:
        for before, after in (("BT.709", "BT.601"), ("BT.601", "BT.709")):
            own = converted(self.rows, before, after)
            for said in ((True, True), (False, False), (True, False)):
                right = (after, said[0]), (before, said[1])
                self.assertEqual(held(own, self.rows, right), [], (before, after, said))
            (told,) = held(own, self.rows, ((before, True), (before, True)))
            self.assertIn(f"!The picture was converted from the colour matrix of {before} to that of {after}", told)
            self.assertEqual(len(held(own, self.rows, ((before, True), (after, True)))), 1)

    def test_colours_that_were_kept_under_another_matrix(self) -> None:
        (told,) = held(self.rows, self.rows, (STANDARD, HIGH))
        self.assertIn(
            "!The file says that it has the colour matrix of BT.601, and its colours are as in the master", told
        )
        self.assertEqual(held(self.rows, self.rows, (("BT.2020", True), HIGH)), [])

    def test_planes_and_primaries_in_the_wrong_order(self) -> None:
        (told,) = held(self.rows[:, [0, 2, 1]], self.rows)
        self.assertEqual(told, "!Blue and red are exchanged, as by the planes of colour difference in the wrong order.")
        matrix = RED_GREEN_BLUE["BT.709"]
        swapped = self.rows @ np.linalg.inv(matrix).T @ np.eye(3)[[2, 1, 0]] @ matrix.T
        (told,) = held(swapped, self.rows)
        self.assertEqual(told, "!Blue and red are exchanged, as by red, green and blue in the wrong order.")

    def test_negative_colours(self) -> None:
        self.assertEqual(held(self.rows * [1, -1, -1], self.rows), ["!Colours are negative: each is its opposite."])

    def test_hues_saturation_and_tint(self) -> None:
        angle = np.radians(8)
        turned = self.rows.copy()
        turned[:, 1:] = turned[:, 1:] @ np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
        self.assertIn("hues turned by 8°", held(turned, self.rows)[0])
        self.assertIn("saturation 85 %.", held(self.rows * [1, 0.85, 0.85], self.rows)[0])
        self.assertIn("saturation 0 %.", held(self.rows * [1, 0, 0], self.rows)[0])
        self.assertIn("blue difference +3.0", held(np.add(self.rows, [0, 3, 0]), self.rows)[0])
        slight = self.rows * [1, 0.97, 0.97] + [0, 0.8, -0.8]
        self.assertEqual(held(slight, self.rows), [])

    def test_colours_that_differ_along_one_way_only_tell_no_mixing(self) -> None:
        """Sepia: all colours lie on a line, and what lies across it is unknown."""
        sepia = np.column_stack([self.rows[:, 0], self.rows[:, 1], -0.8 * self.rows[:, 1]])
        self.assertIsNone(
            Colours.of(
                np.column_stack([sepia[:, 1:], sepia[:, 1:], sepia[:, :1], sepia[:, :1]]).astype(np.float32) + 128, None
            ).mixing
        )
        self.assertEqual(held(sepia, sepia), [])

    def test_a_squeeze_of_the_range_takes_colour_with_it_and_is_told_once(self) -> None:
        squeezed = self.rows * (219 / 255)
        faults = [
            one for one in held(np.add(squeezed, [126 * 219 / 255 + 16 - 126, 0, 0]), self.rows) if one.startswith("!")
        ]
        self.assertEqual(len(faults), 1)
        self.assertIn("narrow range was put into narrow range once more", faults[0])


class MatrixOfTest(TestCase):
    def test_what_the_file_says_else_what_its_lines_make_likely(self) -> None:
        for said, size, found in (
            ("BT.709", (720, 576), ("BT.709", True)),
            ("SMPTE 170M", (1920, 1080), ("BT.601", True)),
            ("BT.470 B/G", (1920, 1080), ("BT.601", True)),
            ("BT.2020", (1920, 1080), ("BT.2020", True)),
            (None, (720, 576), ("BT.601", False)),
            (None, (1280, 720), ("BT.709", False)),
        ):
            facts = planned_inspection(picture_size=size, **({"picture_matrix": said} if said else {}))
            self.assertEqual(matrix_of(facts), found)
        self.assertFalse(replace(Colours(), matrices=(HIGH, STANDARD)).is_right_conversion)
