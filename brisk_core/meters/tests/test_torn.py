"""Parts of a picture that are torn into blocks, and what has edges on the same grid without being damaged."""

from collections.abc import Callable
from unittest import TestCase

import cv2
import numpy as np

from brisk_core.meters.bursts import BurstKind, BurstMeter, Entry, find_bursts
from brisk_core.meters.tests.drawn import Plane, measure, moment
from brisk_core.meters.tests.test_bursts import COUNT, GROUP, bursts_of

LAST = COUNT - GROUP // 2  # in the last group: no random access point follows
Change = Callable[[Plane], None]


def broken(picture: Plane, seed: int, rows: int = 12) -> Plane:
    """A picture of which the lowest rows of blocks show what a decoder makes of the wrong bits."""
    random, bad = np.random.default_rng(seed), picture.astype(np.float32)
    height, width = picture.shape
    for top in range(height - rows * 8, height - 7, 8):
        for left in range(0, width * 2 // 3 - 7, 8):
            wave = np.cos(np.arange(8) * random.uniform(0.3, 2)) * random.normal(0, 12)
            bad[top : top + 8, left : left + 8] = random.integers(40, 200) + wave
    return np.asarray(bad.clip(16, 235), np.uint8)


def from_picture(first: int, change: Change) -> list[Plane]:
    """A slow pan that something is drawn over from one picture on."""
    planes = [moment(number * 0.5, grain=1.5) for number in range(COUNT)]
    for picture in planes[first:]:
        change(picture)
    return planes


def box(picture: Plane) -> None:
    picture[64:128, 64:192] = 220


def tiles(picture: Plane) -> None:
    """A panel with six fields, all on multiples of eight."""
    picture[64:192, 64:256] = 30
    for at in range(6):
        picture[80:112, 80 + at * 24 : 96 + at * 24] = 220


def title(picture: Plane) -> None:
    picture[200:264, 16:336] = 24
    cv2.putText(picture, "CHAPTER ONE", (24, 248), cv2.FONT_HERSHEY_SIMPLEX, 1.5, 230, 3)


def inset(picture: Plane) -> None:
    picture[32:160, 32:224] = moment(3, seed=2, grain=1)[:128, :192]


def board(phase: int) -> Change:
    """Squares of sixteen samples, beside the grid or on it."""

    def draw(picture: Plane) -> None:
        for top in range(64, 192, 16):
            for left in range(64 + phase, 256 + phase, 16):
                picture[top : top + 16, left : left + 16] = 200 if (top + left - phase) // 16 % 2 else 40

    return draw


def automaton(number: int) -> Plane:
    """Cells of eight samples of which some change in each picture."""
    cells = np.random.default_rng(3).integers(0, 2, (36, 44))
    random = np.random.default_rng(number // 24)
    cells[random.integers(0, 36, 200), random.integers(0, 44, 200)] ^= 1
    return np.kron(cells * 150 + 50, np.ones((8, 8))).astype(np.uint8)


CLEAN: dict[str, list[Plane]] = {
    "box": from_picture(LAST, box),
    "panel": from_picture(LAST, tiles),
    "title": from_picture(LAST, title),
    "inset": from_picture(LAST, inset),
    "squares beside the grid": from_picture(LAST, board(3)),
    "drawn of blocks": [automaton(number) for number in range(COUNT)],
    "a cut to what is drawn of blocks": [moment(at * 0.5, grain=1.5) if at < LAST else automaton(0) for at in range(96)],
    "a cut": [moment(at * 0.5, seed=1 if at < LAST else 3, grain=1.5) for at in range(COUNT)],
    "a flash": [np.clip(one + 70.0 * (at == LAST), 16, 235).astype(np.uint8)
                for at, one in enumerate(from_picture(LAST, lambda _: None))],
}  # fmt: skip


class TornTest(TestCase):
    def test_what_is_torn_is_told_though_nothing_follows_that_is_right(self) -> None:
        for speed in (0.0, 0.3, 0.5):
            planes = [moment(number * speed, grain=1.5) for number in range(COUNT)]
            planes[LAST:] = [broken(picture, seed=5) for picture in planes[LAST:]]
            (found,) = bursts_of(planes)
            self.assertEqual((found.start, found.end, found.kind), (LAST, COUNT, BurstKind.TORN))

    def test_clean_pictures_with_edges_on_the_grid_are_silent(self) -> None:
        for name, planes in CLEAN.items():
            with self.subTest(name):
                self.assertEqual(bursts_of(planes), ())

    def test_of_coders_that_leave_edges_of_blocks_nothing_is_said(self) -> None:
        planes = [moment(number * 0.3, grain=1.5) for number in range(COUNT)]
        planes[LAST:] = [broken(picture, seed=5) for picture in planes[LAST:]]
        rows = measure([BurstMeter()], planes).rows("bursts")
        entries = [Entry(at, at) for at in range(0, COUNT, GROUP)]
        self.assertEqual([len(find_bursts(rows, entries, [], smooth=smooth)) for smooth in (True, False)], [1, 0])

    def test_what_is_torn_again_and_again_is_how_the_programme_is_drawn(self) -> None:
        planes = [moment(number * 0.5, grain=1.5) for number in range(COUNT)]
        for start in range(5, COUNT - 8, 10):
            planes[start : start + 5] = [broken(picture, seed=start) for picture in planes[start : start + 5]]
        self.assertNotIn(BurstKind.TORN, {one.kind for one in bursts_of(planes)})
