from fractions import Fraction
from itertools import pairwise
from typing import Any
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_core.facts import REGISTRY
from brisk_core.spec import Change, Spec, compare_specs, covers, parse_spec, shelf_specs
from brisk_core.spec.condition_reader import ConditionReader

HEAD = "brisk_spec: 1\nid: a\nname: A\nfamily: web\nsource: a test\nissued: 2026-03-02\nlines:\n"


def condition(id_: str, raw: Any) -> Any:
    reader = ConditionReader()
    found = reader.read(REGISTRY[id_], raw, "here")
    assert found is not None, reader.mistakes
    return found


def spec(*lines: str) -> Spec:
    return parse_spec(HEAD + "".join(f"  - {{ {line} }}\n" for line in lines))


#: Values around every bound that the strategies below set, so that what is not covered has a witness among them.
RATES = [Fraction(number, 2) for number in range(40, 70)]
BIT_RATES = [number * 500_000 for number in range(0, 40)]
CHANNELS = list(range(0, 10))
_RATE = st.integers(21, 33)
_BITS = st.integers(1, 18).map(lambda number: f"{number} Mb/s")
_COUNT = st.integers(1, 8)


def conditions(value: Any) -> st.SearchStrategy[Any]:
    pair = st.tuples(value, value)
    ordered = pair.map(lambda both: sorted(both, key=lambda one: int(str(one).split(" ")[0])))
    return st.one_of(
        value.map(lambda one: {"equals": one}),
        st.lists(value, min_size=1, max_size=4, unique=True).map(lambda some: {"one_of": some}),
        value.map(lambda one: {"at_least": one}),
        value.map(lambda one: {"at_most": one}),
        ordered.map(lambda both: {"between": both}),
        st.just({"present": True}),
    )


class CoversTest(TestCase):
    """What is said to cover lets through all that the other does; what is not has a value that shows it."""

    def hold(self, id_: str, one: Any, other: Any, values: list[Any], *, complete: bool) -> None:
        wide, narrow = condition(id_, one), condition(id_, other)
        track = REGISTRY[id_].per_track
        shown = [(value,) if track else value for value in values]
        beyond = [value for value in shown if narrow.holds_for(value) and not wide.holds_for(value)]
        if covers(wide, narrow):
            self.assertEqual(beyond, [], (one, other))
        elif complete:
            self.assertNotEqual(beyond, [], (one, other))

    @settings(max_examples=300)
    @given(one=conditions(_RATE), other=conditions(_RATE))
    def test_rates(self, one: Any, other: Any) -> None:
        self.hold("picture.frame_rate", one, other, RATES, complete=True)

    @settings(max_examples=300)
    @given(one=conditions(_BITS), other=conditions(_BITS))
    def test_bit_rates(self, one: Any, other: Any) -> None:
        self.hold("bitrate.average", one, other, BIT_RATES, complete=True)

    @settings(max_examples=300)
    @given(one=conditions(_COUNT), other=conditions(_COUNT))
    def test_whole_numbers_of_tracks(self, one: Any, other: Any) -> None:
        self.hold("sound.channels", one, other, CHANNELS, complete=True)

    def test_sizes_by_width_and_height(self) -> None:
        for wide, narrow, right in (
            ({"at_most": "1920x1080"}, {"at_most": "1280x720"}, True),
            ({"at_most": "1920x1080"}, {"at_most": "720x1280"}, False),
            ({"at_most": "1920x1080"}, {"equals": "1080x1920"}, False),
            ({"one_of": ["1920x1080", "1280x720"]}, {"equals": "1280x720"}, True),
        ):
            self.assertIs(
                covers(condition("picture.size", wide), condition("picture.size", narrow)), right, (wide, narrow)
            )

    def test_a_tolerance_is_a_range(self) -> None:
        near = condition("sound.loudness", {"near": {"value": -23, "tolerance": 1}})
        self.assertTrue(covers(condition("sound.loudness", {"between": [-24, -22]}), near))
        self.assertTrue(covers(near, condition("sound.loudness", {"between": [-24, -22]})))
        self.assertFalse(covers(near, condition("sound.loudness", {"at_most": -22})))
        self.assertTrue(covers(near, condition("sound.loudness", {"equals": -23})))

    def test_places(self) -> None:
        id_ = "content.black"
        for wide, narrow, right in (
            ({"at_most_in_all": "2 s"}, {"at_most_in_all": "1 s"}, True),
            ({"none_longer_than": "1 s"}, {"at_most_in_all": "1 s"}, True),
            ({"at_most_in_all": "1 s"}, {"none_longer_than": "1 s"}, False),
            ({"none_longer_than": "1 s"}, {"absent": True}, True),
            ({"absent": True}, {"none_longer_than": "1 s"}, False),
        ):
            self.assertIs(covers(condition(id_, wide), condition(id_, narrow)), right, (wide, narrow))

    def test_cases_and_tables(self) -> None:
        by_rate = lambda one, other: {  # noqa: E731 - one shape for several values
            "cases": [
                {"when": {"picture.frame_rate": {"equals": 25}}, "then": {"at_most": one}},
                {"otherwise": {"at_most": other}},
            ]
        }
        id_ = "bitrate.average"
        cases = condition(id_, by_rate("10 Mb/s", "8 Mb/s"))
        self.assertTrue(covers(condition(id_, by_rate("12 Mb/s", "8 Mb/s")), cases))
        self.assertFalse(covers(condition(id_, by_rate("12 Mb/s", "7 Mb/s")), cases))
        self.assertTrue(covers(condition(id_, {"at_most": "10 Mb/s"}), cases))
        self.assertFalse(covers(condition(id_, {"at_most": "9 Mb/s"}), cases))
        self.assertTrue(covers(cases, condition(id_, {"at_most": "8 Mb/s"})))
        self.assertFalse(covers(cases, condition(id_, {"at_most": "9 Mb/s"})))

    def test_another_characteristic_covers_nothing(self) -> None:
        self.assertFalse(
            covers(condition("picture.size", {"present": True}), condition("picture.frame_rate", {"equals": 25}))
        )


