from unittest import TestCase

import cv2
import numpy as np

from brisk_core.frames.stills import _no_wider


class SmallerTest(TestCase):
    def test_pictures_made_smaller_are_means_of_areas(self) -> None:
        random = np.random.default_rng(1)
        for kind, most in ((np.uint8, 256), (np.uint16, 65_536)):
            for width, height, line in ((1920, 1080, 1920), (1920, 1080, 1984), (3840, 2160, 3840), (2048, 858, 2048),
                                        (1281, 721, 1281), (720, 576, 720), (962, 540, 963), (1922, 1081, 1923),
                                        (1924, 2, 1925)):  # fmt: skip
                plane = random.integers(0, most, (height, line)).astype(kind)[:, :width]
                small = _no_wider(plane, 960)
                wanted = plane.astype(np.float32)
                if width > 960:
                    size = (960, max(2, round(height * 960 / width)))
                    wanted = cv2.resize(wanted, size, interpolation=cv2.INTER_AREA)
                self.assertEqual((small.dtype, small.shape), (np.dtype(np.float32), wanted.shape))
                self.assertLess(np.abs(small - wanted).max(), most * 1e-5, (width, height))

    def test_the_largest_sample_stays_the_largest(self) -> None:
        for kind, most in ((np.uint8, 255), (np.uint16, 65_535)):
            self.assertEqual(set(_no_wider(np.full((8, 1920), most, kind), 960).flat), {float(most)})
