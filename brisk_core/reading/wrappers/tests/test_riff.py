"""RIFF chunks written by their documents, read back; and files of the muxer, whole and cut."""

import io
import struct
from fractions import Fraction
from pathlib import Path
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from brisk_core.facts import Depth, FactsBuilder, Witness, keys
from brisk_core.inspect import inspect
from brisk_core.reading import Source
from brisk_core.reading.tests.test_headers import MediaTest
from brisk_core.reading.wrappers.riff import read_avi, read_wave


def chunk(kind: bytes, body: bytes) -> bytes:
    return kind + struct.pack("<I", len(body)) + body + b"\0" * (len(body) % 2)


def lists(kind: bytes, form: bytes, *inside: bytes) -> bytes:
    return chunk(kind, form + b"".join(inside))


def wave_format(tag: int = 1, channels: int = 2, rate: int = 48000, bits: int = 24) -> bytes:
    block = channels * bits // 8
    return chunk(b"fmt ", struct.pack("<HHIIHH", tag, channels, rate, rate * block, block, bits))


class WaveTest(TestCase):
    def read(self, data: bytes) -> FactsBuilder:
        builder = FactsBuilder()
        self.structure = read_wave(builder, io.BytesIO(data), len(data))
        return builder

    def test_format_length_and_tracks(self) -> None:
        said = self.read(lists(b"RIFF", b"WAVE", wave_format(), chunk(b"data", bytes(288_000))))
        row = self.structure.sounds[0]
        self.assertEqual(
            (row["codec"], row["sample_rate"], row["channels"], row["bit_depth"], row["layout"], row["bitrate"]),
            ("pcm", 48000, 2, 24, "stereo", 2_304_000),
        )
        self.assertEqual(said.said(Witness.DECLARED, keys.WRAPPER_DURATION), Fraction(1))
        self.assertIs(said.said(Witness.OBSERVED, keys.WRAPPER_COMPLETE), True)

    def test_the_time_reference_of_a_broadcast_wave(self) -> None:
        bext = bytes(338) + struct.pack("<Q", 48000 * 36000 + 24000) + bytes(256)
        said = self.read(lists(b"RIFF", b"WAVE", chunk(b"bext", bext), wave_format(), chunk(b"data", bytes(6))))
        self.assertEqual(said.said(Witness.DECLARED, keys.WRAPPER_BRANDS), ("BWF",))
        self.assertEqual(said.said(Witness.DECLARED, keys.SOUND_START), Fraction(36000) + Fraction(1, 2))

    def test_sizes_beyond_four_gigabytes_stand_in_ds64(self) -> None:
        long = 6_000_000_000
        data = b"RF64" + struct.pack("<I", 0xFFFFFFFF) + b"WAVE"
        data += chunk(b"ds64", struct.pack("<QQQI", long + 100, long, 0, 0)) + wave_format()
        data += b"data" + struct.pack("<I", 0xFFFFFFFF) + bytes(100)
        said = self.read(data)
        self.assertRegex(said.said(Witness.OBSERVED, keys.WRAPPER_DAMAGE)[0], "should reach byte 6,000,000,")
        self.assertEqual(said.said(Witness.DECLARED, keys.WRAPPER_BRANDS), ("RF64",))

    def test_the_extensible_form_tells_layout_and_codec(self) -> None:
        body = struct.pack("<HHIIHH", 0xFFFE, 6, 48000, 48000 * 18, 18, 24) + struct.pack("<HHI", 22, 24, 0x3F)
        self.read(lists(b"RIFF", b"WAVE", chunk(b"fmt ", body + struct.pack("<H", 1) + bytes(14)), chunk(b"data", b"")))
        self.assertEqual((self.structure.sounds[0]["layout"], self.structure.sounds[0]["codec"]), ("5.1", "pcm"))

    def test_samples_that_are_not_there(self) -> None:
        cut = lists(b"RIFF", b"WAVE", wave_format(), chunk(b"data", bytes(5000)))[:2000]
        self.assertRegex(self.read(cut).said(Witness.OBSERVED, keys.WRAPPER_DAMAGE)[0], "the file ends at byte 2,000")
        none = self.read(lists(b"RIFF", b"WAVE", wave_format()))
        self.assertEqual(none.said(Witness.OBSERVED, keys.WRAPPER_DAMAGE), ("there is no chunk of samples ('data')",))

    @given(st.binary(max_size=300))
    def test_any_bytes_are_read_to_where_they_make_sense(self, data: bytes) -> None:
        for form in (b"WAVE", b"AVI "):
            whole = lists(b"RIFF", form, data)
            (read_wave if form == b"WAVE" else read_avi)(FactsBuilder(), io.BytesIO(whole), len(whole))


class MuxerTest(MediaTest):
    def test_a_wave_file_is_inspected_as_sound_alone(self) -> None:
        data = lists(b"RIFF", b"WAVE", wave_format(bits=16), chunk(b"data", bytes(192_000)))
        path = Path(self.folder / "a.wav")
        path.write_bytes(data)
        found = inspect(Source.at(str(path))).inspection
        self.assertEqual(found.best("wrapper.format"), "wav")
        self.assertEqual(found.facts["sound.bit_depth"].declared, (16,))
        self.assertIsNone(found.facts["picture.frame_rate"].observed)
        self.assertNotIn("picture.frame_rate", found.unread)

    def test_avi_header_list(self) -> None:
        path = self.made("a.avi", rate=Fraction(30000, 1001), frames=20, sound="pcm_s16le")
        said = self.read(path, Depth.HEADERS)
        declared = {
            id_: said.facts[f"picture.{id_}"].declared for id_ in ("codec", "size", "frame_rate", "frame_count")
        }
        self.assertEqual(
            declared, {"codec": "avc", "size": (192, 128), "frame_rate": Fraction(30000, 1001), "frame_count": 20}
        )
        self.assertEqual([track.kind for track in said.best("wrapper.tracks")], ["picture", "sound"])
        self.assertIs(said.best("wrapper.complete"), True)
        path.write_bytes(path.read_bytes()[:-4000])
        cut = self.read(path, Depth.HEADERS)
        self.assertIs(cut.best("wrapper.complete"), False)
        self.assertRegex(cut.best("wrapper.damage")[0], r"claims to reach byte [\d,]+, the file ends at byte")
