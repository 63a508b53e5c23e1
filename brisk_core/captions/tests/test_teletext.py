import tempfile
from pathlib import Path
from unittest import TestCase

from brisk_core.captions import CaptionDocument, read_embedded
from brisk_core.captions.teletext import Pages
from brisk_core.captions.tests.carried import RATE, ancillary, write
from brisk_core.captions.tests.teletext_pages import (
    distribution,
    header,
    line,
    odd,
    put,
    row,
    units,
    write_pages,
)
from brisk_core.facts import CaptionTrack, Depth, Inspection
from brisk_core.inspect import inspect
from brisk_core.packets.teletext import KEPT, ancillary_lines, unit_lines
from brisk_core.reading import Source

Told = dict[str, list[tuple[tuple[str, ...], int, int | None]]]


def told(*sent: tuple[int, list[bytes]], subtitle: bool = True) -> Told:
    """What pages show when lines are sent at times: text, start and end by page."""
    pages = Pages()
    for time, lines in sent:
        pages.feed(time, 0, unit_lines(units(lines, subtitle=subtitle)))
    return {page: [(one.lines, one.start, one.end) for one in shown] for page, shown in pages.finish().items() if shown}


GATE = [header(), row(20, b"Mind the gate"), row(22, b"and the lock")]
SHUT = [header(), row(22, b"It is shut")]
SAID, SAID_SHUT = ("Mind the gate", "and the lock"), ("It is shut",)


class PagesTest(TestCase):
    def test_a_page_stands_until_another_text_is_sent(self) -> None:
        self.assertEqual(told((1, GATE)), {"888": [(SAID, 1, None)]})
        self.assertEqual(told((1, GATE), (3, GATE), (5, GATE)), {"888": [(SAID, 1, None)]})
        self.assertEqual(told((1, GATE), (5, [header()])), {"888": [(SAID, 1, 5)]})
        self.assertEqual(told((1, GATE), (4, SHUT), (6, [header()])), {"888": [(SAID, 1, 4), (SAID_SHUT, 4, 6)]})
        again = told((1, GATE), (2, [header()]), (3, GATE))
        self.assertEqual(again, {"888": [(SAID, 1, 2), (SAID, 3, None)]}, "it was taken away between")
        self.assertEqual(told((1, GATE[:1]), (1, GATE[1:])), {"888": [(SAID, 1, None)]}, "over two packets")

    def test_pages_beside_each_other_are_apart(self) -> None:
        other = [header("889"), row(22, b"Das Tor", "889")]
        both = told((1, GATE), (2, other), (3, GATE), (4, other), (5, [header()]), (6, other))
        self.assertEqual(both, {"888": [(SAID, 1, 5)], "889": [(("Das Tor",), 2, None)]})
        mixed = [header("150"), GATE[0], row(22, b"one", "150"), *GATE[1:]]  # two magazines at once
        self.assertEqual(told((1, mixed)), {"150": [(("one",), 1, None)], "888": [(SAID, 1, None)]})
        serial = [GATE[0], GATE[1], header("150", serial=True), GATE[2]]
        self.assertEqual(told((1, serial))["888"], [(("Mind the gate",), 1, None)])

    def test_without_erasing_rows_that_are_not_sent_stay(self) -> None:
        first, second = [header(), row(20, b"Mind")], [header(erase=False), row(22, b"the gate")]
        self.assertEqual(told((1, first), (2, second)), {"888": [(("Mind",), 1, 2), (("Mind", "the gate"), 2, None)]})

    def test_what_is_no_subtitle_is_not_read(self) -> None:
        news = [header("100", subtitle=False), row(5, b"Weather", "100", box=False)]
        self.assertEqual(told((1, news), subtitle=False), {})
        self.assertEqual(told((1, [header("8FF"), row(20, b"time goes by")])), {})
        self.assertEqual(told((1, [row(20, b"without a header")])), {})
        self.assertEqual(told((1, [header(), row(20, b"   "), row(25, b"keys")])), {})
        self.assertEqual(told((1, GATE), subtitle=False), {"888": [(SAID, 1, None)]}, "its header tells")

    def test_what_a_row_shows(self) -> None:
        for raw, expected in (
            (row(20, b"left \x0b\x0bin a box\x0a\x0a and out", box=False), "in a box"),
            (row(20, b"no box at all", box=False), "no box at all"),
            (row(20, b"\x03yellow\x07white"), "yellow white"),
            (row(20, b"seen\x18hidden\x02green"), "seen green"),
            (row(20, b"\x11aaa\x01red"), "red"),
            (row(20, b"#1 [x] {y}"), "£1 ←x→ ¼y¾"),
        ):
            self.assertEqual(told((1, [header(), raw])), {"888": [((expected,), 1, None)]})
        tall = [header(), row(20, b"\x0dtall"), row(21, b"its lower half"), row(22, b"below")]
        self.assertEqual(told((1, tall)), {"888": [(("tall", "below"), 1, None)]})

    def test_the_characters_of_nations(self) -> None:
        for nation, expected in (
            ("en", "£@—"), ("de", "#§°"), ("sv", "#Éé"), ("it", "£éù"), ("fr", "éàè"), ("pt", "ç¡¿"), ("cs", "#čé"),
        ):  # fmt: skip
            shown = told((1, [header(nation=nation), row(20, b"\x23\x40\x60")]))["888"][0][0]
            self.assertEqual(shown, (expected,))

    def test_characters_that_are_put_in_the_place_of_others(self) -> None:
        sent = [
            (60, 0x04, 0),  # row 20
            (2, 0x1F, ord("C")),  # with a caron
            (3, 0x12, ord("e")),  # with an acute
            (5, 0x10, 0x2A),  # @, which the national set has not
            (8, 0x0F, 0x78),  # ł, of the second set
            (63, 0x1F, 0),  # the end
            (2, 0x10, ord("Z")),
        ]
        shown = told((1, [header(nation="de"), put(*sent), row(20, b"Cesta l")]))["888"][0][0]
        self.assertEqual(shown, ("Čés@a ł",))

    def test_bits_that_were_lost(self) -> None:
        for bit in range(8):
            wrong = bytes([GATE[0][0] ^ 1 << bit]) + GATE[0][1:]
            self.assertEqual(told((1, [wrong, *GATE[1:]])), {"888": [(SAID, 1, None)]}, "one of them is mended")
        self.assertEqual(told((1, [bytes([GATE[0][0] ^ 0b101]) + GATE[0][1:], *GATE[1:]])), {})
        broken = bytearray(GATE[2])
        broken[2 + 2 + 4] ^= 0x80  # its parity
        self.assertEqual(told((1, [*GATE[:2], bytes(broken)]))["888"][0][0][1], "and \ufffdhe lock")


