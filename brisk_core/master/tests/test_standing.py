"""Shots in which little moves, and flat ones: where in the master they lie, by pictures without any coder between."""

import itertools
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from unittest import TestCase

import cv2
import numpy as np

from brisk_core.master.frame_map import IN_PLACE, FrameMap, Seen
from brisk_core.master.mapping import map_frames
from brisk_core.meters.signature import SignatureMeter
from brisk_core.meters.tests.drawn import Plane, measure

SIZE = (192, 108)
Draw = Callable[[int], Plane]


def _cloud(seed: int) -> Plane:
    wide = cv2.GaussianBlur(np.random.default_rng(seed).normal(0, 1, (200, 700)), (0, 0), 9)
    return np.asarray((wide / wide.std() * 45 + 120).clip(16, 235), np.uint8)


def pan(seed: int) -> Draw:
    cloud = _cloud(seed)
    return lambda number: cloud[40:148, 60 + 4 * number : 60 + 4 * number + SIZE[0]]


def still(seed: int) -> Draw:
    cloud = _cloud(seed)
    return lambda number: cloud[40:148, 200 : 200 + SIZE[0]]


def head(seed: int, moves: float) -> Draw:
    """One set-up, in which something small moves; takes differ in how it moves."""
    ground = _cloud(seed)[40:148, 200 : 200 + SIZE[0]]

    def draw(number: int) -> Plane:
        picture = ground.copy()
        place = (round(90 + 9 * np.sin(number * moves)), round(54 + 5 * np.cos(number * moves * 0.7)))
        return cv2.circle(picture, place, 26, 190, -1)

    return draw


def title(number: int) -> Plane:
    picture = np.full((SIZE[1], SIZE[0]), 19, np.uint8)
    return cv2.putText(picture, "LAMP", (40, 64), cv2.FONT_HERSHEY_DUPLEX, 1.2, 30 + min(number, 20) * 9, 2)


Shot = tuple[Draw, int]
SHOTS: list[Shot] = [
    (pan(1), 40), (still(2), 44), (pan(3), 36), (head(4, 0.21), 40), (pan(5), 40), (still(6), 39), (pan(7), 30),
    (head(4, 0.34), 52), (pan(8), 36), (title, 50),
]  # fmt: skip


def seen(shots: list[Shot], seed: int) -> tuple[Seen, list[int]]:
    """What the map needs of some shots, with noise as a coder leaves it, and their cuts."""
    generator = np.random.default_rng(seed)
    planes = [draw(number) + generator.normal(0, 1, SIZE[::-1]) for draw, count in shots for number in range(count)]
    rows = measure([SignatureMeter()], (plane.clip(0, 255).astype(np.uint8) for plane in planes)).rows("signature")
    cuts = list(itertools.accumulate(count for _, count in shots))[:-1]
    return Seen(bits=rows["bits"], waves=rows["waves"].astype(np.float32) / 128, rate=Fraction(25)), cuts


class StandingTest(TestCase):
    master: Seen
    cuts: list[int]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.master, cls.cuts = seen(SHOTS, 1)

    def found(self, order: list[int]) -> FrameMap:
        file, cuts = seen([SHOTS[number - 1] for number in order], 2)
        found = map_frames(file, self.master, cuts, self.cuts)
        assert found is not None
        return found

    def begins(self, order: list[int]) -> list[tuple[int, float]]:
        """Where in the master the shots of a file begin, as the map has it."""
        found, starts = self.found(order), [0, *self.cuts]
        lengths = [SHOTS[number - 1][1] for number in order]
        firsts = [0, *itertools.accumulate(lengths)][:-1]
        return [
            (
                number,
                float(np.median(found.places[at + 2 : at + length - 2] - np.arange(2, length - 2)))
                - starts[number - 1],
            )
            for number, at, length in zip(order, firsts, lengths, strict=True)
        ]

    def test_shots_that_changed_places_lie_where_they_begin(self) -> None:
        for order in (
            [1, 6, 3, 4, 5, 2, 7, 8, 9, 10],
            [1, 2, 3, 8, 5, 6, 7, 4, 9, 10],
            [2, 1, 3, 4, 5, 6, 7, 8, 10, 9],
        ):
            with self.subTest(order):
                self.assertEqual(self.begins(order), [(number, 0.0) for number in order])

    def test_all_in_place(self) -> None:
        found = self.found(list(range(1, 11)))
        self.assertEqual([(one.start, one.offset) for one in found.stretches], [(0, 0.0)])
        self.assertTrue((found.kinds == IN_PLACE).all())

    def test_a_flat_ground_that_was_rounded_to_fewer_bits_is_in_place(self) -> None:
        file, cuts = seen(SHOTS, 2)
        waves = file.waves.copy()
        waves[cuts[-1] :, 0] -= 0.5
        found = map_frames(replace(file, waves=waves), self.master, cuts, self.cuts)
        assert found is not None
        self.assertEqual([(one.start, one.end) for one in found.stretches], [(0, len(file))])
        waves[cuts[-1] :, 0] -= 30  # another picture
        found = map_frames(replace(file, waves=waves), self.master, cuts, self.cuts)
        assert found is not None
        self.assertFalse((found.kinds[cuts[-1] + 5 :] == IN_PLACE).any())
