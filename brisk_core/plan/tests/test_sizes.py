import io
from fractions import Fraction
from unittest import TestCase

import av
import numpy as np

from brisk_core.errors import PlanRefused
from brisk_core.plan.bits import Programme
from brisk_core.plan.sizes import LAYOUTS, RDD36_RATES, VC3_ANY, VC3_PICTURES, Sureness, vc3_picture, weigh
from brisk_core.plan.sizes_document import plan_sizes

MINUTE = Programme(name="a minute", frames=1500, rate=Fraction(25), size=(1920, 1080))


def encoded(
    codec: str, size: tuple[int, int], pixels: str, *, rate: int = 25, bits: int = 0, noise: bool = True, **options: str
) -> list[int]:
    """The sizes of two pictures as the library's own encoder makes them: of noise, which takes the most, or of grey."""
    container = av.open(io.BytesIO(), "w", format="mov")
    stream = container.add_stream(codec, rate=rate, options=options)
    stream.width, stream.height, stream.pix_fmt = *size, pixels
    if bits:
        stream.bit_rate = bits
    shape = (size[1], size[0], 3)
    samples = (
        np.random.default_rng(1).integers(0, 255, shape, dtype=np.uint8) if noise else np.full(shape, 99, np.uint8)
    )
    frame = av.VideoFrame.from_ndarray(samples, "rgb24").reformat(format=pixels)
    sizes = []
    for number in range(2):
        frame.pts = number
        sizes += [packet.size for packet in stream.encode(frame)]
    return sizes + [packet.size for packet in stream.encode(None)]


class ExactTest(TestCase):
    """Held against pictures that were really coded."""

    def test_vc3_of_fixed_sizes(self) -> None:
        for size, id_, pixels, rate, bits in (
            ((1920, 1080), 1237, "yuv422p", 25, 120_000_000),
            ((1920, 1080), 1238, "yuv422p", 25, 185_000_000),
            ((1920, 1080), 1253, "yuv422p", 25, 36_000_000),
            ((1920, 1080), 1235, "yuv422p10le", 25, 185_000_000),
            ((1280, 720), 1252, "yuv422p", 50, 120_000_000),
            ((1280, 720), 1251, "yuv422p", 50, 180_000_000),
        ):
            told = {row[0]: row[2] for row in VC3_PICTURES[(*size, False)]}
            self.assertEqual({*encoded("dnxhd", size, pixels, rate=rate, bits=bits, noise=False)}, {told[id_]}, id_)

    def test_vc3_of_any_size(self) -> None:
        by_id = {id_: per for id_, _, per in VC3_ANY}
        for id_, profile, pixels in (
            (1274, "dnxhr_lb", "yuv422p"),
            (1273, "dnxhr_sq", "yuv422p"),
            (1272, "dnxhr_hq", "yuv422p"),
            (1271, "dnxhr_hqx", "yuv422p10le"),
            (1270, "dnxhr_444", "yuv444p10le"),
        ):
            for size in ((256, 120), (640, 360), (1000, 562)):
                made = encoded("dnxhd", size, pixels, profile=profile)
                self.assertEqual({*made}, {vc3_picture(size, by_id[id_])}, (id_, size))

    def test_plain_samples(self) -> None:
        by_name = {layout.name: layout for layout in LAYOUTS}
        for name, codec, pixels in (
            ("4:2:0, 8 bit", "rawvideo", "yuv420p"),
            ("4:2:2, 8 bit", "rawvideo", "uyvy422"),
            ("RGB, 8 bit", "rawvideo", "rgb24"),
            ("4:2:2, 10 bit, v210", "v210", "yuv422p10le"),
            ("RGB with alpha, 8 bit", "rawvideo", "rgba"),
            ("RGB, 12 bit", "rawvideo", "rgb48le"),
            ("RGB with alpha, 16 bit", "rawvideo", "rgba64le"),
        ):
            for size in ((64, 36), (720, 576), (1000, 562)):
                self.assertEqual({*encoded(codec, size, pixels)}, {by_name[name].picture(*size)}, (name, size))

    def test_by_hand(self) -> None:
        """A minute of 25 pictures of 1920 by 1080 by 2 bytes: 6,220,800,000 bytes, and the wrapper."""
        (plain,) = [one for one in weigh(MINUTE, "mov") if one.name == "Uncompressed 4:2:2, 8 bit"]
        assert plain.least is not None
        self.assertEqual(plain.least, plain.most)
        self.assertTrue(0 < plain.least - 6_220_800_000 < 100_000)


