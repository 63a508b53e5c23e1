"""Damage that decodes, planted in drawn pictures, and what films show that looks a little like it."""

from collections.abc import Callable
from unittest import TestCase

import cv2
import numpy as np

from brisk_core.meters import MeterRows
from brisk_core.meters.bursts import Burst, BurstKind, BurstMeter, Entry, find_bursts, shaken_pictures
from brisk_core.meters.change import ChangeMeter, find_cuts
from brisk_core.meters.motion import MotionMeter
from brisk_core.meters.signature import SignatureMeter
from brisk_core.meters.tests.drawn import Plane, measure, moment
from brisk_core.scan.tests.test_clean_material import MATERIAL

COUNT, GROUP = 96, 12
Draw = Callable[[int], Plane]


METERS = (BurstMeter, ChangeMeter, MotionMeter, SignatureMeter)


def bursts_of(planes: list[Plane]) -> tuple[Burst, ...]:
    return found_in(measure([meter() for meter in METERS], planes), GROUP)


def found_in(rows: MeterRows, group: int) -> tuple[Burst, ...]:
    entries, change = [Entry(at, at) for at in range(0, len(rows), group)], rows.rows("change")
    return find_bursts(
        rows.rows("bursts"),
        entries,
        find_cuts(change),
        shaken=shaken_pictures(rows.rows("motion"), change),
        waves=rows.rows("signature")["waves"],
        smooth=True,
    )


