from unittest import TestCase

from brisk_core.packets.teletext import TeletextSubtitles


def coded(nibble: int) -> int:
    """Four bits as a byte of Hamming 8/4 (EN 300 706, table 2), sent with the lowest bit first."""
    one, two, three, four = (nibble >> bit & 1 for bit in range(4))
    checks = (1 ^ one ^ three ^ four, 1 ^ one ^ two ^ four, 1 ^ one ^ two ^ three)
    bits = [checks[0], one, checks[1], two, checks[2], three, 0, four]
    bits[6] = 1 ^ (sum(bits) & 1)
    return sum(bit << place for place, bit in enumerate(bits))


def unit(row: int, text: str = "", *, magazine: int = 0, subtitle: bool = True) -> bytes:
    """A data unit with one packet of a page (EN 300 472, 4.2)."""
    address = magazine | row << 3
    line = bytes([coded(address & 15), coded(address >> 4)]) + text.ljust(40).encode()
    mirrored = bytes(int(f"{value:08b}"[::-1], 2) for value in line)
    return bytes([0x03 if subtitle else 0x02, 44, 0xE7, 0xE4]) + mirrored


def counted(*packets: bytes) -> int:
    found = TeletextSubtitles()
    for packet in packets:
        found.take(b"\x10" + packet, 0)
    return found.count


class TeletextTest(TestCase):
    def test_each_page_with_new_text_is_a_subtitle(self) -> None:
        first = unit(0) + unit(20, "Mind the gate") + unit(22, "and the lock")
        other = unit(0) + unit(20, "It is shut")
        self.assertEqual(counted(first), 1)
        self.assertEqual(counted(first, first, first), 1)
        self.assertEqual(counted(first, unit(0), other, unit(0), unit(0)), 2)
        self.assertEqual(counted(first, unit(0), first), 2, "it was taken away between")
        self.assertEqual(counted(unit(0), unit(20, "It is shut")), 1, "over two packets")

    def test_what_is_no_subtitle_is_not_counted(self) -> None:
        pages = unit(0, subtitle=False) + unit(5, "Weather", subtitle=False)
        self.assertEqual(counted(pages, unit(0), unit(20, "   "), unit(26, "packet of links")), 0)
        self.assertEqual(counted(unit(20, "without a header")), 0)
        self.assertEqual((counted(b""), counted(b"\x03"), counted(b"\x03\x2c\xe7")), (0, 0, 0))

    def test_magazines_are_apart(self) -> None:
        pages = unit(0) + unit(0, magazine=1) + unit(20, "one") + unit(20, "two", magazine=1)
        self.assertEqual(counted(pages), 2)
