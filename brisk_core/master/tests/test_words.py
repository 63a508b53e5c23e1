"""What a map and a geometry are told as: cheap, without any file."""

import itertools
from dataclasses import replace
from fractions import Fraction
from unittest import TestCase

import numpy as np

from brisk_core.master.frame_map import IN_PLACE, REPEATED, FrameMap, Stretch, in_order
from brisk_core.master.geometry import Geometry, tell_geometry
from brisk_core.master.mapping import with_repeats
from brisk_core.master.shots import Journey, MasterShot, Teller, shots_of
from brisk_core.master.singles import doubtful_steps

LENGTH, COUNT = 20, 8
SHOTS = [
    MasterShot(number=number + 1, name=f"S{number + 1}", start=number * LENGTH, end=(number + 1) * LENGTH)
    for number in range(COUNT)
]
FRAMES = LENGTH * COUNT


def mapped(places: list[float]) -> FrameMap:
    """A map of frames that all lie at a place, in stretches of one offset each."""
    offsets = np.array(places) - np.arange(len(places))
    edges = [0, *(np.flatnonzero(np.diff(offsets)) + 1).tolist(), len(places)]
    return FrameMap(
        slope=Fraction(1),
        places=np.array(places, np.float64),
        kinds=np.full(len(places), IN_PLACE, np.uint8),
        shares=np.zeros(len(places), np.float32),
        single=np.array(places, np.int64),
        stretches=tuple(
            Stretch(start=start, end=end, offset=float(offsets[start])) for start, end in itertools.pairwise(edges)
        ),
        gain=1.0,
        noise=0.1,
        moving=1.0,
        ways=(1.0, 0.0),
    )


def told(order: list[int]) -> Journey:
    """What is told of shots, from 1, that stand in an order."""
    return told_of([frame for shot in order for frame in range(SHOTS[shot - 1].start, SHOTS[shot - 1].end)], SHOTS)


def told_of(places: list[int], shots: list[MasterShot]) -> Journey:
    """What is told of frames at some places of a master of some shots."""
    return Teller(
        found=mapped([float(one) for one in places]),
        shots=shots,
        frames=len(places),
        master_frames=FRAMES,
        rate=Fraction(25),
        master_rate=Fraction(25),
        start=None,
        ordered=(0, FRAMES),
    ).tell()


class OrderTest(TestCase):
    def says(self, *order: int) -> list[str]:
        return [one.says for one in told(list(order)).sentences]

    def test_in_order_nothing_is_said(self) -> None:
        self.assertEqual(self.says(1, 2, 3, 4, 5, 6, 7, 8), [])

    def test_shots_that_are_no_neighbours_changed_places(self) -> None:
        self.assertEqual(self.says(1, 6, 3, 4, 5, 2, 7, 8), ["Shots 2 “S2” and 6 “S6” changed places at frame 20."])
        states = {row.shot.number: row.state for row in told([1, 6, 3, 4, 5, 2, 7, 8]).shots}
        self.assertEqual([number for number, state in states.items() if state != "in place"], [2, 6])

    def test_neighbours_and_whole_runs_changed_places(self) -> None:
        self.assertEqual(self.says(1, 2, 4, 3, 5, 6, 7, 8), ["Shots 3 “S3” and 4 “S4” changed places at frame 40."])
        self.assertEqual(self.says(1, 5, 2, 3, 4, 6, 7, 8), ["Shots 2 to 4 and 5 “S5” changed places at frame 20."])

    def test_missing_and_repeated_shots_are_no_exchange(self) -> None:
        self.assertEqual(
            self.says(1, 2, 4, 5, 6, 7, 8), ["Shot 3 “S3” is missing: all after frame 40 comes 20 frames early."]
        )
        self.assertEqual(
            self.says(1, 2, 3, 3, 4, 5, 6, 7, 8),
            ["Shot 3 “S3” comes twice at frame 40: all after comes 20 frames late."],
        )


class RepeatTest(TestCase):
    def repeated(self, waves: list[int], own: list[int]) -> list[int]:
        found = mapped([float(one) for one in range(60)])
        found.kinds[waves] = REPEATED
        return np.flatnonzero(with_repeats(found, own).kinds == REPEATED).tolist()

    def test_a_repeat_stands_where_the_file_itself_has_it(self) -> None:
        self.assertEqual(self.repeated([24], [30]), [30])
        self.assertEqual(self.repeated([24], [22, 31]), [22])
        self.assertEqual(self.repeated([24, 50], [24, 47]), [24, 47])

    def test_what_only_one_of_them_knows_stays_as_it_is(self) -> None:
        self.assertEqual(self.repeated([24], [40]), [24])
        self.assertEqual(self.repeated([24], []), [24])
        self.assertEqual(self.repeated([], [30]), [])


