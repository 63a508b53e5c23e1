from unittest import TestCase

from brisk_core.captions.line21 import Field
from brisk_core.captions.line21.tests.codes import (
    BS,
    CR,
    DER,
    EDM,
    ENM,
    EOC,
    RCL,
    RDC,
    RU2,
    RU3,
    RU4,
    TR,
    Pair,
    row,
    second_channel,
    tab,
    text,
)
from brisk_core.captions.shown import Shown


def shown(*pairs: Pair, field: int = 1, channel: str | None = None) -> list[Shown]:
    """What a screen shows of pairs that come one a second."""
    decoder = Field(field)
    for time, pair in enumerate(pairs):
        decoder.feed(time, time, pair)
    screen = decoder.channels.get(channel or ("CC1" if field == 1 else "CC3"))
    return screen.finish() if screen else []


def lines(*pairs: Pair, **where: int | str) -> list[tuple[str, ...]]:
    return [one.lines for one in shown(*pairs, **where)]  # type: ignore[arg-type]


class PopOnTest(TestCase):
    def test_a_caption_is_loaded_out_of_sight_and_stands_until_it_is_erased(self) -> None:
        (one,) = shown(ENM, RCL, row(14), *text("first"), row(15, 4), *text("second"), EOC, (0, 0), EDM)
        self.assertEqual(one.lines, ("first", "second"))
        self.assertEqual((one.start, one.end, one.place), (10, 12, 3))

    def test_what_nothing_erases_has_no_end(self) -> None:
        self.assertEqual([one.end for one in shown(RCL, row(15), *text("on"), EOC)], [None])

    def test_the_next_caption_ends_the_one_before(self) -> None:
        pairs = [RCL, row(15), *text("one"), EOC, ENM, RCL, row(15), *text("two"), EOC, EDM]
        self.assertEqual(
            [(one.lines, one.start, one.end) for one in shown(*pairs)], [(("one",), 4, 10), (("two",), 10, 11)]
        )

    def test_a_code_that_is_sent_twice_acts_once(self) -> None:
        pairs = [ENM, ENM, RCL, RCL, row(15), row(15), *text("once"), BS, BS, EOC, EOC, (0, 0), EDM, EDM]
        self.assertEqual(lines(*pairs), [("onc",)])
        self.assertEqual(lines(RCL, row(15), *text("once"), BS, (0, 0), BS, EOC), [("on",)], "nulls stand between")
        self.assertEqual(lines(RCL, row(15), *text("once"), BS, BS, BS, EOC), [("on",)], "the third is another")

    def test_without_erasing_the_caption_before_comes_back_under_the_new_one(self) -> None:
        pairs = [RCL, row(1), *text("up"), EOC, RCL, row(15), *text("down"), EOC, EOC, (0, 0), EOC]
        self.assertEqual(lines(*pairs), [("up",), ("down",), ("up",)])

    def test_rows_are_written_over_from_the_column_that_is_addressed(self) -> None:
        self.assertEqual(lines(RCL, row(15), *text("abcdefgh"), row(15, 4), *text("XY"), EOC), [("abcdXYgh",)])
        self.assertEqual(lines(RCL, row(15, 4), tab(2), *text("in"), row(15), *text("at"), EOC), [("at    in",)])

    def test_what_comes_past_the_last_column_is_written_over(self) -> None:
        decoder = Field(1)
        for time, pair in enumerate([RCL, row(15, 28), *text("abcdefg"), EOC]):
            decoder.feed(time, 7, pair)
        (one,) = decoder.channels["CC1"].finish()
        self.assertEqual((one.lines, decoder.channels["CC1"].beyond), (("abcg",), [7]))

    def test_characters_beyond_the_letters(self) -> None:
        pairs = [RCL, row(15), *text("ni~"), (0x11, 0x37), *text(" E"), (0x12, 0x21), (0x11, 0x20), *text("\\"), EOC]
        self.assertEqual(lines(*pairs), [("niñ♪ É é",)])
        self.assertEqual(lines(RCL, row(15), *text("u"), (0x13, 0x33), EOC), [("ö",)])

    def test_the_rest_of_a_row_is_erased(self) -> None:
        self.assertEqual(lines(RCL, row(15), *text("abcdefgh"), row(15, 4), DER, EOC), [("abcd",)])

    def test_letters_before_any_style_are_seen_by_nobody(self) -> None:
        decoder = Field(1)
        for time, pair in enumerate([row(15), *text("lost"), RCL, row(15), *text("kept"), EOC]):
            decoder.feed(time, time, pair)
        screen = decoder.channels["CC1"]
        self.assertEqual(([one.lines for one in screen.finish()], screen.unstyled), ([("kept",)], [1, 2]))


