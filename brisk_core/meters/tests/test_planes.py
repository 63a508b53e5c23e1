from unittest import TestCase

import av
import numpy as np

from brisk_core.meters.planes import PlaneReader
from brisk_core.meters.tests.drawn import moment


class PlanesTest(TestCase):
    """Frames of every form become planes with the values that the frame holds."""

    def frame(self, pixels: str) -> av.VideoFrame:
        grey = moment(0, size=(64, 48))
        return av.VideoFrame.from_ndarray(np.dstack([grey] * 3), format="rgb24").reformat(format=pixels)

    def test_planar_frames_are_looked_at_as_they_are(self) -> None:
        for pixels, bits, chroma in (
            ("yuv420p", 8, (24, 32)), ("yuv422p", 8, (48, 32)), ("yuv444p", 8, (48, 64)), ("yuv411p", 8, (48, 16)),
            ("yuv420p10le", 10, (24, 32)), ("yuv422p12le", 12, (48, 32)), ("yuv444p16le", 16, (48, 64)),
        ):  # fmt: skip
            with self.subTest(pixels):
                picture = PlaneReader(full=False).picture(self.frame(pixels), 3)
                self.assertEqual((picture.size, picture.samples.bits, picture.number), ((64, 48), bits, 3))
                self.assertEqual([plane.shape for plane in picture.planes], [(48, 64), chroma, chroma])
                self.assertIsNone(picture.alpha)
                self.assertAlmostEqual(
                    float(picture.luma.mean()) / (1 << (bits - 8)), float(picture.small.mean()), delta=3
                )

    def test_packed_frames_and_those_of_red_green_and_blue_are_brought_to_planes(self) -> None:
        for pixels in ("yuyv422", "uyvy422", "nv12", "rgb24", "bgr24", "gbrp", "gbrp10le", "rgb48le"):
            with self.subTest(pixels):
                picture = PlaneReader(full=False).picture(self.frame(pixels), 0)
                self.assertEqual((picture.size, len(picture.planes)), ((64, 48), 3))

    def test_grey_frames_have_one_plane(self) -> None:
        for pixels, bits in (("gray", 8), ("gray10le", 10)):
            picture = PlaneReader(full=False).picture(self.frame(pixels), 0)
            self.assertEqual((len(picture.planes), picture.samples.bits, picture.small_chroma), (1, bits, None))

    def test_alpha_is_kept_apart(self) -> None:
        for pixels in ("yuva420p", "yuva444p10le", "rgba", "gbrap"):
            with self.subTest(pixels):
                picture = PlaneReader(full=False).picture(self.frame(pixels), 0)
                self.assertEqual(len(picture.planes), 3)
                assert picture.alpha is not None
                self.assertEqual(picture.alpha.shape, (48, 64))

    def test_frames_that_are_full_by_their_own_form_say_so(self) -> None:
        self.assertTrue(PlaneReader(full=False).picture(self.frame("yuvj420p"), 0).samples.full)
        self.assertFalse(PlaneReader(full=False).picture(self.frame("yuv420p"), 0).samples.full)
