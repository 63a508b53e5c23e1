import tempfile
from collections.abc import Sequence
from pathlib import Path
from unittest import TestCase

import av

from brisk_core.captions import (
    CaptionDocument,
    Captioned,
    hold_captions,
    programme_of,
    read_captions,
    read_embedded,
)
from brisk_core.captions.line21.tests.codes import EDM, ENM, EOC, RCL, Pair, row, second_channel, text
from brisk_core.captions.tests.carried import (
    NOTHING,
    RATE,
    ancillary,
    cdp,
    digital_packet,
    triplets,
    write,
    write_user_data,
)
from brisk_core.facts import Depth, Inspection, keys
from brisk_core.inspect import inspect
from brisk_core.packets.caption_data import PictureCaptions, ancillary_triplets, cdp_triplets, track_triplets
from brisk_core.reading import Source

FRAMES = 60
X264 = {"preset": "ultrafast", "x264-params": "bframes=2:keyint=12"}
X265 = {"preset": "ultrafast", "x265-params": "log-level=none:bframes=2:keyint=12"}


def pictures(*said: tuple[int, Sequence[Pair]], flags: int = 0xFC) -> list[bytes]:
    """Triplets for each picture: pairs that begin at a frame, one a picture, and nothing where none is said."""
    pairs = [NOTHING] * FRAMES
    for start, these in said:
        pairs[start : start + len(these)] = these
    return [triplets(pair, flags=flags) for pair in pairs]


def pop_on(says: str) -> list[Pair]:
    return [ENM, RCL, row(15), *text(says), EOC]


CAPTIONED = pictures((2, pop_on("The lock is shut")), (40, [EDM]))
SHOWN = (2 + 11, 40)  # frames: after three codes and eight pairs of letters


