import tempfile
from fractions import Fraction
from pathlib import Path
from unittest import TestCase

import av
from av.video.frame import PictureType
from hypothesis import given
from hypothesis import strategies as st

from brisk_core.reading.bit_reader import BitReader, BitsEnded
from brisk_core.reading.streams import avc
from brisk_core.small_media import Small, make_small


class Writer:
    """Writes the fields that ``BitReader`` reads, by the definitions of H.264 7.2 and 9.1."""

    def __init__(self) -> None:
        self.text = ""

    def bits(self, value: int, count: int) -> "Writer":
        self.text += format(value, f"0{count}b")
        return self

    def ue(self, value: int) -> "Writer":
        code = format(value + 1, "b")
        self.text += "0" * (len(code) - 1) + code
        return self

    def se(self, value: int) -> "Writer":
        return self.ue(2 * value - 1 if value > 0 else -2 * value)

    def bytes(self) -> bytes:
        padded = self.text + "1"
        padded += "0" * (-len(padded) % 8)
        return int(padded, 2).to_bytes(len(padded) // 8, "big")


class BitReaderTest(TestCase):
    @given(st.lists(st.tuples(st.sampled_from(["bits", "ue", "se"]), st.integers(0, 60_000)), max_size=20))
    def test_what_is_written_is_read(self, fields: list[tuple[str, int]]) -> None:
        writer = Writer()
        for kind, value in fields:
            if kind == "bits":
                writer.bits(value, 17)
            else:
                getattr(writer, kind)(value if kind == "ue" else value - 30_000)
        reader = BitReader(writer.bytes())
        for kind, value in fields:
            read = (
                reader.bits(17) if kind == "bits" else reader.unsigned() if kind == "ue" else reader.signed() + 30_000
            )
            self.assertEqual(read, value)

    def test_past_the_end(self) -> None:
        with self.assertRaisesRegex(BitsEnded, "the header ends at bit 8; expected 9 more bits at bit 0"):
            BitReader(b"\xff").bits(9)

    @given(st.binary(max_size=300))
    def test_any_bytes_are_read_or_refused(self, data: bytes) -> None:
        for parse in (avc.parse_sequence_parameters, avc.parse_configuration):
            try:
                parse(b"\x67" + data)
            except BitsEnded:
                continue


def sequence_set(*, cropped: tuple[int, int, int, int] | None, frames_only: bool, chroma: int = 1) -> bytes:
    """A sequence parameter set for 1920 × 1088 coded samples, written field by field from 7.3.2.1.1."""
    writer = Writer().bits(100, 8).bits(0, 8).bits(40, 8).ue(0)
    writer.ue(chroma).ue(0).ue(0).bits(0, 1).bits(0, 1)
    writer.ue(0).ue(0).ue(2).ue(4).bits(0, 1)
    writer.ue(119).ue(67 if frames_only else 33).bits(frames_only, 1)
    if not frames_only:
        writer.bits(0, 1)
    writer.bits(1, 1).bits(cropped is not None, 1)
    if cropped:
        for side in cropped:
            writer.ue(side)
    writer.bits(0, 1)
    return b"\x67" + writer.bytes()


class SequenceParametersTest(TestCase):
    def test_cropping_units_depend_on_chroma_and_fields(self) -> None:
        for crop, frames_only, chroma, size in (
            ((0, 0, 0, 4), True, 1, (1920, 1080)),
            ((0, 0, 0, 2), False, 1, (1920, 1080)),
            ((0, 0, 0, 8), True, 2, (1920, 1080)),
            (None, True, 1, (1920, 1088)),
        ):
            parsed = avc.parse_sequence_parameters(sequence_set(cropped=crop, frames_only=frames_only, chroma=chroma))
            self.assertEqual(parsed.size, size)
            self.assertEqual(parsed.coded_size, (1920, 1088))
            self.assertEqual((parsed.level, parsed.reference_frames, parsed.frames_only), ("4", 4, frames_only))

    def test_a_crop_larger_than_the_picture_is_refused(self) -> None:
        with self.assertRaisesRegex(BitsEnded, "leaves -80 × 1088 of 1920 × 1088"):
            avc.parse_sequence_parameters(sequence_set(cropped=(1000, 0, 0, 0), frames_only=True))

    def test_profile_and_level_names(self) -> None:
        for profile, flags, name in (
            (66, 0x40, "Constrained Baseline"),
            (66, 0, "Baseline"),
            (100, 0, "High"),
            (100, 0x0C, "Constrained High"),
            (110, 0x10, "High 10 Intra"),
            (122, 0, "High 4:2:2"),
        ):
            self.assertEqual(avc.profile_name(profile, flags), name)
        for profile, flags, level, name in (
            (66, 0x10, 11, "1b"),
            (100, 0x10, 11, "1.1"),
            (100, 0, 51, "5.1"),
            (100, 0, 40, "4"),
        ):
            self.assertEqual(avc.level_name(profile, flags, level), name)

    def test_emulation_prevention(self) -> None:
        self.assertEqual(avc.unescape(b"\x00\x00\x03\x01\x00\x00\x03\x00\x00\x03"), b"\x00\x00\x01\x00\x00\x00\x00")


class EncoderTest(TestCase):
    """Parameter sets of an independent encoder, against what the encoder was told and what the library decodes."""

    def sets_of(self, params: str, **kwargs: object) -> tuple[avc.ParameterSets, list[bytes]]:
        with tempfile.TemporaryDirectory() as folder:
            options = {"x264-params": params} | dict(kwargs.pop("options", {}))  # type: ignore[arg-type, call-overload]
            path = make_small(Path(folder) / "a.mp4", Small(options=options, **kwargs))  # type: ignore[arg-type]
            with av.open(str(path)) as container:
                stream = container.streams.video[0]
                sets = avc.ParameterSets()
                sets.length_size, units = avc.parse_configuration(bytes(stream.codec_context.extradata or b""))
                for unit in units:
                    sets.take(unit)
                return sets, [bytes(packet) for packet in container.demux(stream) if packet.size]

    def test_sizes_that_are_no_multiple_of_a_macroblock(self) -> None:
        sets, _ = self.sets_of("", size=(322, 182))
        assert sets.first
        self.assertEqual((sets.first.size, sets.first.coded_size), ((322, 182), (336, 192)))

    def test_timing_references_and_entropy_as_the_encoder_was_told(self) -> None:
        sets, _ = self.sets_of("ref=3:cabac=0:bframes=0", rate=Fraction(30000, 1001), options={"preset": "medium"})
        assert sets.first
        self.assertEqual(sets.first.frame_rate, Fraction(30000, 1001))
        self.assertEqual(sets.first.reference_frames, 3)
        self.assertFalse(sets.pictures[0].cabac)

    def test_rate_and_buffer_of_a_constant_rate_stream(self) -> None:
        sets, _ = self.sets_of("nal-hrd=cbr:vbv-maxrate=800:vbv-bufsize=1600:bitrate=800")
        assert sets.first
        assert sets.first.hrd
        self.assertAlmostEqual(sets.first.hrd.bits_per_second, 800_000, delta=64)
        self.assertAlmostEqual(sets.first.hrd.buffer_bits, 1_600_000, delta=16 * 1024)
        self.assertTrue(sets.first.hrd.constant)

    def test_field_order_in_picture_timing(self) -> None:
        for params, structure in (("tff=1", 3), ("bff=1", 4)):
            sets, packets = self.sets_of(params, options={"flags": "+ildct+ilme"})
            assert sets.first
            units = [unit for unit in avc.split_units(packets[0], sets.length_size) if unit[0] & 31 == avc.NAL_SEI]
            found = [one for unit in units for one in avc.picture_timings(unit, sets.first)]
            self.assertEqual([one.structure for one in found], [structure])

    def test_slice_types_agree_with_decoded_pictures(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = make_small(Path(folder) / "a.mp4", Small(options={"x264-params": "bframes=2:keyint=12"}))
            with av.open(str(path)) as container:
                decoded = [PictureType(frame.pict_type).name for frame in container.decode(video=0)]
            with av.open(str(path)) as container:
                stream = container.streams.video[0]
                sets = avc.ParameterSets()
                sets.length_size, units = avc.parse_configuration(bytes(stream.codec_context.extradata or b""))
                for unit in units:
                    sets.take(unit)
                read = []
                for packet in container.demux(stream):
                    for unit in avc.split_units(bytes(packet), sets.length_size):
                        if unit[0] & 31 in (avc.NAL_SLICE, avc.NAL_IDR):
                            read.append((packet.pts, sets.parse_slice(unit).type))
                            break
            self.assertEqual([kind for _, kind in sorted(read)], decoded)