class CarriedTest(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def read(self, path: Path) -> tuple[tuple[CaptionDocument, ...], Inspection]:
        source = Source.at(str(path))
        return read_embedded(source), inspect(source, Depth.PACKETS).inspection

    def test_a_transport_stream(self) -> None:
        fast = [header(), row(22, b"far too many letters to be read in so short a time"[:36])]
        path = write_pages(
            self.folder / "a.ts", {5: GATE, 15: GATE, 90: [header()], 95: fast, 98: [header()]}, frames=120
        )
        (document,), found = self.read(path)
        self.assertEqual((document.name, document.format, document.language), ("page 888, track 2", "teletext", "deu"))
        placed = [(one.lines[0], round(one.start * RATE), round(one.end * RATE)) for one in document.captions]
        self.assertEqual(placed, [("Mind the gate", 5, 90), ("far too many letters to be read in s", 95, 98)])
        tracks = (CaptionTrack(kind="embedded", format="teletext", language="deu", count=2),)
        self.assertEqual(found.best("text.captions"), tracks)
        self.assertEqual([(span.start, span.end) for span in found.best("text.reading_speed")], [(95, 98)])

    def test_two_languages_are_counted_together_and_read_apart(self) -> None:
        other = [header("889"), row(22, b"Das Tor", "889")]
        path = write_pages(self.folder / "a.ts", {5: GATE, 10: other, 15: GATE, 20: other, 25: GATE, 50: [header()]})
        documents, found = self.read(path)
        self.assertEqual([(one.name, len(one.captions)) for one in documents],
                         [("page 888, track 2", 1), ("page 889, track 2", 1)])  # fmt: skip
        self.assertEqual([one.count for one in found.best("text.captions")], [2])

    def test_a_stream_that_shows_nothing(self) -> None:
        documents, found = self.read(write_pages(self.folder / "a.ts", {5: [header()], 20: [header()]}))
        self.assertEqual(documents, ())
        self.assertEqual([one.count for one in found.best("text.captions")], [0])
        self.assertIn("text.overlap", found.unread)

    def test_ancillary_packets_of_mxf(self) -> None:
        sent = {5: GATE, 15: GATE, 40: [header()]}
        carried = [
            ancillary(distribution(sent[number]), did=0x43, sdid=0x02) if number in sent else b""
            for number in range(60)
        ]
        path = write(
            self.folder / "a.mxf", "mpeg2video", carried, track="smpte_436m_anc", sample=lambda one: one or b"\0\0"
        )
        (document,), found = self.read(path)
        self.assertEqual((document.name, document.format), ("page 888, track 2", "teletext"))
        (one,) = document.captions
        self.assertEqual((one.lines, round(one.start * RATE), round(one.end * RATE)), (SAID, 5, 40))
        self.assertEqual([(row.format, row.count) for row in found.best("text.captions")],
                         [("teletext page 888, track 2", 1)])  # fmt: skip

    def test_bytes_that_are_no_lines(self) -> None:
        whole = units(GATE)
        self.assertEqual(len(unit_lines(whole)), 3 * KEPT)
        for end in range(len(whole)):
            self.assertEqual(unit_lines(whole[:end]), unit_lines(whole)[: (end - 1) // 46 * KEPT if end else 0], end)
        self.assertEqual(unit_lines(b"\x10" + b"\x03\x2c" * 3), b"")
        packet = ancillary(distribution(GATE), did=0x43, sdid=0x02)
        self.assertEqual(ancillary_lines(packet), b"".join(b"\x01" + one for one in GATE))
        for end in range(len(packet)):
            self.assertEqual(len(ancillary_lines(packet[:end])) % KEPT, 0)
        self.assertEqual(ancillary_lines(ancillary(distribution(GATE), did=0x43, sdid=0x01)), b"")
        self.assertEqual(len(odd(b"a")), len(line(0, 0, b"")) - 1)
