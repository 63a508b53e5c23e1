"""Shots at another speed: maps of drawn pictures, each with noise of its own, without any coder between."""

import itertools
from collections.abc import Sequence
from fractions import Fraction
from functools import cache
from unittest import TestCase

import numpy as np

from brisk_core.master.frame_map import FrameMap, Seen
from brisk_core.master.mapping import map_frames
from brisk_core.master.shots import Journey, MasterShot, Teller
from brisk_core.master.tests.programme import FRAMES, LENGTHS, RATE, STARTS, pictures, shot_frames
from brisk_core.meters.signature import SignatureMeter
from brisk_core.meters.tests.drawn import measure

SHOTS = [
    MasterShot(number=number, name=f"S{number}", start=start, end=start + length)
    for number, (start, length) in enumerate(zip(STARTS, LENGTHS, strict=True), 1)
]


def seen(order: Sequence[int], seed: int, rate: Fraction = RATE) -> Seen:
    """What the map needs of the programme's pictures in some order, noise added as a coder would."""
    generator = np.random.default_rng(seed)
    planes = (plane + generator.normal(0, 1.5, plane.shape) for plane in pictures(order))
    rows = measure([SignatureMeter()], (plane.clip(0, 255).astype(np.uint8) for plane in planes)).rows("signature")
    return Seen(bits=rows["bits"], waves=rows["waves"].astype(np.float32) / 128, rate=rate)


@cache
def master() -> Seen:
    """The programme in its own order."""
    return seen(range(FRAMES), 1)


def sped(shot: int, speed: Fraction) -> list[int]:
    """The numbers of one shot's pictures at another speed."""
    frames = shot_frames(shot)
    shown = [frames[int(number * abs(speed))] for number in range(int(len(frames) / abs(speed)))]
    return shown[::-1] if speed < 0 else shown


class SpeedTest(TestCase):
    def found(self, parts: Sequence[Sequence[int]]) -> tuple[FrameMap, Journey]:
        """The map of some shots one after the other, and what is told of it."""
        order = [number for part in parts for number in part]
        cuts = list(itertools.accumulate(len(part) for part in parts))[:-1]
        found = map_frames(seen(order, 2), master(), cuts)
        assert found is not None
        told = Teller(
            found=found,
            shots=SHOTS,
            frames=len(order),
            master_frames=FRAMES,
            rate=RATE,
            master_rate=RATE,
            start=None,
            ordered=(0, FRAMES),
        ).tell()
        return found, told

    def with_speed(self, shot: int, speed: Fraction) -> list[str]:
        parts = [sped(number, speed) if number == shot else shot_frames(number) for number in range(1, 25)]
        return [one.says for one in self.found(parts)[1].sentences]

    def test_one_sentence_for_a_shot_at_any_speed_wherever_it_stands(self) -> None:
        for shot, speed, pace in (
            (9, Fraction(1, 2), "runs at 50 % of its speed"),
            (16, Fraction(2), "runs at 200 % of its speed"),
            (14, Fraction(5, 4), "runs at 125 % of its speed"),
            (1, Fraction(2, 3), "runs at 67 % of its speed"),
            (24, Fraction(-1), "runs backwards"),
            (1, Fraction(-1), "runs backwards"),
        ):
            with self.subTest(shot=shot, speed=speed):
                says = self.with_speed(shot, speed)
                self.assertEqual(len(says), 1, says)
                self.assertIn(f"Shot {shot} “S{shot}” {pace}", says[0])

    def test_what_follows_is_said_to_come_early_or_late(self) -> None:
        (says,) = self.with_speed(9, Fraction(1, 2))
        self.assertTrue(says.endswith(f": all after comes {LENGTHS[8]} frames late."), says)

    def test_a_shot_slowed_in_its_own_place_shows_only_a_part_of_itself(self) -> None:
        parts = [shot_frames(number) for number in range(1, 25)]
        long = parts[15]
        parts[15] = [long[number // 2] for number in range(len(long))]
        (says,) = [one.says for one in self.found(parts)[1].sentences]
        lost = len(long) - (len(long) + 1) // 2
        self.assertIn(f"runs at 50 % of its speed: the file does not show {lost} frames of it", says)

    def test_shots_that_keep_time_are_not_said_to_run_at_another_speed(self) -> None:
        whole = [shot_frames(number) for number in range(1, 25)]
        trimmed = [part[:4] + part[9:] if number == 15 else part for number, part in enumerate(whole)]
        held = [part[:6] + [part[5]] * 5 + part[6:] if number == 15 else part for number, part in enumerate(whole)]
        exchanged = [*whole[:6], whole[7], whole[6], *whole[8:]]
        for parts in (whole, trimmed, held, exchanged):
            found, told = self.found(parts)
            self.assertEqual({one.speed for one in found.stretches}, {1.0})
            self.assertFalse([one.says for one in told.sentences if "speed" in one.says or "backwards" in one.says])
        self.assertEqual(self.found(whole)[1].sentences, ())
