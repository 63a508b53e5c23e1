"""Transport and program streams: tables and counters written by ISO/IEC 13818-1, and files of the muxer."""

import io
import itertools
import struct
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from brisk_core.errors import UnreadableFile
from brisk_core.facts import Depth, FactsBuilder, Witness, keys
from brisk_core.reading.tests.test_headers import MediaTest
from brisk_core.reading.wrappers.program_stream import read_program_stream
from brisk_core.reading.wrappers.transport import find_losses, packet_layout, read_tables, read_transport


def packet(pid: int, counter: int, payload: bytes = b"", *, start: bool = False, flags: int = 0x10) -> bytes:
    head = bytes([0x47, (0x40 if start else 0) | pid >> 8, pid & 0xFF, flags | counter & 15])
    return (head + payload).ljust(188, b"\xff")[:188]


def section(table: int, body: bytes) -> bytes:
    length = len(body) + 5 + 4
    return b"\0" + bytes([table, 0xB0 | length >> 8, length & 0xFF, 0, 1, 0xC1, 0, 0]) + body + b"\0\0\0\0"


def program(*streams: tuple[int, int, bytes]) -> bytes:
    rows = b"".join(
        bytes([kind, 0xE0 | pid >> 8, pid & 0xFF, 0xF0 | len(more) >> 8, len(more) & 0xFF]) + more
        for kind, pid, more in streams
    )
    association = section(0, bytes([0, 1, 0xE1, 0x00]))
    return packet(0, 0, association, start=True) + packet(0x100, 0, section(2, b"\xe1\x01\xf0\x00" + rows), start=True)


class TransportTest(TestCase):
    def test_stream_types_descriptors_and_languages(self) -> None:
        data = program(
            (0x1B, 0x101, b""),
            (0x06, 0x102, bytes([0x6A, 1, 0]) + bytes([0x0A, 4]) + b"deu\0"),
            (0x06, 0x103, bytes([0x59, 8]) + b"eng\x10\0\1\0\1"),
            (0x06, 0x104, bytes([0x05, 4]) + b"Opus"),
            (0xEA, 0x105, b""),
        )
        found = read_tables(data + data, 188, 0)
        self.assertEqual(
            [(one.kind, one.codec, one.language) for one in found.streams],
            [
                ("picture", "avc", None),
                ("sound", "ac3", "deu"),
                ("text", "dvb subtitles", "eng"),
                ("sound", "opus", None),
                ("data", "type 0xea", None),
            ],
        )

    def test_packets_of_188_192_and_204_bytes(self) -> None:
        one = packet(0x1FFF, 0)
        self.assertEqual(packet_layout(one * 5), (188, 0))
        self.assertEqual(packet_layout((bytes(4) + one) * 5), (192, 4))
        self.assertEqual(packet_layout((one + bytes(16)) * 5), (204, 0))
        self.assertIsNone(packet_layout(bytes(2000)))

    def losses(self, *packets: bytes) -> list[str]:
        return find_losses(io.BytesIO(b"".join(packets)), 188)

    def test_counters_that_run_come_twice_or_are_told_to_jump_lose_nothing(self) -> None:
        running = [packet(0x101, count) for count in range(40)]
        self.assertEqual(self.losses(*running), [])
        self.assertEqual(self.losses(*running[:5], running[4], *running[5:]), [])
        without_payload = packet(0x101, 4, bytes([183]), flags=0x20)
        self.assertEqual(self.losses(*running[:5], without_payload, *running[5:]), [])
        announced = packet(0x101, 9, bytes([1, 0x80]), flags=0x30)
        self.assertEqual(self.losses(*running[:5], announced, packet(0x101, 10)), [])
        self.assertEqual(self.losses(*(packet(0x1FFF, 3) for _ in range(9))), [])

    def test_losses_are_named_by_byte_and_stream(self) -> None:
        running = [packet(0x101, count) for count in range(20)]
        self.assertEqual(self.losses(*running[:5], *running[8:]), ["byte 940: 3 or more packets of PID 0x101 are lost"])
        marked = bytearray(running[7])
        marked[1] |= 0x80
        self.assertEqual(
            self.losses(*running[:7], bytes(marked), *running[8:]), ["byte 1,316: a packet is marked as damaged"]
        )
        self.assertEqual(self.losses(*running, b"\x47" * 20), ["the last packet is cut: 20 of 188 bytes at the end"])

    def test_a_loss_between_two_chunks_of_reading_is_seen(self) -> None:
        many = [packet(0x101, count) for count in range((1 << 14) + 3)]
        del many[1 << 14]
        self.assertEqual(len(self.losses(*many)), 1)

    def test_many_losses_are_counted(self) -> None:
        every_other = [packet(0x101, count) for count in range(0, 100, 2)]
        found = self.losses(*every_other)
        self.assertEqual((len(found), found[-1]), (21, "29 more places"))

    def test_a_stream_without_tables(self) -> None:
        builder = FactsBuilder()
        data = packet(0x101, 0) * 6
        read_transport(builder, io.BytesIO(data), data)
        self.assertEqual(
            builder.said(Witness.OBSERVED, keys.WRAPPER_DAMAGE), ("there is no program association in the first 2 MiB",)
        )

    def association(self, part: int, programmes: range) -> bytes:
        """A packet or more with one section of a program association (H.222.0, table 2-30)."""
        rows = b"".join(struct.pack(">HH", number, 0xE000 | (0x20 + number)) for number in programmes)
        head = struct.pack(">BHHBBB", 0, 0xB000 | (len(rows) + 9), 1, 0xC1, part, 9)
        section = b"\0" + head + rows + bytes(4)
        pieces = [section[at : at + 184].ljust(184, b"\xff") for at in range(0, len(section), 184)]
        return b"".join(packet(0, count, piece, start=not count) for count, piece in enumerate(pieces))

    def test_a_stream_of_more_programmes_than_any_multiplex_has(self) -> None:
        many = b"".join(self.association(part, range(1 + part * 200, 201 + part * 200)) for part in range(3))
        with self.assertRaisesRegex(UnreadableFile, "more than 500 programmes"):
            read_transport(FactsBuilder(), io.BytesIO(many), many)
        again = self.association(0, range(1, 201)) * 5
        self.assertEqual((read_tables(again, 188, 0).programmes, read_tables(again, 188, 0).map_pid), (200, 0x21))

    @given(st.binary(max_size=600))
    def test_any_bytes_are_read(self, data: bytes) -> None:
        read_tables(data, 188, 0)
        read_tables(packet(0, 0, data, start=True) + packet(0x100, 0, data, start=True), 188, 0)
        find_losses(io.BytesIO(data), 188)


