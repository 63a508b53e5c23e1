import io
import struct
from fractions import Fraction
from pathlib import Path
from typing import Any

from brisk_core.facts import FactsBuilder, Witness, keys
from brisk_core.facts.keys import Key
from brisk_core.reading.tests.test_headers import MediaTest
from brisk_core.reading.wrappers.mxf import completeness, read_header_partition
from brisk_core.reading.wrappers.mxf_metadata import LocalSet, MxfMetadata, declare_from_metadata, read_metadata

INTERLACED = {"flags": "+ildct+ilme", "profile": "0", "level": "2", "b": "20000000", "g": "12", "bf": "2"}


class WrittenTest(MediaTest):
    """Descriptors as an independent writer sets them."""

    def master(self, name: str = "a.mxf", **more: Any) -> Path:
        recipe = {
            "codec": "mpeg2video", "pixels": "yuv422p", "size": (1920, 1080), "frames": 14, "options": INTERLACED,
            "timecode": "10:00:00:00", "sound": "pcm_s24le",
        }  # fmt: skip
        return self.made(name, **(recipe | more))

    def test_the_descriptor_declares_what_the_stream_codes(self) -> None:
        facts = self.read(self.master()).facts
        for id_, value in (
            ("picture.size", (1920, 1080)),
            ("picture.frame_rate", Fraction(25)),
            ("picture.chroma", "4:2:2"),
            ("picture.profile", "4:2:2"),
            ("picture.level", "High"),
        ):
            self.assertEqual((facts[id_].declared, facts[id_].coded), (value, value), id_)
        self.assertEqual(facts["picture.bit_depth"].declared, 8)
        self.assertEqual(facts["picture.frame_count"].declared, 14)
        self.assertEqual(facts["wrapper.duration"].declared, Fraction(14, 25))

    def test_sound_descriptors(self) -> None:
        facts = self.read(self.master()).facts
        self.assertEqual(facts["sound.sample_rate"].declared, (48000,))
        self.assertEqual((facts["sound.channels"].declared, facts["sound.bit_depth"].declared), ((2,), (24,)))

    def test_timecode_at_a_fractional_rate(self) -> None:
        path = self.master(rate=Fraction(30000, 1001), timecode="01:00:00;02")
        declared, _, _ = self.said(path, keys.WRAPPER_START_TIMECODE)
        self.assertEqual((str(declared), declared.rate), ("01:00:00;02", Fraction(30000, 1001)))

    def test_single_track_pattern(self) -> None:
        options = {"b": "36000000"}
        path = self.made(
            "a.mxf", codec="dnxhd", pixels="yuv422p", size=(1280, 720), frames=3, format="mxf_opatom",
            options=options | {"b": "75000000"}, rate=Fraction(25),
        )  # fmt: skip
        self.assertEqual(self.said(path, keys.WRAPPER_FORMAT)[2], "mxf-opatom")

    def test_cut_files_are_not_complete(self) -> None:
        whole = self.master().read_bytes()
        cut = self.folder / "b.mxf"
        cut.write_bytes(whole[: len(whole) - 4000])
        inspection = self.read(cut)
        self.assertIs(inspection.best("wrapper.complete"), False)
        with cut.open("rb") as file:
            partition = read_header_partition(file)
            assert partition
            complete, reason = completeness(file, partition, cut.stat().st_size)
        self.assertFalse(complete)
        self.assertRegex(reason, "footer partition")

    def test_a_cut_between_two_sets_is_told_by_what_the_footer_counts(self) -> None:
        whole = self.master().read_bytes()
        told = {}
        pack = whole.rfind(bytes.fromhex("060e2b34020501010d01020101110100"))  # random index pack (12)
        fill = whole.rfind(bytes.fromhex("060e2b34010101020301021001000000"), 0, pack)
        for name, end in (("whole", len(whole)), ("without the random index", pack), ("without fill", fill)):
            cut = self.folder / "b.mxf"
            cut.write_bytes(whole[:end])
            told[name] = self.read(cut).best("wrapper.complete")
        self.assertEqual(told, {"whole": True, "without the random index": True, "without fill": False})


def descriptor(**items: Any) -> MxfMetadata:
    """A picture descriptor with items by their local tags in hexadecimal, as t3201=b'...'."""
    return MxfMetadata(sets=[LocalSet(kind=0x28, items={int(tag[1:], 16): value for tag, value in items.items()})])


def declared(metadata: MxfMetadata, key: Key[Any]) -> Any:
    builder = FactsBuilder()
    declare_from_metadata(builder, metadata)
    return builder.said(Witness.DECLARED, key)


class DescriptorTest(MediaTest):
    """Values written by the tables of the standard."""

    def number(self, value: int, size: int = 4) -> bytes:
        return value.to_bytes(size, "big")

    def test_frame_layouts(self) -> None:
        for layout, scan, height in (
            (0, "progressive", 1080),
            (1, "interlaced", 1080),
            (3, "interlaced", 540),
            (4, "progressive-as-fields", 540),
        ):
            metadata = descriptor(
                t320C=self.number(layout, 1), t3203=self.number(1920), t3202=self.number(540 if layout else 1080)
            )
            self.assertEqual(declared(metadata, keys.PICTURE_SCAN), scan)
            self.assertEqual(declared(metadata, keys.PICTURE_SIZE), (1920, height))

    def test_field_order_by_line_map_and_dominance(self) -> None:
        for lines, dominance, order in (
            ((21, 584), 1, "top"),
            ((21, 584), None, "top"),
            ((21, 584), 2, "bottom"),
            ((20, 282), 1, "bottom"),
        ):
            items = {"t320C": b"\x01", "t320D": struct.pack(">IIii", 2, 4, *lines)}
            if dominance:
                items["t3212"] = bytes([dominance])
            self.assertEqual(declared(descriptor(**items), keys.PICTURE_FIELD_ORDER), order)

    def test_chroma_and_range_at_ten_bits(self) -> None:
        for across, down, chroma in ((1, 1, "4:4:4"), (2, 1, "4:2:2"), (2, 2, "4:2:0"), (4, 1, "4:1:1")):
            metadata = descriptor(t3302=self.number(across), t3308=self.number(down))
            self.assertEqual(declared(metadata, keys.PICTURE_CHROMA), chroma)
        for black, white, range_ in ((64, 940, "narrow"), (0, 1023, "full"), (10, 900, None)):
            metadata = descriptor(t3301=self.number(10), t3304=self.number(black), t3305=self.number(white))
            self.assertEqual(declared(metadata, keys.PICTURE_RANGE), range_)

    def test_shape(self) -> None:
        metadata = descriptor(t3203=self.number(720), t3202=self.number(576), t320E=struct.pack(">ii", 16, 9))
        self.assertEqual(declared(metadata, keys.PICTURE_PIXEL_ASPECT), Fraction(64, 45))

    def test_senseless_bytes_give_nothing_and_do_not_hang(self) -> None:
        path = self.made("a.mxf", codec="mpeg2video", frames=3, options={})
        whole = path.read_bytes()
        with path.open("rb") as file:
            partition = read_header_partition(file)
        assert partition
        for at in range(0, 6000, 37):
            damaged = whole[:at] + b"\xff\xff\xff\xff" + whole[at + 4 :]
            metadata = read_metadata(io.BytesIO(damaged), partition)
            declare_from_metadata(FactsBuilder(), metadata)
