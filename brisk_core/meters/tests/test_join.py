"""``join(a, b)`` of any split equals the single pass exactly, over all meters."""

from itertools import pairwise
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_core.meters import Picture, Samples
from brisk_core.meters.hops import SoundMeter
from brisk_core.meters.tests.drawn import moment
from brisk_core.scan import PictureScan

COUNT = 14
MISSING = {5, 9}
BLACK, NEARLY_BLACK = {0, 1, 6, 12}, {7, 13}  # where segments begin and elsewhere


def picture(number: int, bits: int) -> Picture:
    size = (320, 240) if number == 11 else (352, 288)
    luma = moment(number * 0.7, number // 6 + 1, grain=1, size=size)
    if number in BLACK | NEARLY_BLACK:
        luma = np.full_like(luma, 16)
        luma[3 : 3 + 2 * (number in NEARLY_BLACK), 5:200] = 120  # a line of light
    planes = tuple(
        (plane.astype(np.uint16) << (bits - 8)) if bits > 8 else plane
        for plane in (luma, luma[::2, ::2], luma[1::2, ::2].copy())
    )
    return Picture(number=number, planes=planes, samples=Samples(bits=bits), alpha=planes[0] if number % 2 else None)


def scan(first: int, end: int, bits: int) -> PictureScan:
    found = PictureScan.begin(first)
    for number in range(first, end):
        if number in MISSING:
            found.skip()
        else:
            found.take(picture(number, bits))
    return found


class PicturesJoinTest(TestCase):
    whole = {bits: scan(0, COUNT, bits) for bits in (8, 10)}

    def assert_same(self, found: PictureScan, bits: int) -> None:
        wanted = self.whole[bits]
        mine, theirs = found.rows.to_arrays(), wanted.rows.to_arrays()
        for name in theirs:
            if name.startswith("rows_"):
                self.assertEqual(mine[name].tobytes(), theirs[name].tobytes(), name)
        self.assertEqual((found.missing, found.sizes), (wanted.missing, wanted.sizes))
        self.assertTrue((found.histogram.counts == wanted.histogram.counts).all())
        for size, lines in wanted.area.total.lines.items():
            self.assertTrue((found.area.total.lines[size] == lines).all())
            self.assertTrue((found.area.total.columns[size] == wanted.area.total.columns[size]).all())

    @given(st.sets(st.integers(1, COUNT - 1), max_size=5), st.sampled_from((8, 10)))
    @settings(max_examples=12)
    def test_any_cuts(self, cuts: set[int], bits: int) -> None:
        bounds = [0, *sorted(cuts), COUNT]
        found = scan(bounds[0], bounds[1], bits)
        for first, end in pairwise(bounds[1:]):
            found.join(scan(first, end, bits))
        self.assert_same(found, bits)

    def test_through_files(self) -> None:
        import tempfile
        from pathlib import Path

        with tempfile.TemporaryDirectory() as folder:
            parts = []
            for number, (first, end) in enumerate(((0, 6), (6, 7), (7, COUNT))):
                scan(first, end, 8).save(Path(folder) / f"{number}.npz")
                parts.append(PictureScan.load(Path(folder) / f"{number}.npz"))
        for later in parts[1:]:
            parts[0].join(later)
        self.assert_same(parts[0], 8)


class SoundJoinTest(TestCase):
    rate = 8000
    sound = np.random.default_rng(4).normal(0, 0.1, (2, 20_013)).astype(np.float32)

    def meter(self, first: int, end: int, block: int) -> SoundMeter:
        found = SoundMeter(self.rate, 2, start=first)
        for at in range(first, end, block):
            found.take(self.sound[:, at : min(at + block, end)])
        return found

    @given(st.sets(st.integers(1, 20_012), max_size=4), st.integers(50, 3000))
    @settings(max_examples=20)
    def test_any_cuts(self, cuts: set[int], block: int) -> None:
        bounds = [0, *sorted(cuts), self.sound.shape[1]]
        found = self.meter(bounds[0], bounds[1], block)
        for first, end in pairwise(bounds[1:]):
            found.join(self.meter(first, end, block))
        whole = self.meter(0, self.sound.shape[1], 1024)
        self.assertEqual(found.rows().tobytes(), whole.rows().tobytes())