class GeometryTest(TestCase):
    def says(self, **how: tuple[float, float]) -> list[str]:
        plain = Geometry(
            scale=(1, 1), shift=(0, 0), mirrored=False, pairs=99, file_size=(640, 360), master_size=(640, 360)
        )
        return [one.says for one in tell_geometry(replace(plain, **how), Fraction(1), Fraction(1))[0]]  # type: ignore[arg-type]

    def test_a_picture_of_full_size_beside_its_place_is_moved_and_not_cut(self) -> None:
        self.assertEqual(self.says(shift=(0, 20)), ["The picture is moved by 20.0 samples down."])
        self.assertEqual(self.says(shift=(-30, 9)), ["The picture is moved by 30.0 samples left and 9.0 samples down."])

    def test_a_larger_picture_is_cut(self) -> None:
        says = self.says(scale=(1.1, 1.1), shift=(-32, -18))
        self.assertEqual(["cut off" in one for one in says], [True, True])

    def test_a_smaller_picture_in_the_middle_is_neither(self) -> None:
        (says,) = self.says(scale=(0.9, 0.9), shift=(32, 18))
        self.assertIn("does not fill the frame: 90 % of its width and 90 % of its height", says)


class ShotsTest(TestCase):
    def test_shots_are_those_of_the_edit_where_it_fits_and_else_those_between_cuts(self) -> None:
        names = [(0, "black"), (15, "TITLE"), (75, "PAN"), (118, "MIXED"), (160, "TAIL")]
        found = shots_of([16, 75, 160], 200, names)  # a title fades in, and one shot is mixed into another
        self.assertEqual([(one.number, one.name, one.start, one.end) for one in found][1:4], [
            (2, "TITLE", 16, 75), (3, "PAN", 75, 118), (4, "MIXED", 118, 160),
        ])  # fmt: skip
        other = shots_of([40, 90, 130], 200, names)
        self.assertEqual([(one.name, one.start) for one in other], [("", 0), ("", 40), ("", 90), ("", 130)])

    def test_a_shot_that_is_mixed_in_is_not_spoken_of_with_its_neighbour(self) -> None:
        shots = [replace(SHOTS[0], end=14), replace(SHOTS[1], start=14), *SHOTS[2:]]
        places = [*range(20, 40), *range(20), *range(40, FRAMES)]
        says = [one.says for one in told_of(places, shots).sentences]
        self.assertEqual(says, ["Shots 1 “S1” and 2 “S2” changed places at frame 0."])

    def test_what_comes_twice_goes_on_and_what_changed_places_does_not(self) -> None:
        def kept(places: list[int]) -> list[int]:
            return [one.start for one in in_order(mapped([float(one) for one in places]).stretches, Fraction(1))]

        self.assertEqual(kept([*range(60), *range(40, 120)]), [0, 60])
        self.assertEqual(
            kept([*range(40), *range(90, 100), *range(50, 90), *range(40, 50), *range(100, 150)]), [0, 50, 100]
        )


class FrameTest(TestCase):
    def told(self, scale: tuple[float, float], size: tuple[int, int] = (1920, 1080)) -> list[str]:
        shift = tuple((size[axis] - scale[axis] * (1920, 1080)[axis]) / 2 for axis in (0, 1))
        found = Geometry(
            scale=scale, shift=(shift[0], shift[1]), mirrored=False, pairs=500, file_size=size, master_size=(1920, 1080)
        )
        return [one.says for one in tell_geometry(found, Fraction(1), Fraction(1))[0] if one.fault]

    def test_bars_on_all_sides_are_a_fault_and_those_that_the_shape_asks_are_not(self) -> None:
        self.assertIn("75 % of its width and 75 % of its height, with bars on all sides", self.told((0.75, 0.75))[0])
        self.assertEqual(self.told((1.0, 1.0)), [])
        self.assertEqual(self.told((0.5625, 0.5625), (1080, 1920)), [])  # across a tall frame
        self.assertEqual(len(self.told((0.5, 0.5), (1080, 1920))), 1)


class DoubtfulStepsTest(TestCase):
    """Frames to which the file steps otherwise than the master does."""

    def test_a_last_frame_that_stands_longer_has_a_place_behind_the_master(self) -> None:
        rows = np.zeros(FRAMES, [("change", "f4"), ("residual", "f4")])
        rows["change"] = rows["residual"] = 2.0
        own = rows.copy()
        own["change"][70] = 9.0
        for late in (0, 1):  # the last place is that of the master's last frame, or the one behind it
            places = [float(frame + late) for frame in range(FRAMES)]
            self.assertEqual(doubtful_steps(mapped(places), own, rows), [70], late)
