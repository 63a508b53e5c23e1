from unittest import TestCase

from brisk_core.errors import ValueRefused
from brisk_core.facts import REGISTRY
from brisk_core.spec import Taking, read_asked, shelf_specs, who_takes
from brisk_core.spec.tests.test_differences import spec


class TakingTest(TestCase):
    def told(self, text: str, id_: str, *lines: str) -> list[str]:
        characteristic = REGISTRY[id_]
        return [taking.name for _, taking in who_takes(spec(*lines), characteristic, read_asked(characteristic, text))]

    def test_values_as_they_are_typed(self) -> None:
        rate, size, index = (REGISTRY[id_] for id_ in ("picture.frame_rate", "picture.size", "wrapper.index_first"))
        self.assertEqual(str(read_asked(rate, "59.94")), "60000/1001")
        self.assertEqual(read_asked(size, " 1920x1080 "), (1920, 1080))
        self.assertIs(read_asked(index, "Yes"), True)
        self.assertEqual(read_asked(REGISTRY["picture.bit_depth"], "10"), 10)
        self.assertEqual(read_asked(REGISTRY["bitrate.average"], "8 Mb/s"), 8_000_000)
        for id_, text in (("picture.frame_rate", "fast"), ("picture.scan", "sideways"), ("picture.bit_depth", "ten")):
            with self.assertRaises(ValueRefused):
                read_asked(REGISTRY[id_], text)

    def test_plain_lines(self) -> None:
        rates = "id: rate, characteristic: picture.frame_rate, condition: { one_of: [25, 59.94] }"
        other = "id: size, characteristic: picture.size, condition: { equals: 1920x1080 }"
        self.assertEqual(self.told("59.94", "picture.frame_rate", rates, other), ["TAKES"])
        self.assertEqual(self.told("60", "picture.frame_rate", rates, other), ["REFUSES"])
        self.assertEqual(self.told("2", "sound.channels", rates, other), [])
        channels = "id: channels, characteristic: sound.channels, condition: { equals: 2 }"
        self.assertEqual(self.told("2", "sound.channels", channels), ["TAKES"])
        timeline = "id: rate, characteristic: picture.frame_rate, condition: { same_as_timeline: true }"
        self.assertEqual(self.told("25", "picture.frame_rate", timeline), ["UNKNOWN"])

    def test_tables_and_cases(self) -> None:
        table = (
            "id: shapes, characteristic: picture.size, condition: { table: { columns: [picture.size, picture.frame_rate], "
            "rows: [[1920x1080, 25], [1280x720, [50, 59.94]]] } }"
        )
        self.assertEqual(self.told("59.94", "picture.frame_rate", table), ["SOMETIMES"])
        self.assertEqual(self.told("30", "picture.frame_rate", table), ["REFUSES"])
        cases = (
            "id: bits, characteristic: bitrate.average, condition: { cases: [{ when: { picture.frame_rate: { equals: 25 } }, "
            "then: { at_most: 8 Mb/s } }, { otherwise: { at_most: 12 Mb/s } }] }"
        )
        self.assertEqual(self.told("10 Mb/s", "bitrate.average", cases), ["SOMETIMES"])
        self.assertEqual(self.told("8 Mb/s", "bitrate.average", cases), ["TAKES"])
        self.assertEqual(self.told("13 Mb/s", "bitrate.average", cases), ["REFUSES"])

    def test_the_shelf_answers_for_every_value_that_a_line_of_it_names(self) -> None:
        rate = REGISTRY["picture.frame_rate"]
        told = {
            name: [taking for _, taking in who_takes(one, rate, read_asked(rate, "25"))]
            for name, one in shelf_specs().items()
        }
        self.assertEqual(told["pebbleview-wide"], [Taking.TAKES])
        self.assertTrue(any(Taking.REFUSES in one for one in told.values()))
