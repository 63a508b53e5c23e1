from fractions import Fraction
from unittest import TestCase

from brisk_core.captions import Programme, list_captions, read_captions
from brisk_core.captions.document import CaptionDocument
from brisk_core.captions.line21.tests.codes import CR, EDM, ENM, EOC, RCL, RU2, Pair, row, second_channel, text, words
from brisk_core.captions.ruling import Captioned
from brisk_core.captions.tests.carried import NOTHING

HEAD = "Line 21 codes V1.0\n\n"
FRAME = Fraction(1001, 30000)


def pop_on(says: str) -> list[Pair]:
    return [ENM, ENM, RCL, RCL, row(15), row(15), *text(says), EOC, EOC]


def scc(*rows: tuple[str, list[Pair]], between: str = "\t", head: str = HEAD) -> CaptionDocument:
    body = "\n\n".join(f"{label}{between}{words(pairs)}" for label, pairs in rows)
    return read_captions(f"{head}{body}\n".encode(), "film.scc")


class SccTest(TestCase):
    def test_each_word_takes_a_picture(self) -> None:
        found = scc(("00:00:01:00", pop_on("Lock")), ("00:00:03:00", [EDM, EDM]))
        (one,) = found.captions
        self.assertEqual((one.lines, one.place), (("Lock",), 3))
        self.assertEqual((one.start, one.end), ((30 + 8) * FRAME, 90 * FRAME))
        self.assertEqual((found.remarks, found.drop), ((), False))

    def test_spaces_part_times_and_words_as_a_tabulator_does(self) -> None:
        rows = [("00:00:01;00", pop_on("Gate")), ("00:00:03;00", [EDM])]
        for between in (" ", "   ", " \t"):
            found = scc(*rows, between=between)
            self.assertEqual((found.captions, found.remarks), (scc(*rows).captions, ()), repr(between))
            self.assertTrue(found.drop)

    def test_a_caption_that_is_never_erased_stands_until_the_programme_ends(self) -> None:
        found = scc(("00:00:01:00", pop_on("Stay")))
        self.assertEqual((found.captions[0].stays, found.remarks), (True, ()))
        programme = Programme(rate=Fraction(30000, 1001), frames=300, start=None)
        (listed,) = list_captions(Captioned(documents=(found,)), programme)
        self.assertEqual((listed.placed.start, listed.placed.end, listed.faults), (38, 300, ()))

    def test_words_are_loaded_in_a_row_above_the_one_that_shows_them(self) -> None:
        found = scc(("00:00:01:00", pop_on("Lock")[:-2]), ("00:00:02:00", [EOC]), ("00:00:04:00", [EDM]))
        (one,) = found.captions
        self.assertEqual((one.start, one.end, one.place), (60 * FRAME, 120 * FRAME, 3))

    def test_rolling_rows_count_once_for_the_reading_speed(self) -> None:
        long = "thirty-two characters in one row"
        rows = [(f"00:00:{second:02}:00", [RU2, CR, row(15), *text(long)]) for second in (1, 4, 7)]
        found = scc(*rows, ("00:00:10:00", [EDM]))
        self.assertEqual([len(one.lines) for one in found.captions], [1, 2, 2])
        programme = Programme(rate=Fraction(30000, 1001), frames=400, start=None)
        listed = list_captions(Captioned(documents=(found,)), programme)
        self.assertEqual([one.faults for one in listed], [(), (), ()])

    def test_channels_are_apart_and_named(self) -> None:
        both = [*pop_on("one"), *second_channel(pop_on("two"))]
        found = scc(("00:00:01:00", both), ("00:00:03:00", [EDM, *second_channel([EDM])]))
        self.assertEqual([(one.lines, one.region) for one in found.captions], [(("one",), ""), (("two",), "CC2")])

    def test_labels_that_do_not_exist_are_remarked_on_and_nothing_is_lost(self) -> None:
        found = scc(("00:00:01:30", pop_on("Late")), ("00:00:03:00", [EDM]))
        self.assertEqual([one.lines for one in found.captions], [("Late",)])
        self.assertIn("30", found.remarks[0].says)
        left_out = scc(("00:01:00;00", pop_on("None")), ("00:01:05;00", [EDM]))
        self.assertEqual([one.lines for one in left_out.captions], [("None",)])
        self.assertIn("leaves this label out", left_out.remarks[0].says)

    def test_rows_out_of_order_are_read_in_the_order_of_time(self) -> None:
        rows = [("00:00:05:00", pop_on("Second")), ("00:00:01:00", pop_on("First")), ("00:00:08:00", [EDM])]
        found = scc(*rows)
        self.assertEqual([one.lines for one in found.captions], [("First",), ("Second",)])
        self.assertEqual([(one.line, "lies before" in one.says) for one in found.remarks], [(5, True)])

    def test_letters_without_a_style_and_past_the_last_column_are_remarked_on(self) -> None:
        found = scc(("00:00:01:00", [row(15), *text("nobody")]), ("00:00:02:00", pop_on("w" * 40)))
        self.assertEqual([one.line for one in found.remarks], [3, 5])
        self.assertIn("nobody sees them", found.remarks[0].says)
        self.assertIn("last of 32 columns", found.remarks[1].says)
        self.assertEqual(len(found.captions[0].lines[0]), 32)

    def test_bytes_of_wrong_parity_are_read_and_told_by_their_line(self) -> None:
        right = f"{HEAD}00:00:01:00\t{words(pop_on('Lock'))}\n\n00:00:03:00\t{words([EDM, NOTHING])}\n"
        self.assertEqual(read_captions(right.encode(), "a.scc").remarks, ())
        for wrong in (right.replace("942c", "142c"), right.replace("942c", "94ac")):
            found = read_captions(wrong.encode(), "a.scc")
            self.assertEqual(([one.lines for one in found.captions], found.captions[0].stays), ([("Lock",)], False))
            self.assertEqual([one.line for one in found.remarks], [5])
            self.assertIn("a byte has the wrong parity", found.remarks[0].says)

    def test_a_file_without_any_parity_is_told_once(self) -> None:
        bare = "".join(f" {first:02x}{second:02x}" for first, second in [*pop_on("Lock gates"), NOTHING])
        found = read_captions(f"{HEAD}00:00:01:00{bare}\n\n00:00:03:00 142c\n".encode(), "a.scc")
        self.assertEqual([one.lines for one in found.captions], [("Lock gates",)])
        self.assertEqual([(one.line, "no byte of this channel" in one.says) for one in found.remarks], [(3, True)])

    def test_without_its_first_row_nothing_is_lost(self) -> None:
        found = scc(("00:00:01:00", pop_on("Lock")), ("00:00:03:00", [EDM]), head="")
        self.assertEqual([(one.lines, one.place) for one in found.captions], [(("Lock",), 1)])

    def test_twenty_thousand_rows_are_over_soon(self) -> None:
        labels = [f"{n // 3600:02}:{n // 60 % 60:02}:{n % 60:02}:00" for n in range(20_000)]
        found = scc(*((label, pop_on("Lock")) for label in labels))
        self.assertEqual(len(found.captions), 20_000)