class FamilyTest(TestCase):
    def test_target_rates_are_those_that_were_published(self) -> None:
        """147 Mb/s at 1920 by 1080 and 30/1.001: a minute of 29.97 is 1.1025 GB, a tenth up and down."""
        programme = Programme(name="a", frames=1800, rate=Fraction(30_000, 1001), size=(1920, 1080))
        (one,) = [one for one in weigh(programme, "mov") if one.name == "RDD 36, 422"]
        assert one.least is not None
        assert one.most is not None
        self.assertAlmostEqual((one.least + one.most) / 2, 147e6 / 8 * 60.06, delta=200_000)
        self.assertAlmostEqual(one.most / one.least, 1.1 / 0.9, delta=0.001)
        self.assertEqual(set(RDD36_RATES[(1920, 1080)]), {"422 Proxy", "422 LT", "422", "422 HQ", "4444", "4444 XQ"})

    def test_a_render_lies_within_the_family(self) -> None:
        made = encoded("prores_ks", (1920, 1080), "yuv422p10le", profile="3")
        (one,) = [one for one in weigh(MINUTE, "mov") if one.name == "RDD 36, 422 HQ"]
        assert one.most is not None
        self.assertLess(max(made) * 1500, one.most * 1.05)

    def test_renders_of_the_house_move_a_band(self) -> None:
        before = {one.codec: one for one in weigh(MINUTE, "mp4") if one.codec in ("avc", "ffv1")}
        measured = {"avc": [0.05, 0.1, 0.4], "ffv1": [5.0, 6.0, 7.0]}
        after = {one.codec: one for one in weigh(MINUTE, "mp4", measured=measured) if one.codec in ("avc", "ffv1")}
        self.assertEqual(before["avc"].sureness, Sureness.BAND)
        self.assertEqual(before["ffv1"].sureness, Sureness.UNKNOWN)
        self.assertEqual({one.sureness for one in after.values()}, {Sureness.MEASURED})
        assert after["avc"].most is not None
        assert before["avc"].most is not None
        self.assertGreater(after["avc"].most, before["avc"].most)

    def test_two_renders_move_nothing(self) -> None:
        found = {one.codec: one for one in weigh(MINUTE, "mp4", measured={"avc": [0.01, 0.02]})}
        self.assertEqual(found["avc"].sureness, Sureness.BAND)


class DocumentTest(TestCase):
    def test_beside_the_space_that_is_free(self) -> None:
        found = plan_sizes({"size": "1920x1080", "rate": "25", "length": "10:00", "free": "40 GB"})
        rows = {row["name"]: row for row in found["sizes"]}
        self.assertEqual(rows["Uncompressed 4:2:2, 8 bit"]["fits"], False)
        self.assertIn("more than is free", rows["Uncompressed 4:2:2, 8 bit"]["says"][1])
        self.assertEqual(rows["VC-3, 4:2:2, 10 bit"]["fits"], True)
        self.assertIsNone(rows["FFV1"]["fits"])
        known = [row["least"] + row["most"] for row in found["sizes"] if row["least"] is not None]
        self.assertEqual(known, sorted(known))

    def test_interlaced_pictures_have_their_own_table(self) -> None:
        asked = {"size": "1920x1080", "rate": "25", "length": "10 s", "scan": "interlaced"}
        names = [row["name"] for row in plan_sizes(asked)["sizes"] if row["codec"] == "vc3"]
        self.assertEqual(names, ["VC-3, 4:2:2, 8 bit", "VC-3, 4:2:2, 10 bit", "VC-3, 4:2:2, 8 bit, high rate"])

    def test_every_mistake_is_named(self) -> None:
        with self.assertRaises(PlanRefused) as caught:
            plan_sizes(
                {"size": "x", "rate": 0, "length": "-1", "sounds": ["loud"], "wrapper": "box", "free": "y", "z": 1}
            )
        places = [one.place for one in caught.exception.mistakes]
        self.assertEqual(places, ["plan", "rate", "length", "size", "sound 1", "wrapper", "free"])
