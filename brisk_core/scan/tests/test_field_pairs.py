"""AVC whose pictures are single fields, two packets a frame: written bit by bit (H.264, 7.3), every sample as it is."""

import tempfile
from fractions import Fraction
from pathlib import Path
from typing import Any
from unittest import TestCase

import av

from brisk_core.captions.tests.carried import escaped
from brisk_core.facts import Inspection
from brisk_core.scan.tests.encoded import inspected

FRAMES, WIDE = 40, 4  # frames, and macroblocks of a row; a field has one row
TICK = Fraction(1, 90000)


class Bits:
    """Writes fixed lengths and exponential Golomb codes (9.1)."""

    def __init__(self) -> None:
        self.text = ""

    def fixed(self, *fields: tuple[int, int]) -> "Bits":
        self.text += "".join(f"{value:0{count}b}" for value, count in fields)
        return self

    def golomb(self, *values: int) -> "Bits":
        for value in values:
            code = f"{value + 1:b}"
            self.text += "0" * (len(code) - 1) + code
        return self

    def samples(self, data: bytes) -> "Bits":
        self.text += "0" * (-len(self.text) % 8) + "".join(f"{byte:08b}" for byte in data)
        return self

    def unit(self, header: int) -> bytes:
        bits = self.text + "1"
        bits += "0" * (-len(bits) % 8)
        body = bytes(int(bits[at : at + 8], 2) for at in range(0, len(bits), 8))
        return b"\0\0\0\1" + bytes([header]) + escaped(body)


def sequence() -> bytes:
    """Main profile; order counts of type 2, frames of fields without mixing, 25 frames a second."""
    bits = Bits().fixed((77, 8), (0, 8), (30, 8)).golomb(0, 0, 2, 1).fixed((0, 1)).golomb(WIDE - 1, 0)
    bits.fixed((0, 1), (0, 1), (1, 1), (0, 1), (1, 1), (0, 4), (1, 1), (1, 32), (50, 32), (1, 1), (0, 4))
    return bits.unit(0x67) + Bits().golomb(0, 0).fixed((0, 2)).golomb(0, 0, 0).fixed((0, 3)).golomb(0, 0, 0).fixed(
        (0, 3)
    ).unit(0x68)


def field(number: int, *, bottom: bool, luma: int) -> bytes:
    """One field of macroblocks that are samples; the first of a frame can be entered at."""
    bits = Bits().golomb(0, 7, 0).fixed((0, 4), (1, 1), (bottom, 1))
    bits = bits.fixed((0, 1)) if bottom else bits.golomb(number % 2).fixed((0, 2))
    bits.golomb(0)
    for _ in range(WIDE):
        bits.golomb(25).samples(bytes([luma]) * 256 + bytes([128]) * 128)
    return b"\0\0\0\1\x09\x10" + sequence() + bits.unit(0x61 if bottom else 0x65)


def write(path: Path, *, apart: bool, broken: int | None = None) -> Path:
    """Write the frames, each field in a packet of its own or both together; ``broken`` is a frame without its last bytes."""
    seed = path.with_suffix(".h264")
    seed.write_bytes(field(0, bottom=False, luma=60) + field(0, bottom=True, luma=60))
    with av.open(str(path), "w") as container, av.open(str(seed)) as template:
        stream: Any = container.add_stream_from_template(template.streams.video[0])
        stream.time_base = TICK

        def mux(data: bytes, time: int) -> None:
            packet = av.Packet(data)
            packet.pts = packet.dts = time
            packet.time_base, packet.stream, packet.is_keyframe = TICK, stream, time % 3600 == 0
            container.mux(packet)

        for number in range(FRAMES):
            luma = 40 + number * 7 % 160
            first, second = field(number, bottom=False, luma=luma), field(number, bottom=True, luma=luma + 3)
            if number == broken:
                second = second[:-400]
            if apart:
                mux(first, number * 3600)
                mux(second, number * 3600 + 1800)
            else:
                mux(first + second, number * 3600)
    return path


class FieldPairTest(TestCase):
    def read(self, name: str, **how: Any) -> Inspection:
        with tempfile.TemporaryDirectory() as folder:
            return inspected(write(Path(folder) / name, **how))

    def test_two_packets_of_fields_are_one_picture(self) -> None:
        for name, apart in (("a.ts", True), ("b.ts", False), ("c.mp4", False)):
            found = self.read(name, apart=apart)
            self.assertEqual(found.best("picture.frame_count"), FRAMES, name)
            self.assertEqual(
                (found.best("picture.frame_rate"), found.best("picture.rate_mode")), (25, "constant"), name
            )
            self.assertEqual((found.best("content.unreadable"), found.best("timing.gaps")), ((), ()), name)
            self.assertEqual(found.best("picture.field_order"), "top", name)

    def test_a_broken_second_field_is_told_on_its_picture(self) -> None:
        for name, apart in (("a.ts", True), ("c.mp4", False)):
            spans = self.read(name, apart=apart, broken=17).best("content.unreadable")
            self.assertEqual([(span.start, span.end) for span in spans], [(17, 18)], name)
