"""Codecs that keep all in one header, against what their encoders were told and against damage."""

import struct
from fractions import Fraction
from typing import Any
from unittest import TestCase

from av.filter import Graph
from hypothesis import given
from hypothesis import strategies as st

from brisk_core.facts import Depth
from brisk_core.reading.bit_reader import BitsEnded
from brisk_core.reading.streams import av1, ffv1, prores, still_codecs, vc3, vpx
from brisk_core.reading.streams.picture_headers import codec_by_magic
from brisk_core.reading.streams.sound_headers import first_sound_header
from brisk_core.reading.tests.test_headers import MediaTest


def marked(mode: str) -> Any:
    """Return a function that gives frames a field flag: tff, bff or prog."""
    graphs: dict[tuple[int, int, str], Any] = {}

    def mark(frame: Any) -> Any:
        key = (frame.width, frame.height, frame.format.name)
        if key not in graphs:
            graph = Graph()
            source = graph.add_buffer(width=key[0], height=key[1], format=key[2], time_base=Fraction(1, 25))
            node, sink = graph.add("setfield", mode), graph.add("buffersink")
            source.link_to(node)
            node.link_to(sink)
            graph.configure()
            graphs[key] = graph
        graphs[key].push(frame)
        return graphs[key].pull()

    return mark


class EncoderTest(MediaTest):
    def coded(self, name: str, **recipe: Any) -> dict[str, Any]:
        facts = self.read(self.made(name, frames=3, **recipe), Depth.HEADERS).facts
        names = ("codec", "size", "chroma", "bit_depth", "scan", "field_order", "alpha", "profile", "pixel_aspect")
        return {one: facts[f"picture.{one}"].coded for one in names}

    def test_vc3_by_depth_chroma_and_scan(self) -> None:
        wide = {"codec": "dnxhd", "size": (1920, 1080)}
        ten = self.coded("a.mov", pixels="yuv422p10le", options={"profile": "dnxhr_hqx"}, **wide)
        self.assertEqual(
            (ten["codec"], ten["chroma"], ten["bit_depth"], ten["scan"]), ("vc3", "4:2:2", 10, "progressive")
        )
        full = self.coded("b.mov", pixels="yuv444p10le", options={"profile": "dnxhr_444"}, **wide)
        self.assertEqual((full["chroma"], full["profile"]), ("4:4:4", "compression ID 1270"))
        fields = self.coded(
            "c.mov", pixels="yuv422p", options={"b": "120000000", "flags": "+ildct"}, mark=marked("tff"), **wide
        )
        self.assertEqual((fields["scan"], fields["size"], fields["bit_depth"]), ("interlaced", (1920, 1080), 8))

    def test_prores_by_flavour_scan_and_alpha(self) -> None:
        with_alpha = self.coded("a.mov", codec="prores_ks", pixels="yuva444p10le", options={"profile": "4"})
        self.assertEqual((with_alpha["chroma"], with_alpha["alpha"]), ("4:4:4", "present"))
        for mode, order in (("tff", "top"), ("bff", "bottom")):
            found = self.coded(
                f"{mode}.mov", codec="prores_ks", pixels="yuv422p10le", options={"flags": "+ildct"}, mark=marked(mode)
            )
            self.assertEqual((found["scan"], found["field_order"], found["alpha"]), ("interlaced", order, "none"))

    def test_ffv1_by_coder_pixels_and_scan(self) -> None:
        for number, (pixels, options, chroma, depth) in enumerate(
            (
                ("yuv422p10le", {}, "4:2:2", 10),
                ("yuv420p", {"coder": "range_tab", "context": "1", "slices": "9"}, "4:2:0", 8),
                ("yuv444p16le", {"level": "3"}, "4:4:4", 16),
                ("gray", {"level": "3", "slices": "4"}, "4:0:0", 8),
            )
        ):
            found = self.coded(f"{number}.mkv", codec="ffv1", pixels=pixels, options=options, mark=marked("prog"))
            self.assertEqual((found["codec"], found["chroma"], found["bit_depth"]), ("ffv1", chroma, depth), pixels)
            self.assertEqual(found["scan"], "progressive", pixels)
        fields = self.coded("i.mkv", codec="ffv1", pixels="yuv422p", options={}, mark=marked("bff"))
        self.assertEqual((fields["scan"], fields["field_order"]), ("interlaced", "bottom"))

    def test_stills(self) -> None:
        for pixels, chroma in (("yuvj420p", "4:2:0"), ("yuvj422p", "4:2:2"), ("yuvj444p", "4:4:4")):
            found = self.coded(f"{pixels}.avi", codec="mjpeg", pixels=pixels, options={"strict": "unofficial"})
            self.assertEqual((found["codec"], found["size"], found["chroma"]), ("mjpeg", (192, 128), chroma))
        for pixels, chroma, depth in (("yuv420p", "4:2:0", 8), ("yuv422p10le", "4:2:2", 10)):
            found = self.coded(f"{pixels}.mov", codec="jpeg2000", pixels=pixels, options={})
            self.assertEqual((found["codec"], found["chroma"], found["bit_depth"]), ("jpeg2000", chroma, depth))

    def test_a_stream_without_headers_says_nothing_of_its_size(self) -> None:
        facts = self.read(
            self.made("a.mov", codec="v210", pixels="yuv422p10le", options={}, frames=2), Depth.HEADERS
        ).facts
        self.assertEqual((facts["picture.size"].declared, facts["picture.size"].coded), ((192, 128), None))

    def test_sound_headers_by_codec(self) -> None:
        for name, codec, rate, layout in (
            ("a.ts", "ac3", 48000, "stereo"),
            ("b.mp4", "eac3", 48000, "stereo"),
            ("c.mpg", "mp2", 44100, "stereo"),
            ("d.ts", "aac", 48000, "stereo"),
        ):
            video = {"codec": "mpeg2video", "options": {}} if name.endswith("mpg") else {}
            facts = self.read(self.made(name, sound=codec, sample_rate=rate, frames=10, **video), Depth.HEADERS).facts
            self.assertEqual(facts["sound.codec"].coded, (codec,), name)
            self.assertEqual(
                (facts["sound.sample_rate"].coded, facts["sound.layout"].coded), ((rate,), (layout,)), name
            )
            self.assertEqual(facts["sound.channels"].coded, (2,), name)


