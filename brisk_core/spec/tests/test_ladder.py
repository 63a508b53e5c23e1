import unittest
from fractions import Fraction
from typing import Any

import jsonschema

from brisk_core.errors import SpecRefused
from brisk_core.plan.settings import planned_inspection
from brisk_core.spec import Spec, parse_spec, read_schema, shelf_specs

_LINE = {"id": "rate", "characteristic": "picture.frame_rate", "condition": {"equals": 25}}


def document(**over: Any) -> dict[str, Any]:
    head = {"brisk_spec": 1, "id": "site", "name": "Site", "family": "web", "source": "a guide", "issued": "2026-03-01"}
    return {**head, "lines": [_LINE], **over}


def spec_with(*rows: dict[str, Any], copies: Any = None) -> Spec:
    ladder: dict[str, Any] = {"rows": list(rows)}
    return parse_spec(document(ladder=ladder | ({"copies": copies} if copies is not None else {})))


AVC = {"when": {"picture.codec": {"equals": "avc"}, "picture.frame_rate": {"at_most": 30}}, "outcome": "kept"}


class LadderTest(unittest.TestCase):
    def test_the_first_row_that_applies_decides(self) -> None:
        ladder = spec_with(AVC, {"otherwise": ["encoded anew", "scaled"], "why": "a  slower\nqueue"}).ladder
        assert ladder
        kept, _ = ladder.chosen(planned_inspection(picture_codec="avc", picture_frame_rate=Fraction(25)))
        other, _ = ladder.chosen(planned_inspection(picture_codec="avc", picture_frame_rate=Fraction(50)))
        assert kept
        assert other
        self.assertEqual(
            (kept.outcomes, other.outcomes, other.why), (("kept",), ("encoded anew", "scaled"), "a slower queue")
        )

    def test_what_nobody_knows_is_not_passed_over_unless_the_row_fails_by_another_fact(self) -> None:
        ladder = spec_with(AVC, {"otherwise": "refused"}).ladder
        assert ladder
        self.assertEqual(
            ladder.chosen(planned_inspection(picture_codec="avc")),
            (None, "it depends on frame rate, which is not known"),
        )
        row, _ = ladder.chosen(planned_inspection(picture_codec="hevc"))
        assert row
        self.assertEqual(row.outcomes, ("refused",))

    def test_no_row_is_no_outcome(self) -> None:
        ladder = spec_with(AVC).ladder
        assert ladder
        self.assertEqual(
            ladder.chosen(planned_inspection(picture_codec="hevc")),
            (None, "no row of the ladder speaks of such a file"),
        )

    def test_copies_are_in_the_order_of_their_lines(self) -> None:
        copies = [
            {"label": "big", "lines": 1080, "delay": "30 min"},
            {"label": "small", "lines": 360, "rate_at_most": "29.97"},
        ]
        ladder = spec_with(AVC, copies=copies).ladder
        assert ladder
        self.assertEqual(
            [(one.label, one.rate_at_most, one.delay) for one in ladder.copies],
            [("small", Fraction(30000, 1001), None), ("big", None, 1800)],
        )

    def test_a_variant_has_the_ladder_of_its_base_unless_it_has_its_own(self) -> None:
        base = spec_with(AVC)
        head = {"id": "variant", "extends": "site", "lines": []}
        self.assertIs(parse_spec(document(**head), base).ladder, base.ladder)
        own = parse_spec(document(**head, ladder={"rows": [{"otherwise": "refused"}]}), base).ladder
        assert own
        self.assertEqual(own.rungs[0].outcomes, ("refused",))
        self.assertIsNone(parse_spec(document()).ladder)

    def test_every_mistake_is_named_with_its_place(self) -> None:
        copy = {"label": "a", "lines": 360}
        for rows, copies, place in (
            ("none", None, "ladder, rows"),
            ([], None, "ladder, rows"),
            ([{"when": {}, "outcome": "kept"}], None, "ladder, row 1, when"),
            ([{"when": {"picture.codec": {"equals": "avc"}}}], None, "ladder, row 1"),
            ([{"otherwise": "kept", "when": {}}], None, "ladder, row 1"),
            ([{"otherwise": "kept"}, AVC], None, "ladder, row 1"),
            ([{"otherwise": "shrunk"}], None, "ladder, row 1"),
            ([{"otherwise": []}], None, "ladder, row 1"),
            ([{"otherwise": [["kept"]]}], None, "ladder, row 1"),
            ([{"otherwise": ["kept", "scaled"]}], None, "ladder, row 1"),
            ([{"otherwise": "kept", "why": 3}], None, "ladder, row 1"),
            ([{"when": {"picture.codek": {"equals": "avc"}}, "outcome": "kept"}], None, "ladder, row 1"),
            ([{"when": {1: {"equals": "avc"}}, "outcome": "kept"}], None, "ladder, row 1"),
            ([{"when": {"picture.codec": {"equals": "paper"}}, "outcome": "kept"}], None, 'ladder, row 1, when "picture.codec"'),
            ([AVC], [], "ladder, copies"),
            ([AVC], [{"label": "a"}], "ladder, copy 1"),
            ([AVC], [copy, copy], "ladder, copies"),
            ([AVC], [copy | {"lines": 361}], "ladder, copy 1, lines"),
            ([AVC], [copy | {"lines": True}], "ladder, copy 1, lines"),
            ([AVC], [copy | {"label": "a/b"}], "ladder, copy 1"),
            ([AVC], [copy | {"codec": "paper"}], "ladder, copy 1"),
            ([AVC], [copy | {"delay": "-1 s"}], "ladder, copy 1, delay"),
            ([AVC], [copy | {"delay": ["1 s"]}], "ladder, copy 1, delay"),
            ([AVC], [copy | {"rate_at_most": 0}], "ladder, copy 1, rate_at_most"),
            ([AVC], [copy | {"bit_rate": "many"}], "ladder, copy 1, bit_rate"),
            ([AVC], [copy | {"width": 3}], "ladder, copy 1"),
        ):  # fmt: skip
            with self.subTest(rows=rows, copies=copies), self.assertRaises(SpecRefused) as refused:
                parse_spec(document(ladder={"rows": rows} | ({"copies": copies} if copies is not None else {})))
            self.assertEqual({one.place for one in refused.exception.mistakes}, {place}, (rows, copies))
        for wrong in ([], {}, {"rungs": []}, "kept", None):
            with self.subTest(wrong), self.assertRaises(SpecRefused):
                parse_spec(document(ladder=wrong))

    def test_the_schema_takes_what_is_read(self) -> None:
        check = jsonschema.Draft202012Validator(read_schema())
        for spec in shelf_specs().values():
            check.validate(spec.document)
        self.assertGreater(sum(spec.ladder is not None for spec in shelf_specs().values()), 3)
        for wrong in (
            {"rows": []},
            {"rows": [{"otherwise": "shrunk"}]},
            {"rows": [AVC], "copies": [{"label": "a", "lines": 3}]},
        ):
            self.assertFalse(check.is_valid(document(ladder=wrong)), wrong)


class CasesTest(unittest.TestCase):
    def test_a_case_without_a_fact_is_a_mistake(self) -> None:
        """It let the whole line vanish without a word."""
        line = _LINE | {"condition": {"cases": [{"when": {}, "then": {"equals": 25}}]}}
        with self.assertRaises(SpecRefused) as refused:
            parse_spec(document(lines=[line, _LINE | {"id": "other"}]))
        self.assertEqual(refused.exception.mistakes[0].place, 'line "rate", case 1, when')