def broken(picture: Plane, seed: int, blocks: int = 40) -> Plane:
    """A picture of which a run of blocks shows something else."""
    random, bad = np.random.default_rng(seed), picture.copy()
    first = 7 * (picture.shape[1] // 16)
    for block in range(first, first + blocks):
        down, across = divmod(block, picture.shape[1] // 16)
        place = np.s_[down * 16 : down * 16 + 16, across * 16 : across * 16 + 16]
        bad[place] = np.clip(bad[place] // 4 + random.integers(20, 200), 16, 235)
    return bad


def planted(draw: Draw, start: int, end: int, blocks: int = 40) -> list[Plane]:
    return [
        broken(draw(number), seed=5, blocks=blocks) if start <= number < end else draw(number)
        for number in range(COUNT)
    ]


def soft(draw: Draw, start: int, end: int) -> list[Plane]:
    """Damage without the edges of blocks."""
    planes, right = planted(draw, start, end), [draw(number) for number in range(COUNT)]
    for number in range(start, end):
        wrong = cv2.GaussianBlur(planes[number].astype(np.float32) - right[number], (0, 0), 7)
        planes[number] = np.clip(right[number] + wrong, 16, 235).astype(np.uint8)
    return planes


def shown(planes: list[Plane]) -> Draw:
    return lambda number: planes[number]


def bright(number: int) -> Plane:
    """A spark for one picture, now and then."""
    picture = moment(number * 0.5, grain=1.5)
    if number in (30, 47, 71):
        cv2.circle(picture, (200, 140), 45, 235, -1)
    return picture


def lightning(number: int) -> Plane:
    picture = moment(number * 0.5, grain=1.5)
    return np.clip(picture + 60.0, 16, 235).astype(np.uint8) if number in (36, 37, 60) else picture


def bird(number: int) -> Plane:
    """Something with light and dark in it that flies through in a few pictures."""
    picture = moment(number * 0.5, grain=1.5)
    if 40 <= number < 46:
        left = (number - 40) * 55
        picture[100:150, left : left + 30], picture[100:150, left + 30 : left + 60] = 20, 230
    return picture


WORDS = cv2.FONT_HERSHEY_SIMPLEX


def words(long: int, first: int = 5) -> Draw:
    """Captions on a box, again and again, ``long`` pictures each."""

    def draw(number: int) -> Plane:
        picture = moment(number * 0.5, grain=1.5)
        if number >= first and (number - first) % (long + 3) < long:
            picture[230:270, 40:310] = 20
            cv2.putText(picture, f"LAMP {number // (long + 3)}", (60, 262), WORDS, 1.2, 230, 4)
        return picture

    return draw


def slides(number: int) -> Plane:
    """A page on which something is added at every random access point and in between."""
    picture = np.full((288, 352), 180, np.uint8)
    for at in range(number // 6 + 1):
        cv2.rectangle(picture, (20 + at % 5 * 64, 20 + at // 5 * 64), (70 + at % 5 * 64, 70 + at // 5 * 64), 30, -1)
    return picture


def cards(number: int) -> Plane:
    """Cards of credits, each a second long: every second one ends with a group of two seconds."""
    picture, card = np.full((288, 352), 18, np.uint8), number // 24
    cv2.putText(picture, ("WRITTEN BY", "MUSIC", "SOUND", "LIGHT")[card % 4], (120, 110), WORDS, 0.6, 210, 2)
    cv2.putText(picture, ("A LOWE", "M CANAL", "T WICK", "O GLASS")[card % 4], (100, 170), WORDS, 1.0, 210, 2)
    return picture


def dirt(number: int) -> Plane:
    """A film with specks, another few in each picture."""
    picture, random = moment(number * 0.5, grain=2), np.random.default_rng(number)
    for _ in range(int(random.integers(0, 4))):
        cv2.circle(
            picture, tuple(int(one) for one in random.integers(10, 280, 2)), 7, int(random.choice([18, 232])), -1
        )
    return picture


CLEAN: dict[str, Draw] = MATERIAL | {
    "spark": bright, "lightning": lightning, "bird": bird, "short captions": words(7), "captions": words(31),
    "one caption that ends with a group": words(200, first=0), "slides": slides, "dirt": dirt, "cards": cards,
    "cuts": lambda number: moment(number * 0.5, seed=1 + number // 17 % 3, grain=1.5),
    "quick cuts": lambda number: moment(number * 0.5, seed=1 + number // 4 % 3, grain=1.5),
    "on threes": lambda number: moment(number // 3 * 2.0),
    "every picture twice": lambda number: moment(number // 2 * 1.0, grain=0),
}  # fmt: skip
GROUNDS: dict[str, Draw] = {
    "still": lambda number: moment(20),
    "slow pan": lambda number: moment(number * 0.3, grain=1.5),
    "pan": lambda number: moment(number * 1.0, grain=1.5),
    "still with grain": lambda number: moment(0.001 * number, grain=2.5),
    "credits": MATERIAL["credits"],
}


class BurstTest(TestCase):
    def test_clean_material_is_silent(self) -> None:
        for name, draw in CLEAN.items():
            rows = measure([meter() for meter in METERS], (draw(number % 75) for number in range(COUNT)))
            for group in (GROUP, 8, 48, 1):
                with self.subTest(name, group=group):
                    self.assertEqual(found_in(rows, group), ())

    def test_damage_until_a_random_access_point_is_found(self) -> None:
        for name, draw in GROUNDS.items():
            for start, end in ((41, 48), (25, 36), (59, 60)):
                if (name, end - start) == ("credits", 1):
                    continue  # letters run through those blocks in every picture
                with self.subTest(name, start=start):
                    found = bursts_of(planted(draw, start, end))
                    self.assertEqual([(one.start, one.end) for one in found], [(start, end)])

    def test_damage_of_one_picture_is_found_and_of_several_that_end_anywhere_is_not_told(self) -> None:
        draw = GROUNDS["slow pan"]
        self.assertEqual(bursts_of(planted(draw, 40, 41)), (Burst(start=40, end=41, kind=BurstKind.ALONE),))
        self.assertEqual(bursts_of(soft(draw, 40, 45)), ())

    def test_a_group_that_is_longer_than_the_others_hides_nothing_and_a_shorter_one_says_nothing(self) -> None:
        rows = measure([BurstMeter()], soft(GROUNDS["slow pan"], 41, 48)).rows("bursts")
        for starts, expected in (
            ([0, 12, 24, 36, 48, 60, 73, 85], [48]),  # one picture more, once
            ([0, 12, 24, 36, 60, 72, 84], []),  # it ends where nothing begins
            ([0, 24, 41, 48, 72], []),  # a shorter one: the coder saw the picture change
        ):
            found = find_bursts(rows, [Entry(at, at) for at in starts], [])
            self.assertEqual([one.end for one in found], expected)

    def test_a_few_blocks_are_enough_and_less_is_not_told(self) -> None:
        draw = GROUNDS["still with grain"]
        self.assertEqual([one.start for one in bursts_of(planted(draw, 41, 48, blocks=6))], [41])
        self.assertEqual(bursts_of(planted(draw, 41, 48, blocks=0)), ())

    def test_damage_that_leaps_more_than_once_is_one_burst_until_it_ends(self) -> None:
        rows = np.zeros(COUNT, BurstMeter.row)  # what is told of a picture by the next one stands with that
        for alone in (40, 41):
            rows["brighter"][alone + 1] = rows["darker"][alone + 1] = 3
        rows["rose"][41], rows["lit"][41], rows["fell"][48 + 1] = 6, 3, 6
        rows["rose_box"][41] = rows["fell_box"][48 + 1] = (0, 0, 99, 99)
        entries = [Entry(at, at) for at in range(0, COUNT, GROUP)]
        self.assertEqual(find_bursts(rows, entries, []), (Burst(start=40, end=48, kind=BurstKind.UNTIL_ENTRY),))

    def test_motion_that_stops_for_a_picture_and_goes_on_is_no_burst(self) -> None:
        places = [number - (number > 25) - (number > 50) - (number > 75) for number in range(COUNT)]
        rows = measure([meter() for meter in METERS], (moment(place * 0.7, grain=0.5) for place in places))
        entries = [Entry(at, at) for at in range(0, COUNT, 25)]
        stops = [at for repeat in (26, 51, 76) for at in (repeat, repeat + 1)]
        self.assertNotEqual(find_bursts(rows.rows("bursts"), entries, []), ())
        self.assertEqual(find_bursts(rows.rows("bursts"), entries, stops), ())

    def test_two_groups_one_after_the_other(self) -> None:
        planes = planted(GROUNDS["slow pan"], 30, 36)
        planes[44:] = planted(shown(planes), 44, 48)[44:]
        self.assertEqual([(one.start, one.end) for one in bursts_of(planes)], [(30, 36), (44, 48)])

    def test_where_captions_come_and_go_one_that_ends_there_says_nothing(self) -> None:
        draw = words(6, first=0)  # every ninth picture: some of them end at a random access point
        self.assertEqual(bursts_of([draw(number) for number in range(COUNT)]), ())


class RestlessTest(TestCase):
    """A shot in which something leaps in every picture, as fire does, beside shots in which nothing does."""

    def rows(self) -> np.ndarray:
        rows = np.zeros(1200, BurstMeter.row)
        rows["rose_box"], rows["fell_box"] = [20, 20, 230, 230], [20, 20, 230, 230]
        measured = {  # of a fire, a group of pictures
            "rose": [19, 3, 19, 1, 18, 9, 5, 9, 4, 13, 5, 12],
            "lit": [9, 2, 6, 0, 8, 8, 1, 1, 2, 7, 3, 2],
            "fell": [4, 10, 3, 25, 3, 10, 11, 5, 13, 3, 9, 2],
        }
        for name, values in measured.items():
            rows[name][92:140] = np.roll(values * 4, 4)
        return rows

    def found(self, rows: np.ndarray) -> list[tuple[int, int]]:
        entries = [Entry(at, at) for at in range(0, len(rows), 12)]
        return [(one.start, one.end) for one in find_bursts(rows, entries, [92, 140])]

    def test_fire_is_no_damage_and_damage_beside_it_is(self) -> None:
        rows = self.rows()
        self.assertEqual(self.found(rows), [])
        rows["rose"][41], rows["lit"][41], rows["fell"][49] = 80, 40, 80
        self.assertEqual(self.found(rows), [(41, 48)])

    def test_damage_in_a_fire_that_is_larger_than_it_is_found(self) -> None:
        rows = self.rows()
        rows["rose"][111], rows["lit"][111], rows["fell"][121] = 200, 100, 200
        self.assertEqual(self.found(rows), [(111, 120)])
