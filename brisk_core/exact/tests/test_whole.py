from unittest import TestCase

from brisk_core.errors import ValueRefused
from brisk_core.exact import positive, read_whole


class WholeTest(TestCase):
    def test_whole_numbers(self) -> None:
        for text, number in (("0", 0), ("-1", -1), ("007", 7), ("9" * 18, 10**18 - 1), ("-" + "9" * 18, 1 - 10**18)):
            self.assertEqual(read_whole(text), number)

    def test_what_only_looks_like_one(self) -> None:
        for text in (
            "",
            "-",
            "--1",
            "+1",
            " 1",
            "1 ",
            "1.0",
            "1e3",
            "²",
            "٣",
            "１",
            "9" * 19,
            "9" * 5000,
            "\x00",
            "1_0",
        ):
            self.assertIsNone(read_whole(text), text[:20])

    def test_values_of_more_than_nothing(self) -> None:
        self.assertEqual((positive(int)("1"), positive(float)("0.5")), (1, 0.5))
        for value in ("0", "-1"):
            with self.assertRaisesRegex(ValueRefused, f"met '{value}'; expected more than 0"):
                positive(int)(value)
