"""Movie boxes written by the tables of ISO/IEC 14496-12, read back."""

import io
import struct
from fractions import Fraction
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from brisk_core.errors import UnreadableFile
from brisk_core.exact import Timecode
from brisk_core.facts import FactsBuilder, Witness, keys
from brisk_core.facts.keys import Key
from brisk_core.reading.tests.test_headers import MediaTest
from brisk_core.reading.wrappers.movie import (
    MOST_FRAGMENTS,
    Movie,
    _run_steps,
    _usual_step,
    read_movie,
    read_timecode,
    rotation,
)
from brisk_core.reading.wrappers.sample_entries import declare_from_entry


def box(kind: str, *parts: bytes) -> bytes:
    body = b"".join(parts)
    return struct.pack(">I4s", 8 + len(body), kind.encode("latin-1")) + body


def full(kind: str, *parts: bytes, version: int = 0, flags: int = 0) -> bytes:
    return box(kind, struct.pack(">I", version << 24 | flags), *parts)


def numbers(*values: int) -> bytes:
    return struct.pack(f">{len(values)}I", *values)


UNITY = (0x10000, 0, 0, 0, 0x10000, 0, 0, 0, 0x40000000)


def track_header(matrix: tuple[int, ...] = UNITY, shown: tuple[int, int] = (1920, 1080)) -> bytes:
    middle = bytes(4 * 5 + 8 + 8)  # times, id, duration, layer, volume
    return full("tkhd", middle[:36], struct.pack(">9i", *matrix), numbers(shown[0] << 16, shown[1] << 16), flags=1)


def visual(code: str, *inside: bytes, size: tuple[int, int] = (1920, 1080)) -> bytes:
    head = bytes(24) + struct.pack(">HH", *size) + bytes(50)
    return box(code, head, *inside)


def picture_track(
    entry: bytes, *tables: bytes, header: bytes | None = None, edits: bytes = b"", timescale: int = 25
) -> bytes:
    media = box(
        "mdia",
        full("mdhd", numbers(0, 0, timescale, 0), struct.pack(">HH", 0x15C7, 0)),
        full("hdlr", numbers(0), b"vide", bytes(13)),
        box("minf", box("stbl", full("stsd", numbers(1), entry), *tables)),
    )
    return box("trak", header or track_header(), edits, media)


def movie_of(*tracks: bytes, before: bytes = b"", media: bytes = b"") -> Movie:
    header = full("mvhd", numbers(0, 0, 1000, 2000), bytes(80))
    data = box("ftyp", b"isom", numbers(0), b"isomavc1") + before + box("moov", header, *tracks) + media
    return read_movie(io.BytesIO(data), len(data))


def steps(*rows: tuple[int, int]) -> bytes:
    return full("stts", numbers(len(rows)), *(numbers(*row) for row in rows))


