from unittest import TestCase

import cv2
import numpy as np

from brisk_core.meters import MeterRows, Picture, Samples
from brisk_core.meters.coding import AlphaMeter, BlockMeter, judge_alpha, judge_blockiness
from brisk_core.meters.enlargement import EnlargementMeter, find_enlarged
from brisk_core.meters.signature import SignatureMeter
from brisk_core.meters.spectrum import DetailMeter, judge_detail
from brisk_core.meters.tests.drawn import Plane, measure, moment, texture


def sharp(number: int, size: tuple[int, int]) -> Plane:
    """A picture with detail up to the last frequency, less of it the finer it is, as nature has it."""
    spectrum = np.fft.rfft2(np.random.default_rng(number).normal(0, 1, (size[1], size[0])))
    down, across = np.fft.fftfreq(size[1])[:, None] * size[1], np.fft.rfftfreq(size[0])[None] * size[0]
    natural = np.fft.irfft2(spectrum / np.maximum(np.hypot(down, across), 4) ** 0.8, s=(size[1], size[0]))
    return np.asarray((natural / natural.std() * 36 + 120).clip(16, 235), np.uint8)


class DetailTest(TestCase):
    def effective(self, planes: list[Plane]) -> tuple[int, int] | None:
        meter = EnlargementMeter()
        rows = MeterRows([DetailMeter(), meter])
        for number, plane in zip((0, 17, 34, 39), planes, strict=True):
            rows.take(Picture(number=number, planes=(plane,), samples=Samples(bits=8)))
        height, width = planes[0].shape
        enlarged = find_enlarged(rows.rows("enlargement"), np.zeros(0, np.intp), (width, height), meter.total)
        if enlarged:
            return round(width / enlarged[0].factor), round(height / enlarged[0].factor)
        return judge_detail(rows.rows("detail"), (width, height), progressive=True)

    def test_enlarged_pictures_have_the_size_they_came_from(self) -> None:
        for lines, grown in ((720, 1080), (540, 1080), (1080, 2160)):
            for way in (cv2.INTER_CUBIC, cv2.INTER_LANCZOS4):
                size, large = (lines * 16 // 9, lines), (grown * 16 // 9, grown)
                found = self.effective(
                    [cv2.resize(sharp(number, size), large, interpolation=way) for number in range(4)]
                )
                assert found
                self.assertAlmostEqual(found[1] / grown, lines / grown, delta=0.08, msg=f"{lines} to {grown} by {way}")

    def test_a_sharp_picture_has_its_own_size(self) -> None:
        self.assertEqual(self.effective([sharp(number, (1920, 1080)) for number in range(4)]), (1920, 1080))

    def test_soft_material_says_nothing(self) -> None:
        soft = [cv2.GaussianBlur(sharp(number, (1920, 1080)), (0, 0), 6) for number in range(4)]
        self.assertIsNone(self.effective(soft))


class BlocksTest(TestCase):
    def test_it_grows_with_the_steps_on_the_grid(self) -> None:
        found = []
        for strength in (0, 2, 6):
            pictures = []
            for number in range(24):
                blocks = np.random.default_rng(number).normal(0, strength, (36, 44)).repeat(8, 0).repeat(8, 1)
                pictures.append(np.asarray((moment(number) + blocks).clip(0, 255), np.uint8))
            found.append(judge_blockiness(measure([BlockMeter()], pictures).rows("blocks")))
        self.assertAlmostEqual(found[0] or 0, 1, delta=0.05)
        self.assertEqual(found, sorted(found, key=lambda value: value or 0))

    def test_flat_pictures_say_nothing(self) -> None:
        self.assertIsNone(
            judge_blockiness(measure([BlockMeter()], [np.full((288, 352), 99, np.uint8)] * 40).rows("blocks"))
        )


class AlphaTest(TestCase):
    def kind(self, luma: Plane, alpha: Plane | None) -> str | None:
        rows = MeterRows([AlphaMeter()])
        for number in range(5):
            rows.take(Picture(number=number, planes=(luma,), samples=Samples(bits=8), alpha=alpha))
        return judge_alpha(rows.rows("alpha"))

    def test_every_kind(self) -> None:
        luma = np.full((288, 352), 200, np.uint8)
        slope = np.tile(np.linspace(0, 255, 352), (288, 1)).astype(np.uint8)
        multiplied = np.asarray(16 + (luma.astype(np.float64) - 16) * slope / 255, np.uint8)
        self.assertEqual(self.kind(luma, None), "none")
        self.assertEqual(self.kind(luma, np.full_like(luma, 255)), "opaque")
        self.assertEqual(self.kind(luma, slope), "straight")
        self.assertEqual(self.kind(multiplied, slope), "premultiplied")
        self.assertEqual(self.kind(luma, np.where(slope > 128, 255, 0).astype(np.uint8)), "present")


class SignatureTest(TestCase):
    def bits(self, planes: list[Plane]) -> np.ndarray:  # type: ignore[type-arg]
        return measure([SignatureMeter()], planes).rows("signature")["bits"]

    @staticmethod
    def apart(one: np.uint64, other: np.uint64) -> int:
        return int(np.bitwise_count(one ^ other))

    def test_the_same_picture_is_found_again_after_scaling_levels_and_noise(self) -> None:
        pictures = [cv2.resize(texture(seed, 9)[:288, :352], (704, 576)) for seed in range(40)]
        noise = np.random.default_rng(1).normal(0, 3, (288, 352))
        changed = [
            np.asarray((cv2.resize(one, (352, 288)) * 0.86 + 16 + noise).clip(0, 255), np.uint8) for one in pictures
        ]
        first, second = self.bits(pictures), self.bits(changed)
        for number, bits in enumerate(second):
            distances = [self.apart(bits, other) for other in first]
            self.assertEqual(int(np.argmin(distances)), number)
            self.assertLess(distances[number], 10)
            self.assertGreater(sorted(distances)[1], 14)