class CaptionDataTest(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def found(self, path: Path) -> tuple[CaptionDocument, ...]:
        return read_embedded(Source.at(str(path)))

    def inspected(self, path: Path) -> Inspection:
        return inspect(Source.at(str(path)), Depth.PACKETS).inspection

    def assert_shown(self, path: Path, name: str = "CC1") -> None:
        (document,) = self.found(path)
        self.assertEqual((document.name, document.format, document.remarks), (name, "CEA-608", ()), path.name)
        (one,) = document.captions
        self.assertEqual(one.lines, ("The lock is shut",), path.name)
        self.assertEqual((round(one.start * RATE), round(one.end * RATE)), SHOWN, path.name)
        listed = self.inspected(path).best("text.captions")
        self.assertEqual([(track.format, track.count) for track in listed], [(f"CEA-608 {name}", 1)], path.name)

    def test_in_the_user_data_of_coded_pictures(self) -> None:
        for name, codec, options in (
            ("a.mp4", "libx264", X264),
            ("a.ts", "libx264", X264),
            ("a.mkv", "libx264", X264),
            ("b.mp4", "libx265", X265),
            ("b.ts", "libx265", X265),
            ("b.mkv", "libsvtav1", {"preset": "12", "svtav1-params": "pred-struct=1"}),
            ("c.ts", "mpeg2video", {"bf": "2", "g": "12"}),
            ("c.mpg", "mpeg2video", {"bf": "2", "g": "12"}),
        ):
            self.assert_shown(write(self.folder / name, codec, CAPTIONED, options=options))

    def test_in_the_user_data_of_cable_and_of_discs(self) -> None:
        for name in ("a.ts", "a.mpg"):
            for options in ({"bf": "2", "g": "12"}, {"g": "15"}, {"bf": "1", "g": "7"}):
                for way, place in (("cable", "SCTE 20"), ("disc", "disc groups")):
                    path = write_user_data(self.folder / name, CAPTIONED, [way], options=options)
                    self.assert_shown(path, f"CC1, {place}")
        # Many a disc says another number of pairs than it has.
        path = write_user_data(self.folder / "a.mpg", CAPTIONED, ["disc"], options={"g": "15"}, count=3)
        self.assert_shown(path, "CC1, disc groups")

    def test_what_is_carried_in_two_ways_is_told_apart(self) -> None:
        other = pictures((2, pop_on("mind your head")), (40, [EDM]), flags=0xFD)
        both = [above + below for above, below in zip(CAPTIONED, other, strict=True)]
        path = write_user_data(self.folder / "a.ts", both, ["cable", "atsc", "disc"], options={"bf": "2", "g": "12"})
        self.assertEqual(
            [(one.name, one.captions[0].lines[0]) for one in self.found(path)],
            [
                (f"{channel}{where}", words)
                for where in ("", ", SCTE 20", ", disc groups")
                for channel, words in (("CC1", "The lock is shut"), ("CC3", "mind your head"))
            ],
        )

    def test_user_data_that_is_none_of_captions_or_is_cut_short(self) -> None:
        for raw in (
            b"\x03",
            b"\x03\x81",
            b"\x03\x81\xff",
            b"\x03\x80\x08",
            b"CC\x01\xf8",
            b"CC\x01\xf8\x9e\xff\x80",
            b"DTG1\x41\xf8",
        ):
            reader = PictureCaptions("mpeg2", 1 / RATE, None)
            packet = av.Packet(b"\x00\x00\x01\xb3" + b"\x00\x00\x01\xb2" + raw)
            packet.pts = 0
            reader.take(packet, packet.size)
            self.assertEqual([data.found for data in reader.places.values() if data.found], [], raw)

    def test_an_scc_file_is_held_against_what_is_inside(self) -> None:
        path = write(self.folder / "a.mp4", "libx264", CAPTIONED, options=X264)
        inspection = self.inspected(path)
        self.assertEqual(inspection.unread["text.rate_mismatch"], "a check tells it, by sounds and cuts")
        programme = programme_of(inspection)
        assert programme
        for says, right in (("The lock is shut", True), ("The lock is open now", False)):
            rows = ((2, pop_on(says)), (40, [EDM]))
            codes = [(at, " ".join(f"{one:02x}{two:02x}" for one, two in pairs)) for at, pairs in rows]
            text = "\n\n".join(f"00:00:{at // 30:02}:{at % 30:02}\t{line}" for at, line in codes)
            beside = read_captions(f"{text}\n".encode(), "a.scc")
            held = hold_captions(Captioned(documents=(beside, *self.found(path))), programme)
            self.assertIs(held[keys.TEXT_AGREEMENT.id].right, right, says)

    def test_in_ancillary_data_of_mxf(self) -> None:
        for number, sample in enumerate(
            (
                lambda found: ancillary(cdp(found)),
                lambda found: ancillary(cdp(found), ten_bits=True),
                lambda found: ancillary(bytes([0x80]) + found[1:3], sdid=0x02),
            )
        ):
            path = self.folder / f"{number}.mxf"
            write(path, "mpeg2video", CAPTIONED, options={"g": "1"}, track="smpte_436m_anc", sample=sample)
            self.assert_shown(path, "CC1, track 2")

    def test_in_a_caption_track_of_a_movie(self) -> None:
        path = self.folder / "a.mov"
        write(path, "libx264", CAPTIONED, options=X264, track="eia_608", sample=lambda found: found)
        self.assert_shown(path, "CC1, track 2")

    def test_channels_and_fields_are_told_apart(self) -> None:
        first = pictures(
            (2, pop_on("one")), (20, second_channel(pop_on("two"))), (40, [EDM]), (42, second_channel([EDM]))
        )
        other = pictures((2, pop_on("three")), (40, [EDM]), flags=0xFD)
        both = [above + below for above, below in zip(first, other, strict=True)]
        path = write(self.folder / "a.mp4", "libx264", both, options=X264)
        self.assertEqual(
            [(one.name, one.captions[0].lines) for one in self.found(path)],
            [("CC1", ("one",)), ("CC2", ("two",)), ("CC3", ("three",))],
        )

    def test_digital_captions_are_read_service_by_service(self) -> None:
        window = bytes([0x98, 0x20, 0x46, 0x00, 0x01, 0x1F, 0x11])  # DF0: visible, two rows of 32
        carried = [b""] * FRAMES
        carried[5] = digital_packet(1, window + b"Mind the ga") + digital_packet(2, window + b"Zu", 1)
        carried[6] = digital_packet(1, b"p\r\x37\x37", 2)
        carried[30] = digital_packet(1, bytes([0x8A, 0x01]), 3)  # HDW: hide window 0
        path = write(self.folder / "a.ts", "libx264", carried, options=X264)
        first, second = self.found(path)
        self.assertEqual((first.name, first.format), ("service 1", "CEA-708"))
        self.assertEqual([one.lines for one in first.captions], [("Mind the gap", "77")])
        self.assertEqual([round(one.start * RATE) for one in first.captions], [5])
        self.assertEqual([round(one.end * RATE) for one in first.captions], [30])
        self.assertEqual([(one.lines, one.stays) for one in second.captions], [(("Zu",), True)])
        listed = self.inspected(path).best("text.captions")
        self.assertEqual([one.format for one in listed], ["CEA-708 service 1", "CEA-708 service 2"])

    def test_a_window_of_its_own_is_another_caption(self) -> None:
        def window(number: int) -> bytes:  # hidden, one row
            return bytes([0x98 + number, 0x00, 0x46, 0x00, 0x00, 0x1F, 0x11])

        carried = [b""] * FRAMES
        carried[4] = digital_packet(1, window(0) + b"No" + bytes([0x89, 0x01]))  # DSW: display window 0
        carried[20] = digital_packet(1, window(1) + b"No way" + bytes([0x8C, 0x01, 0x89, 0x02]), 1)  # DLW 0, DSW 1
        carried[40] = digital_packet(1, bytes([0x8B, 0x02]), 2)  # TGW: toggle window 1
        (found,) = self.found(write(self.folder / "a.mp4", "libx264", carried, options=X264))
        self.assertEqual(
            [(one.lines, round(one.start * RATE), round(one.end * RATE)) for one in found.captions],
            [(("No",), 4, 20), (("No way",), 20, 40)],
        )

    def test_data_that_show_nothing_are_counted_and_not_judged(self) -> None:
        path = write(self.folder / "a.mp4", "libx264", pictures(), options=X264)
        found = self.inspected(path)
        self.assertEqual([(one.format, one.count) for one in found.best("text.captions")], [("CEA-608", 0)])
        self.assertEqual(found.unread["text.overlap"], "the file has no captions inside")
        self.assertEqual(self.found(path), ())
        bare = write(self.folder / "b.mp4", "libx264", [b""] * 10, options=X264)
        self.assertEqual(self.inspected(bare).best("text.captions"), ())

    def test_what_is_wrong_with_them_is_told(self) -> None:
        fast = pictures((2, pop_on("far too many letters to read")), (26, [EDM]))
        path = write(self.folder / "a.mp4", "libx264", fast, options=X264)
        spans = self.inspected(path).best("text.reading_speed")
        self.assertEqual([(span.start, span.end) for span in spans], [(19, 26)])
        self.assertIn("28 characters in 0.23 s", spans[0].detail)


class CarrierTest(TestCase):
    """Bytes by the tables of the standards, and bytes that make no sense."""

    def test_samples_of_caption_tracks(self) -> None:
        one = b"\x00\x00\x00\x0ccdat\x94\x20\x94\x2f" + b"\x00\x00\x00\x0acdt2\x15\x2c"
        self.assertEqual(track_triplets(one), bytes.fromhex("fc9420fc942ffd152c"))
        packet = cdp(triplets(RCL))
        boxed = (len(packet) + 8).to_bytes(4, "big") + b"ccdp" + packet
        self.assertEqual(track_triplets(boxed), triplets(RCL))
        self.assertEqual(track_triplets(triplets(RCL, EOC)), triplets(RCL, EOC))
        for other in (b"", b"\x00\x00\x00\x08text", b"\x00\x00\x00\x04cdat", b"hello", b"\x00\x00\x00\x0ctmcd1234"):
            self.assertEqual(track_triplets(other), b"")

    def test_bytes_that_are_no_caption_packets(self) -> None:
        whole = ancillary(cdp(triplets(RCL, EOC)))
        self.assertEqual(ancillary_triplets(whole), triplets(RCL, EOC))
        for end in range(len(whole)):
            self.assertIn(ancillary_triplets(whole[:end]), [b"", triplets(RCL), triplets(RCL, EOC)])
        self.assertEqual(ancillary_triplets(ancillary(cdp(triplets(RCL)), did=0x60)), b"")
        self.assertEqual((cdp_triplets(b"\x96\x69"), cdp_triplets(bytes(40))), (b"", b""))

    def test_the_second_field_of_line_21_alone(self) -> None:
        found = ancillary_triplets(ancillary(b"\x00\x94\x20", sdid=0x02))
        self.assertEqual(found, bytes.fromhex("fd9420"))