class TrackTest(TestCase):
    def test_brands_once_each_and_the_movies_length(self) -> None:
        movie = movie_of()
        self.assertEqual(movie.brands, ("isom", "avc1"))
        self.assertEqual(Fraction(movie.duration, movie.timescale), 2)

    def test_rate_of_one_step_of_two_and_with_a_makeshift_last_one(self) -> None:
        for rows, timescale, rate in (
            ([(50, 1)], 25, Fraction(25)),
            ([(49, 1001), (1, 7)], 30000, Fraction(30000, 1001)),
            ([(10, 1), (20, 2)], 25, Fraction(30 * 25, 50)),
        ):
            track = movie_of(picture_track(visual("avc1"), steps(*rows), timescale=timescale)).tracks[0]
            self.assertEqual(track.frame_rate, rate)

    def test_language(self) -> None:
        self.assertEqual(movie_of(picture_track(visual("avc1"))).tracks[0].language, "eng")

    def test_edit_lists_shift_and_cut(self) -> None:
        tables = (steps((10, 1)), full("ctts", numbers(2), numbers(1, 2), numbers(9, 2)))
        for rows, offset in (
            ([(2000, 2)], Fraction(0)),  # the shift of reordered pictures, taken back
            ([(400, 0xFFFFFFFF), (2000, 2)], Fraction(2, 5)),  # an empty edit of 400 ms before it
            ([(2000, 7)], Fraction(-1, 5)),  # cuts five frames off
        ):
            edits = box("edts", full("elst", numbers(len(rows)), *(numbers(*row, 0x10000) for row in rows)))
            movie = movie_of(picture_track(visual("avc1"), *tables, edits=edits))
            self.assertEqual(movie.tracks[0].edit_offset(movie.timescale), offset)

    def test_the_last_byte_that_the_tables_point_at(self) -> None:
        runs = full("stsc", numbers(2), numbers(1, 2, 1), numbers(3, 1, 1))
        sizes = full("stsz", numbers(0, 5), numbers(10, 20, 30, 40, 50))
        offsets = full("stco", numbers(3), numbers(100, 200, 900))
        track = movie_of(picture_track(visual("avc1"), runs, sizes, offsets)).tracks[0]
        self.assertEqual(track.last_byte(), 950)
        wide = full("co64", numbers(3), struct.pack(">3Q", 100, 1 << 33, 900))
        self.assertEqual(
            movie_of(picture_track(visual("avc1"), runs, sizes, wide)).tracks[0].last_byte(), (1 << 33) + 70
        )
        even = full("stsz", numbers(8, 5))
        self.assertEqual(movie_of(picture_track(visual("avc1"), runs, even, offsets)).tracks[0].last_byte(), 908)

    def test_samples_beyond_the_end_are_damage(self) -> None:
        tables = (
            full("stsc", numbers(1), numbers(1, 1, 1)),
            full("stsz", numbers(0, 1), numbers(5000)),
            full("stco", numbers(1), numbers(100)),
        )
        movie = movie_of(picture_track(visual("avc1"), *tables))
        self.assertRegex(movie.damage[0], r"the index points at byte 5099, the file ends at byte \d+")

    def test_counts_larger_than_their_tables_are_not_believed(self) -> None:
        movie = movie_of(picture_track(visual("avc1"), full("stts", numbers(1 << 30), numbers(10, 1))))
        self.assertEqual(movie.tracks[0].steps, [(10, 1)])

    def test_quarter_turns(self) -> None:
        one = 0x10000
        for matrix, turn in (
            (UNITY, 0),
            ((0, one, 0, -one, 0, 0, 0, 0, 1 << 30), 90),
            ((-one, 0, 0, 0, -one, 0, 0, 0, 1 << 30), 180),
            ((0, -one, 0, one, 0, 0, 0, 0, 1 << 30), 270),
            ((one, one, 0, 0, one, 0, 0, 0, 1 << 30), None),
        ):
            self.assertEqual(rotation(matrix), turn)

    def test_timecode_track(self) -> None:
        description = struct.pack(">4x I I I B", 1, 30000, 1001, 30)
        entry = box("tmcd", bytes(8), description)
        offset = 8
        media = box("mdat", numbers(17982))
        stbl = box("stbl", full("stsd", numbers(1), entry), full("stco", numbers(1), numbers(24 + offset)))
        track = box("trak", box("mdia", full("hdlr", numbers(0), b"tmcd", bytes(13)), box("minf", stbl)))
        data = box("ftyp", b"qt  ", numbers(0), b"qt  ")[:24].ljust(24, b"\0")
        data = struct.pack(">I", 24) + data[4:24] + media + box("moov", track)
        file = io.BytesIO(data)
        movie = read_movie(file, len(data))
        self.assertEqual(read_timecode(file, movie.of("tmcd")[0]), Timecode.parse("00:10:00;00", Fraction(30000, 1001)))


class EntryTest(TestCase):
    def declared(self, entry: bytes, key: Key[Any], **more: bytes) -> object:
        builder = FactsBuilder()
        declare_from_entry(builder, movie_of(picture_track(entry, **more)).tracks[0])  # type: ignore[arg-type]
        return builder.said(Witness.DECLARED, key)

    def test_clean_aperture_and_pixel_shape(self) -> None:
        clap = box("clap", numbers(704, 1, 576, 1, 0, 1, 0, 1))
        entry = visual("avc1", clap, box("pasp", numbers(12, 11)), size=(720, 576))
        self.assertEqual(self.declared(entry, keys.PICTURE_SIZE), (704, 576))
        self.assertEqual(self.declared(entry, keys.PICTURE_DISPLAY_ASPECT), Fraction(704, 576) * Fraction(12, 11))

    def test_pixel_shape_by_the_shown_size(self) -> None:
        entry = visual("avc1", size=(1440, 1080))
        self.assertEqual(self.declared(entry, keys.PICTURE_PIXEL_ASPECT, header=track_header()), Fraction(4, 3))

    def test_fields(self) -> None:
        for fields, order, scan, first in (
            (1, 0, "progressive", None),
            (2, 1, "interlaced", "top"),
            (2, 9, "interlaced", "bottom"),
            (2, 14, "interlaced", "top"),
            (2, 6, "interlaced", "bottom"),
        ):
            entry = visual("apch", box("fiel", bytes([fields, order])))
            self.assertEqual(self.declared(entry, keys.PICTURE_SCAN), scan)
            self.assertEqual(self.declared(entry, keys.PICTURE_FIELD_ORDER), first)

    def test_colour_and_range(self) -> None:
        nclx = visual("avc1", box("colr", b"nclx", struct.pack(">HHHB", 9, 16, 9, 0x80)))
        self.assertEqual(self.declared(nclx, keys.PICTURE_TRANSFER), "SMPTE ST 2084")
        self.assertEqual(self.declared(nclx, keys.PICTURE_RANGE), "full")
        nclc = visual("apch", box("colr", b"nclc", struct.pack(">HHH", 1, 1, 1)))
        self.assertEqual(
            (self.declared(nclc, keys.PICTURE_MATRIX), self.declared(nclc, keys.PICTURE_RANGE)), ("BT.709", None)
        )

    def test_flavours_and_bit_rate(self) -> None:
        entry = visual("ap4h", box("btrt", numbers(0, 9_000_000, 8_000_000)))
        self.assertEqual(self.declared(entry, keys.PICTURE_PROFILE), "4444")
        self.assertEqual(self.declared(entry, keys.BITRATE_AVERAGE), 8_000_000)

    def test_light(self) -> None:
        entry = visual("hvc1", box("clli", struct.pack(">HH", 1000, 400)))
        self.assertEqual(self.declared(entry, keys.PICTURE_HDR), {"max_cll": 1000, "max_fall": 400})


