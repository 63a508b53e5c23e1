"""MPEG-2 headers written field by field from ISO/IEC 13818-2, 6.2, read back."""

from fractions import Fraction
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from brisk_core.reading.streams import mpeg2
from brisk_core.reading.streams.tests.test_avc import Writer


def start(code: int, writer: Writer) -> bytes:
    return b"\0\0\1" + bytes([code]) + writer.bytes()


def sequence(
    size: tuple[int, int] = (1920, 1080), aspect: int = 3, rate: int = 3, bits: int = 125_000, buffer: int = 112
) -> bytes:
    writer = Writer().bits(size[0] & 4095, 12).bits(size[1] & 4095, 12).bits(aspect, 4).bits(rate, 4)
    return start(0xB3, writer.bits(bits & 0x3FFFF, 18).bits(1, 1).bits(buffer, 10).bits(0, 3))


def extension(
    *, indication: int = 0x82, progressive: bool = False, chroma: int = 2, size: tuple[int, int] = (1920, 1080),
    bits: int = 125_000, up: int = 0, down: int = 0,
) -> bytes:  # fmt: skip
    writer = Writer().bits(1, 4).bits(indication, 8).bits(progressive, 1).bits(chroma, 2)
    writer.bits(size[0] >> 12, 2).bits(size[1] >> 12, 2).bits(bits >> 18, 12).bits(1, 1).bits(0, 8).bits(0, 1)
    return start(0xB5, writer.bits(up, 2).bits(down, 5))


def picture(
    kind: int, *, structure: int = 3, top_first: bool = True, repeat: bool = False, progressive: bool = False
) -> bytes:
    head = start(0x00, Writer().bits(0, 10).bits(kind, 3).bits(0, 16))
    writer = Writer().bits(8, 4).bits(0xFFFF, 16).bits(0, 2).bits(structure, 2).bits(top_first, 1).bits(0, 5)
    return head + start(0xB5, writer.bits(repeat, 1).bits(1, 1).bits(progressive, 1).bits(0, 1))


def group(hours: int, frames: int, *, drop: bool = False, closed: bool = False) -> bytes:
    writer = Writer().bits(drop, 1).bits(hours, 5).bits(0, 6).bits(1, 1).bits(0, 6).bits(frames, 6)
    return start(0xB8, writer.bits(closed, 1).bits(0, 1))


class HeaderTest(TestCase):
    def test_a_broadcast_master(self) -> None:
        headers = mpeg2.read_headers(sequence() + extension() + group(10, 0) + picture(1))
        self.assertEqual((headers.profile, headers.level, headers.chroma), ("4:2:2", "High", "4:2:2"))
        self.assertEqual((headers.size, headers.frame_rate), ((1920, 1080), Fraction(25)))
        self.assertEqual((headers.display_aspect, headers.pixel_aspect), (Fraction(16, 9), Fraction(1)))
        self.assertEqual((headers.bits_per_second, headers.buffer_bits), (50_000_000, 112 * 16 * 1024))
        self.assertEqual((headers.scan, headers.field_order), ("interlaced", "top"))
        self.assertEqual(str(headers.start_timecode), "10:00:00:00")

    def test_standard_definition_is_wide_by_its_aspect_code(self) -> None:
        for aspect, pixels in ((2, Fraction(16, 15)), (3, Fraction(64, 45)), (1, Fraction(1))):
            headers = mpeg2.read_headers(sequence((720, 576), aspect))
            self.assertEqual(headers.pixel_aspect, pixels)

    def test_profiles_and_levels(self) -> None:
        for indication, names in (
            (0x48, ("Main", "Main")),
            (0x44, ("Main", "High")),
            (0x85, ("4:2:2", "Main")),
            (0x58, ("Simple", "Main")),
        ):
            self.assertEqual(mpeg2.name_profile_and_level(indication), names)

    def test_large_sizes_and_rates_use_the_extension(self) -> None:
        headers = mpeg2.read_headers(
            sequence((4100, 2160), bits=600_000) + extension(size=(4100, 2160), bits=600_000, up=1, down=0)
        )
        self.assertEqual(
            (headers.size, headers.bits_per_second, headers.frame_rate), ((4100, 2160), 240_000_000, Fraction(50))
        )

    def test_rates(self) -> None:
        for code, rate in ((1, Fraction(24000, 1001)), (4, Fraction(30000, 1001)), (8, Fraction(60)), (15, None)):
            self.assertEqual(mpeg2.read_headers(sequence(rate=code)).frame_rate, rate)

    def test_variable_rate_says_no_rate(self) -> None:
        self.assertIsNone(mpeg2.read_headers(sequence(bits=0x3FFFF)).bits_per_second)


class ScanTest(TestCase):
    def scan(self, *pictures: bytes, progressive: bool = False) -> tuple[str | None, str | None]:
        headers = mpeg2.read_headers(sequence() + extension(progressive=progressive) + b"".join(pictures))
        return headers.scan, headers.field_order

    def test_progressive_sequence(self) -> None:
        self.assertEqual(self.scan(picture(1, progressive=True), progressive=True), ("progressive", None))

    def test_progressive_pictures_in_an_interlaced_sequence(self) -> None:
        self.assertEqual(self.scan(*[picture(1, progressive=True)] * 4)[0], "progressive-as-fields")

    def test_pulldown_repeats_fields(self) -> None:
        repeats = [
            picture(2, progressive=True, repeat=number % 2 == 0, top_first=number % 4 < 2) for number in range(8)
        ]
        self.assertEqual(self.scan(*repeats)[0], "pulldown-3:2")

    def test_field_order_of_frames_and_of_field_pictures(self) -> None:
        self.assertEqual(self.scan(picture(1, top_first=False)), ("interlaced", "bottom"))
        self.assertEqual(self.scan(picture(1, structure=2), picture(2, structure=1)), ("interlaced", "bottom"))
        self.assertEqual(self.scan(picture(1, structure=1), picture(2, structure=2)), ("interlaced", "top"))


class PictureTypeTest(TestCase):
    def test_types_and_the_closed_flag_before_them(self) -> None:
        for code, kind in ((1, "I"), (2, "P"), (3, "B")):
            self.assertEqual(mpeg2.picture_type(picture(code)), (kind, None))
        for closed in (True, False):
            self.assertEqual(mpeg2.picture_type(group(0, 0, closed=closed) + picture(1)), ("I", closed))
        self.assertIsNone(mpeg2.picture_type(b"nothing"))

    @given(st.binary(max_size=300))
    def test_any_bytes_are_read_without_an_error(self, data: bytes) -> None:
        mpeg2.read_headers(b"\0\0\1\xb3" + data)
        mpeg2.picture_type(data)