class RollUpTest(TestCase):
    def test_rows_move_up_and_leave_at_the_top(self) -> None:
        pairs = [RU2, CR, row(15), *text("one1"), CR, row(15), *text("two2"), CR, row(15), *text("tri3"), EDM]
        found = shown(*pairs)
        self.assertEqual([one.lines for one in found], [("one1",), ("one1", "two2"), ("two2", "tri3")])
        self.assertEqual([one.kept for one in found], [0, 1, 1])
        self.assertEqual([(one.start, one.end) for one in found], [(3, 5), (5, 9), (9, 13)])
        self.assertEqual([one.place for one in found], [3, 7, 11])

    def test_fewer_rows_drop_the_upper_ones(self) -> None:
        pairs = [RU4, CR, row(15), *text("aa"), CR, *text("bb"), CR, *text("cc"), RU2, *text("!!")]
        self.assertEqual(lines(*pairs)[-1], ("bb", "cc!!"))

    def test_another_base_takes_the_rows_along(self) -> None:
        pairs = [RU3, CR, row(15), *text("aa"), CR, *text("bb"), row(2), *text("cc")]
        self.assertEqual(
            lines(*pairs)[-1], ("aa", "cc"), "the window cannot begin above the first row; bb is written over"
        )

    def test_rolling_clears_what_popped_on(self) -> None:
        found = shown(RCL, row(1), *text("up"), EOC, RU2, CR, row(15), *text("roll"))
        self.assertEqual([(one.lines, one.end) for one in found], [(("up",), 4), (("roll",), None)])


class OtherStylesTest(TestCase):
    def test_painted_captions_stand_from_their_first_letter_on(self) -> None:
        pairs = [RDC, row(15), *text("paint"), EDM, RDC, row(14), *text("again"), EDM]
        self.assertEqual(
            [(one.lines, one.start, one.end) for one in shown(*pairs)], [(("paint",), 2, 5), (("again",), 8, 11)]
        )

    def test_painting_more_is_a_caption_of_its_own(self) -> None:
        pairs = [RDC, row(14), *text("top."), (0, 0), RDC, row(15), *text("base"), EDM]
        self.assertEqual([(one.lines, one.kept) for one in shown(*pairs)], [(("top.",), 0), (("top.", "base"), 1)])

    def test_what_is_backspaced_away_has_ended(self) -> None:
        (one,) = shown(RDC, row(15), *text("a"), (0, 0), BS)
        self.assertEqual((one.lines, one.start, one.end), (("a",), 2, 4))

    def test_text_services_are_not_captions(self) -> None:
        pairs = [RCL, row(15), *text("seen"), EOC, TR, *text("page of text"), RCL, row(15), *text("x"), EOC]
        self.assertEqual(lines(*pairs)[0], ("seen",))
        self.assertEqual(len(lines(*pairs)), 2)


class ChannelTest(TestCase):
    def test_channels_of_a_field_are_told_apart(self) -> None:
        first, other = [RCL, row(15), *text("one"), EOC], second_channel([RCL, row(15), *text("zwei"), EOC])
        self.assertEqual(lines(*first, *other), [("one",)])
        self.assertEqual(lines(*first, *other, channel="CC2"), [("zwei",)])

    def test_field_two_carries_its_own_channels_and_data_services(self) -> None:
        data = [(0x01, 0x03), *text("NAME OF IT"), (0x0F, 0x1D)]
        pairs = [RCL, row(15), *text("three"), *data, RCL, row(15), EOC]
        self.assertEqual(lines(*pairs, field=2), [("three",)])
        self.assertEqual(lines((0x15, 0x20), row(15), *text("three"), (0x15, 0x2F), field=2), [("three",)])