class MuxerTest(MediaTest):
    def test_a_program_stream_whole_and_cut(self) -> None:
        path = self.made("a.mpg", codec="mpeg2video", sound="mp2", options={}, frames=40)
        whole = self.read(path, Depth.HEADERS)
        self.assertEqual((whole.best("wrapper.complete"), whole.best("wrapper.damage")), (True, ()))
        self.assertGreater(whole.facts["wrapper.bitrate"].declared, 0)
        data = path.read_bytes()
        path.write_bytes(data[: len(data) - 700])
        cut = self.read(path, Depth.HEADERS)
        self.assertIs(cut.best("wrapper.complete"), False)
        self.assertRegex(cut.best("wrapper.damage")[0], r"the last packet lacks [\d,]+ bytes \(the last pack begins")

    def test_a_transport_stream_declares_by_its_program_map(self) -> None:
        found = self.read(self.made("a.ts", sound="ac3", frames=20))
        self.assertEqual(found.facts["picture.codec"].declared, "avc")
        self.assertIn("program map on PID 0x1000", found.places["picture.codec"]["declared"])
        self.assertEqual([track.codec for track in found.best("wrapper.tracks")], ["avc", "ac3"])
        self.assertIs(found.best("wrapper.complete"), True)

    @given(st.lists(st.binary(max_size=80), max_size=4))
    def test_any_tail_of_a_program_stream_is_read(self, parts: list[bytes]) -> None:
        data = b"".join(itertools.chain.from_iterable((b"\0\0\1\xba", part) for part in parts))
        read_program_stream(FactsBuilder(), io.BytesIO(data), len(data))
