from typing import Any
from unittest import TestCase

from brisk_core.captions import LIMITS
from brisk_core.facts import REGISTRY, Characteristic, Kind
from brisk_core.spec import shelf_specs
from brisk_core.spec.condition_reader import ConditionReader
from brisk_core.spec.offered import conditions_for

_VALUES: dict[Kind, Any] = {
    Kind.TEXT: "4.1", Kind.TIMECODE: "10:00:00:00", Kind.FLAG: True, Kind.COUNT: 2, Kind.NUMBER: 2, Kind.BYTES: "2 MB",
    Kind.BIT_RATE: "2 Mb/s", Kind.RATE: 25, Kind.RATIO: "16:9", Kind.SECONDS: "2 s", Kind.SIZE: "1920×1080",
    Kind.AREA: [0, 0, 10, 10], Kind.TEXTS: ["a"],
}  # fmt: skip


def plausible(characteristic: Characteristic, condition: str) -> Any:
    """A value that the condition of a line could have."""
    value = characteristic.choices[0] if characteristic.kind is Kind.CHOICE else _VALUES.get(characteristic.kind, "2 s")
    if characteristic.id in LIMITS and condition in ("at_most", "at_least"):
        return 2
    other = "picture.codec" if characteristic.id != "picture.codec" else "picture.chroma"
    cell = {"picture.codec": "avc", "picture.chroma": "4:2:0"}[other]
    match condition:
        case "one_of":
            return [value]
        case "between":
            return [value, value]
        case "near":
            return {"value": value, "tolerance": value}
        case "only_at_ends":
            return {"head": "2 s"}
        case "none_longer_than" | "at_most_in_all":
            return "2 s"
        case "fits_buffer":
            return {"rate": "2 Mb/s", "size": 1000}
        case "table":
            return {"columns": [characteristic.id, other], "rows": [[value, cell]]}
        case "cases":
            return [{"when": {other: {"equals": cell}}, "then": {"equals": value}}]
        case "equals" | "at_least" | "at_most":
            return value
        case "matches":
            return "a*"
    return True


class OfferedTest(TestCase):
    def test_every_condition_that_is_offered_can_be_read(self) -> None:
        for characteristic in REGISTRY.values():
            offered = conditions_for(characteristic)
            self.assertTrue(offered, characteristic.id)
            self.assertEqual(len(set(offered)), len(offered))
            for condition in offered:
                reader = ConditionReader()
                reader.read(characteristic, {condition: plausible(characteristic, condition)}, "here")
                self.assertEqual(reader.mistakes, [], (characteristic.id, condition))

    def test_every_condition_of_the_shipped_specs_is_offered(self) -> None:
        for spec in shelf_specs().values():
            for line in spec.lines:
                self.assertIn(next(iter(line.raw_condition)), conditions_for(line.characteristic), (spec.id, line.id))
