"""Matroska elements written by RFC 8794 and RFC 9559, read back; and files of the muxer, whole, cut and broken."""

import io
import struct
from fractions import Fraction
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from brisk_core.facts import Depth, FactsBuilder, Witness, keys
from brisk_core.reading.tests.test_headers import MediaTest
from brisk_core.reading.wrappers.matroska import element_at, read_matroska, read_segment

SEGMENT, INFO, TRACKS, CUES, CLUSTER = "18538067", "1549a966", "1654ae6b", "1c53bb6b", "1f43b675"


def element(id_: str, *parts: bytes) -> bytes:
    body = b"".join(parts)
    return bytes.fromhex(id_) + struct.pack(">Q", len(body) | 1 << 56) + body


def number(id_: str, value: int) -> bytes:
    return element(id_, value.to_bytes(max((value.bit_length() + 7) // 8, 1), "big"))


def real(id_: str, value: float) -> bytes:
    return element(id_, struct.pack(">d", value))


def file_of(*inside: bytes, claim: int | None = None) -> bytes:
    head = element("1a45dfa3", element("4282", b"matroska"))
    body = b"".join(inside)
    size = len(body) if claim is None else claim
    return head + bytes.fromhex(SEGMENT) + struct.pack(">Q", size | 1 << 56) + body


def picture_track(*video: bytes, codec: bytes = b"V_FFV1", period: int = 40_000_000) -> bytes:
    return element(
        TRACKS, element("ae", number("83", 1), element("86", codec), number("23e383", period), element("e0", *video))
    )


class ConstructionTest(TestCase):
    def read(self, data: bytes) -> FactsBuilder:
        builder = FactsBuilder()
        read_matroska(builder, io.BytesIO(data), len(data), "matroska")
        return builder

    def test_sizes_of_one_to_eight_bytes(self) -> None:
        for length in range(1, 9):
            head = b"\xae" + ((1 << (7 * length)) | 5).to_bytes(length, "big")
            found = element_at(head, 0)
            assert found
            self.assertEqual((found.id, found.body, found.end), (0xAE, 1 + length, 1 + length + 5))
        unknown = element_at(bytes.fromhex(CLUSTER) + b"\x01" + b"\xff" * 7, 0)
        assert unknown
        self.assertIsNone(unknown.end)

    def test_what_a_track_declares(self) -> None:
        colour = element(
            "55b0", number("55b1", 9), number("55ba", 16), number("55bb", 9), number("55b9", 1), number("55b2", 10),
            number("55b3", 1), number("55b4", 0), number("55bc", 1000),
        )  # fmt: skip
        video = (
            number("b0", 1440), number("ba", 1080), number("54b0", 1920), number("54ba", 1080), number("9a", 1),
            number("9d", 9), colour,
        )  # fmt: skip
        said = self.read(file_of(picture_track(*video), element(CLUSTER)))
        wanted: dict[str, Any] = {
            "codec": "ffv1", "size": (1440, 1080), "pixel_aspect": Fraction(4, 3), "display_aspect": Fraction(16, 9),
            "frame_rate": Fraction(25), "scan": "interlaced", "field_order": "bottom", "matrix": "BT.2020",
            "transfer": "SMPTE ST 2084", "primaries": "BT.2020", "range": "narrow", "bit_depth": 10, "chroma": "4:2:2",
            "hdr": {"max_cll": 1000},
        }  # fmt: skip
        self.assertEqual({name: said.said(Witness.DECLARED, keys.BY_ID[f"picture.{name}"]) for name in wanted}, wanted)

    def test_periods_in_nanoseconds_are_exact_rates(self) -> None:
        for rate in ("24000/1001", "24", "25", "30000/1001", "50", "60000/1001", "120000/1001"):
            period = round(1_000_000_000 / Fraction(rate))
            said = self.read(file_of(picture_track(number("b0", 64), number("ba", 64), period=period)))
            self.assertEqual(said.said(Witness.DECLARED, keys.PICTURE_FRAME_RATE), Fraction(rate))

    def test_a_segment_that_claims_more_than_there_is(self) -> None:
        said = self.read(file_of(picture_track(number("b0", 64), number("ba", 64)), element(CUES), claim=10**9))
        self.assertIs(said.said(Witness.OBSERVED, keys.WRAPPER_COMPLETE), False)
        self.assertRegex(
            said.said(Witness.OBSERVED, keys.WRAPPER_DAMAGE)[0], "claims to reach byte .* the file ends at byte"
        )

    def test_a_segment_without_an_index_or_a_size(self) -> None:
        self.assertEqual(self.damage(file_of(element(CLUSTER))), ["there is no index (Cues)"])
        endless = bytes.fromhex(SEGMENT) + b"\x01" + b"\xff" * 7 + element(CUES)
        self.assertEqual(
            self.damage(endless), ["the segment's size was never written, as when a recording is broken off"]
        )
        self.assertEqual(self.damage(element("1a45dfa3")), ["there is no segment"])

    @staticmethod
    def damage(data: bytes) -> list[str]:
        return read_segment(io.BytesIO(data), len(data)).damage

    def test_the_index_is_found_where_the_seek_head_says(self) -> None:
        def seek(position: int) -> bytes:
            return element("114d9b74", element("4dbb", element("53ab", bytes.fromhex(CUES)), number("53ac", position)))

        length = len(seek(100)) + len(element(CLUSTER, b"x" * 40))
        right = read_segment(
            io.BytesIO(data := file_of(seek(length), element(CLUSTER, b"x" * 40), element(CUES))), len(data)
        )
        self.assertEqual(right.damage, [])
        assert right.index_at
        assert right.media_at
        self.assertGreater(right.index_at, right.media_at)
        wrong = file_of(seek(length - 3), element(CLUSTER, b"x" * 40), element(CUES))
        self.assertRegex(self.damage(wrong)[0], r"the index \(Cues\) should stand at byte [\d,]+ and is not there")

    @given(st.binary(max_size=400))
    def test_any_bytes_are_read_to_where_they_make_sense(self, data: bytes) -> None:
        self.read(file_of(data))
        self.read(data)


class MuxerTest(MediaTest):
    def test_a_whole_file_and_one_cut_short(self) -> None:
        path = self.made("a.mkv", frames=40, sound="aac", timecode="01:00:00:00")
        whole = self.read(path)
        self.assertIs(whole.best("wrapper.complete"), True)
        self.assertIs(whole.best("wrapper.index_first"), False)
        self.assertEqual([track.kind for track in whole.best("wrapper.tracks")], ["picture", "sound"])
        path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
        cut = self.read(path)
        self.assertIs(cut.best("wrapper.complete"), False)
        self.assertTrue(cut.best("wrapper.damage"))
        self.assertGreater(cut.best("picture.frame_count"), 0)

    def test_alpha_and_rotation(self) -> None:
        path = self.made("a.mkv", frames=3, prepare=lambda _, stream: None)
        self.assertIsNone(self.read(path, Depth.HEADERS).facts["picture.alpha"].declared)