class CompareTest(TestCase):
    def changes(self, old: Spec, new: Spec) -> dict[str, str]:
        return {change.line.id: change.change.value for change in compare_specs(old, new)}

    def test_each_line_is_told_by_what_happened_to_it(self) -> None:
        old = spec(
            "id: rate, characteristic: picture.frame_rate, condition: { one_of: [25, 50] }",
            "id: bits, characteristic: bitrate.average, condition: { between: [10 Mb/s, 16 Mb/s] }",
            "id: size, characteristic: picture.size, condition: { equals: 1920x1080 }",
            "id: codec, characteristic: picture.codec, condition: { equals: avc }",
            "id: scan, characteristic: picture.scan, condition: { equals: progressive }, weight: should",
            "id: gone, characteristic: picture.bit_depth, condition: { equals: 8 }",
            "id: words, characteristic: sound.sample_rate, condition: { equals: 48000 }",
        )
        new = spec(
            "id: rate, characteristic: picture.frame_rate, condition: { equals: 25 }",
            "id: bits, characteristic: bitrate.average, condition: { between: [8 Mb/s, 16 Mb/s] }",
            "id: shape, characteristic: picture.size, condition: { equals: 1280x720 }",
            "id: codec, characteristic: picture.codec, condition: { one_of: [avc] }",
            "id: scan, characteristic: picture.scan, condition: { equals: progressive }",
            "id: fresh, characteristic: sound.channels, condition: { equals: 2 }",
            "id: words, characteristic: sound.sample_rate, condition: { equals: 48000 }, why: So it is.",
        )
        self.assertEqual(
            self.changes(old, new),
            {
                "rate": "stricter", "bits": "looser", "shape": "another requirement", "codec": "the same", "scan": "stricter",
                "fresh": "added", "words": "worded anew", "gone": "removed",
            },
        )  # fmt: skip
        back = self.changes(new, old)
        self.assertEqual(
            (back["rate"], back["bits"], back["scan"], back["gone"]), ("looser", "stricter", "looser", "added")
        )

    def test_a_tighter_value_of_less_weight_is_neither(self) -> None:
        old = spec("id: rate, characteristic: picture.frame_rate, condition: { one_of: [25, 50] }")
        new = spec("id: rate, characteristic: picture.frame_rate, condition: { equals: 25 }, weight: note")
        self.assertEqual(self.changes(old, new), {"rate": "another requirement"})

    def test_every_spec_of_the_shelf_is_itself(self) -> None:
        for name, one in shelf_specs().items():
            self.assertEqual(set(self.changes(one, one).values()), {"the same"}, name)

    def test_any_two_specs_of_the_shelf_compare_and_turn_over(self) -> None:
        over = {Change.STRICTER: Change.LOOSER, Change.ADDED: Change.REMOVED}
        over |= {there: here for here, there in over.items()}
        shelf = list(shelf_specs().values())
        for old, new in pairwise(shelf):
            there, back = compare_specs(old, new), compare_specs(new, old)
            count = lambda changes, kind: sum(one.change is kind for one in changes)  # noqa: E731
            for kind in Change:
                self.assertEqual(count(there, kind), count(back, over.get(kind, kind)), (old.id, new.id, kind))