class ConstructionTest(TestCase):
    def test_ac3_of_six_channels(self) -> None:
        # fscod 0, frmsizecod 30 (448 kb/s); bsid 8, bsmod 0, acmod 7, cmixlev, surmixlev, lfeon.
        bits = "0000101101110111" + "0" * 16 + "00" + "011110" + "01000" + "000" + "111" + "01" + "01" + "1"
        data = int(bits.ljust(128, "0"), 2).to_bytes(16, "big")
        header = first_sound_header("ac3", data)
        assert header
        self.assertEqual(
            (header.sample_rate, header.channels, header.layout, header.bits_per_second), (48000, 6, "5.1", 448000)
        )

    def test_sound_that_is_no_sound_says_nothing(self) -> None:
        for codec in ("ac3", "eac3", "mp2", "mp3", "aac", "flac"):
            self.assertIsNone(first_sound_header(codec, b"\0" * 16))
            self.assertIsNone(first_sound_header(codec, b""))

    def test_vp8_key_frame(self) -> None:
        data = bytes([0x10, 0, 0]) + b"\x9d\x01\x2a" + struct.pack("<HH", 640 | 1 << 14, 360)
        self.assertEqual(vpx.parse_vp8(data).size, (640, 360))
        with self.assertRaisesRegex(BitsEnded, "expected the start code 9d012a"):
            vpx.parse_vp8(b"\x11" + data[1:])

    def test_av1_level_names(self) -> None:
        self.assertEqual([av1.level_name(one) for one in (0, 5, 8, 13, 31)], ["2.0", "3.1", "4.0", "5.1", None])

    def test_a_group_of_planes_is_no_sequence_header(self) -> None:
        start = b"\x00\x00\x01"
        group = start + b"\xb3\x00\x10\x07"
        self.assertEqual(codec_by_magic(group + start + b"\xb6\x10\x60"), "mpeg4")
        self.assertEqual(codec_by_magic(group + start + b"\xb2Lavc" + start + b"\xb6"), "mpeg4")
        sequence = start + b"\xb3\x28\x01\x68\x13\xff\xff\xe0\x18"
        self.assertEqual(codec_by_magic(sequence + start + b"\xb8\x00\x08\x00\x00"), "mpeg1")
        self.assertEqual(codec_by_magic(sequence + start + b"\xb5\x14\x8a\x00\x01\x00\x00"), "mpeg2")

    @given(st.binary(max_size=700))
    def test_any_bytes_are_read_or_refused(self, data: bytes) -> None:
        for parse in (
            prores.parse_frame, vc3.parse_frame, vpx.parse_vp8, vpx.parse_vp9, av1.parse_sequence,
            still_codecs.parse_jpeg, still_codecs.parse_jpeg2000, ffv1.parse_configuration,
        ):  # fmt: skip
            try:
                parse(data)
            except BitsEnded as refusal:
                self.assertTrue(str(refusal))
        codec_by_magic(data)

    @given(st.binary(min_size=1, max_size=120), st.integers(0, 100))
    def test_a_jpeg_marker_that_claims_too_much_ends_the_search(self, data: bytes, length: int) -> None:
        with self.assertRaises(BitsEnded):
            still_codecs.parse_jpeg(b"\xff\xd8\xff\xe0" + struct.pack(">H", 60000 + length) + data)

    def test_the_range_decoder_refuses_endless_numbers(self) -> None:
        with self.assertRaises(BitsEnded):
            decoder = ffv1.RangeDecoder(b"\0\0")
            states = [128] * 32
            for _ in range(200):
                decoder.symbol(states)