class FragmentTest(TestCase):
    def test_lengths_of_the_samples_of_a_fragment(self) -> None:
        header = struct.pack(">IIQII", 0x02002B, 7, 0, 1, 512)
        self.assertEqual(_usual_step(struct.pack(">IIII", 0x02000A, 7, 1, 512)), (7, 512))
        self.assertEqual(_usual_step(header), (7, 512))
        self.assertEqual(_usual_step(struct.pack(">II", 0x020000, 7)), (7, None))
        run = struct.pack(">III", 0x000301, 3, 0) + struct.pack(">6I", 512, 9, 512, 9, 600, 9)
        self.assertEqual(_run_steps(run, 0), [(2, 512), (1, 600)])
        self.assertEqual(_run_steps(struct.pack(">II", 0x000200, 40), 512), [(40, 512)])
        self.assertEqual(_run_steps(struct.pack(">II", 0x000100, 1_000_000) + bytes(8), 0), [(2, 0)])


class WrittenFragmentTest(MediaTest):
    def test_fragments_declare_their_rate(self) -> None:
        for rate in (Fraction(25), Fraction(30000, 1001)):
            flags = {"movflags": "frag_keyframe+empty_moov+default_base_moof"}
            path = self.made(f"{rate.numerator}.mp4", rate=rate, container_options=flags)
            self.assertEqual(self.said(path, keys.PICTURE_FRAME_RATE)[0], rate)

    def test_a_file_that_ends_with_its_index_or_with_the_head_of_a_fragment_is_cut(self) -> None:
        path = self.made("a.mp4", container_options={"movflags": "frag_keyframe+empty_moov"})
        whole = path.read_bytes()
        ends = {}
        at = 0
        while at < len(whole):
            length, kind = struct.unpack_from(">I4s", whole, at)
            at += length
            ends[kind] = at
        empty = box("moof", box("mfhd", bytes(8)), box("traf", box("trun", bytes(8))))
        for end, more, told in (
            (ends[b"moov"], b"", ("the index says that fragments follow, and none does",)),
            (ends[b"moof"], b"", (f"no media follow the fragment at byte {ends[b'moov']:,}",)),
            (ends[b"mdat"], b"", ()),
            (ends[b"mdat"], empty, ()),  # one that closes the file, without samples
            (len(whole), b"", ()),
        ):
            cut = whole[:end] + more
            self.assertEqual(tuple(read_movie(io.BytesIO(cut), len(cut)).damage), told)
        path.write_bytes(whole[: ends[b"moov"]])
        self.assertIs(self.read(path).best("wrapper.complete"), False)


class HostileTest(TestCase):
    def test_more_fragments_than_can_be_read_are_refused(self) -> None:
        fragment = box("moof")
        self.assertTrue(movie_of(before=fragment * MOST_FRAGMENTS).fragmented)
        with self.assertRaisesRegex(UnreadableFile, "more than 100,000 fragments"):
            movie_of(before=fragment * (MOST_FRAGMENTS + 1))
        with self.assertRaisesRegex(UnreadableFile, "more than 500,000 boxes"):
            movie_of(before=box("free") * 500_001)

    @given(st.binary(max_size=400))
    def test_any_bytes_in_a_movie_box_are_read_without_an_error(self, body: bytes) -> None:
        data = box("ftyp", b"isom", numbers(0)) + box("moov", body)
        self.assertIsInstance(read_movie(io.BytesIO(data), len(data)), Movie)

    @given(
        st.binary(max_size=120),
        st.sampled_from(["stts", "stsz", "stco", "stsc", "ctts", "elst", "mdhd", "tkhd", "stsd"]),
    )
    def test_any_bytes_in_a_table_are_damage_at_most(self, body: bytes, kind: str) -> None:
        movie = movie_of(picture_track(visual("avc1"), box(kind, body)))
        self.assertEqual(len(movie.tracks), 1)
        movie.tracks[0].last_byte()
        self.assertTrue(movie.tracks[0].frame_rate is None or movie.tracks[0].frame_rate > 0)
