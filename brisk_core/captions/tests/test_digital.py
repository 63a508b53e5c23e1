"""One caption service of CTA-708-E, fed block by block."""

from __future__ import annotations

from fractions import Fraction
from unittest import TestCase

from brisk_core.captions.digital import Service
from brisk_core.captions.document import Caption
from brisk_core.captions.shown import captions_of

TICK = Fraction(1, 90_000)
SECOND = 90_000
WINDOW = bytes([0x98, 0x20, 0x46, 0x00, 0x01, 0x1F, 0x11])  # DF0: visible, two rows of 32
DELETE, GO_ON, RESET = bytes([0x8C, 0xFF]), b"\x8e", b"\x8f"


def delay(tenths: int) -> bytes:
    return bytes([0x8D, tenths])


def followed(*blocks: tuple[float, bytes]) -> list[Caption]:
    """Captions of blocks that come at times in seconds."""
    service = Service(TICK)
    for number, (time, block) in enumerate(blocks, 1):
        service.take(round(time * SECOND), number, block)
    service.go_on()
    return captions_of(service.shown, TICK)


class DelayTest(TestCase):
    def assert_shown(self, found: list[Caption], *expected: tuple[str, float, float]) -> None:
        self.assertEqual([(one.text, float(one.start), float(one.end)) for one in found], list(expected))

    def test_what_follows_a_delay_happens_when_it_is_over(self) -> None:
        found = followed((1, WINDOW + b"Lock" + delay(15) + DELETE), (6, WINDOW + b"Gate"), (8, DELETE))
        self.assert_shown(found, ("Lock", 1, 2.5), ("Gate", 6, 8))
        late = followed((1, delay(20) + WINDOW + b"Lo"), (1.5, b"ck"), (4, DELETE))
        self.assert_shown(late, ("Lock", 3, 4))

    def test_a_delay_at_the_end_runs_out(self) -> None:
        found = followed((1, WINDOW + b"Lock" + delay(30) + DELETE))
        self.assert_shown(found, ("Lock", 1, 4))

    def test_one_delay_after_the_other(self) -> None:
        found = followed(
            (0, delay(10) + WINDOW + b"Lock" + delay(10) + DELETE + delay(10) + WINDOW + b"Gate"), (9, DELETE)
        )
        self.assert_shown(found, ("Lock", 1, 2), ("Gate", 3, 9))

    def test_a_delay_is_ended_by_its_code_by_a_reset_and_by_too_much_that_waits(self) -> None:
        for name, ends in (("go on", GO_ON), ("reset", RESET + WINDOW + b"Lock")):
            found = followed((1, delay(90) + WINDOW + b"Lock"), (2, ends), (3, DELETE))
            self.assert_shown(found, ("Lock", 2, 3))
            self.assertEqual(len(found), 1, name)
        rows = [(1 + number / 10, b"0123456789abcdef0123456789") for number in range(6)]
        found = followed((0.9, delay(255) + WINDOW), *rows, (3, DELETE))
        self.assertEqual([float(one.start) for one in found], [1.4])  # 7 and 5 times 26 bytes are more than 128

    def test_bytes_that_look_like_codes_inside_others_are_none(self) -> None:
        pen = bytes([0x92, 0x0E, 0x0F])  # SPL: a row and a column
        colours = bytes([0x91, 0x8E, 0x8F, 0x8D])  # SPC
        found = followed((1, delay(20) + WINDOW + colours + pen + b"Lock"), (5, DELETE))
        self.assertEqual([(one.text, float(one.start)) for one in found], [("Lock", 3.0)])


class CharactersTest(TestCase):
    def written(self, codes: bytes) -> str:
        (found,) = followed((1, WINDOW + codes), (3, DELETE))
        return found.text

    def test_characters_of_two_bytes(self) -> None:
        self.assertEqual(self.written(b"\x18\xb0\xa1\x18\xb3\xaa"), "가나")
        self.assertEqual(self.written(b"A\x18\x26\x6aB"), "A♪B")
        self.assertEqual(self.written(b"A\x18\x26"), "A�")

    def test_codes_of_other_pages_take_their_length(self) -> None:
        self.assertEqual(self.written(b"a\x10\x25b\x10\x39\x10\xa0"), "a…b™[CC]")
        for more in (b"\x10\x04", b"\x10\x0a" + b"z", b"\x10\x12" + b"zz", b"\x10\x1c" + b"zzz", b"\x10\x84" + b"zzzz",
                     b"\x10\x8a" + b"zzzzz", b"\x10\x93\x02" + b"zz", b"\x13z", b"\x1azz"):  # fmt: skip
            self.assertEqual(self.written(b"a" + more + b"b"), "ab", more.hex())
