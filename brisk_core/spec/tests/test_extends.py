from typing import Any
from unittest import TestCase

from jsonschema import Draft202012Validator

from brisk_core.errors import SpecRefused
from brisk_core.plan.settings import planned_inspection as planned
from brisk_core.spec import Origin, Spec, compare_specs, extended_by, judge, parse_spec, read_schema, spec_to_document


def document(id_: str, *lines: dict[str, Any], **more: Any) -> dict[str, Any]:
    top = {"brisk_spec": 1, "id": id_, "name": id_.title(), "family": "web", "source": "a test", "issued": "2026-01-01"}
    return {**top, **more, **({"lines": list(lines)} if lines else {})}


def line(id_: str, characteristic: str, value: Any) -> dict[str, Any]:
    return {"id": id_, "characteristic": characteristic, "condition": {"equals": value}}


BASE = parse_spec(
    document(
        "base",
        line("codec", "picture.codec", "avc"),
        line("rate", "picture.frame_rate", 25),
        line("depth", "picture.bit_depth", 8),
    )
)


class ExtendsTest(TestCase):
    def variant(self, *lines: dict[str, Any], base: Spec | None = BASE, **more: Any) -> Spec:
        return parse_spec(document("variant", *lines, extends="base", **more), base)

    def test_lines_are_taken_over_changed_left_out_and_added(self) -> None:
        found = self.variant(
            line("rate", "picture.frame_rate", 50), line("chroma", "picture.chroma", "4:2:0"), without=["depth"]
        )
        self.assertEqual([one.id for one in found.lines], ["codec", "rate", "chroma"])
        self.assertEqual(found.lines[1].raw_condition, {"equals": 50})
        self.assertEqual(found.origins, {"codec": Origin.BASE, "rate": Origin.CHANGED, "chroma": Origin.OWN})
        self.assertEqual(found.lineage, ("base",))
        self.assertEqual(spec_to_document(found)["extends"], "base")

    def test_it_judges_as_if_it_were_written_out(self) -> None:
        found = self.variant(line("rate", "picture.frame_rate", 50), without=["depth"])
        written = parse_spec(
            document("variant", line("codec", "picture.codec", "avc"), line("rate", "picture.frame_rate", 50))
        )
        self.assertEqual(compare_specs(written, found), compare_specs(written, written))
        facts = planned(picture_codec="avc")
        told = [
            [(one.line.id, one.outcome) for one in judge(spec, facts, integrity=False).findings]
            for spec in (found, written)
        ]
        self.assertEqual(told[0], told[1])

    def test_nothing_of_its_own_is_all_of_the_base(self) -> None:
        self.assertEqual([one.id for one in self.variant().lines], ["codec", "rate", "depth"])

    def test_a_variant_of_a_variant(self) -> None:
        middle = parse_spec(document("middle", line("rate", "picture.frame_rate", 50), extends="base"), BASE)
        last = parse_spec(document("last", extends="middle", without=["codec"]), middle)
        self.assertEqual([one.id for one in last.lines], ["rate", "depth"])
        self.assertEqual(last.lineage, ("middle", "base"))

    def test_mistakes(self) -> None:
        for wrong, base, says in (
            (document("variant", extends="base"), None, "which is not at hand"),
            (document("variant", extends="other"), BASE, "which is not at hand"),
            (document("base", extends="base"), BASE, "extends 'base' itself"),
            (document("variant", extends="base", without=["gone"]), BASE, "base has no such line"),
            (
                document("variant", line("rate", "picture.frame_rate", 50), extends="base", without=["rate"]),
                BASE,
                "which is changed as well",
            ),
            (document("variant", extends="base", without="rate"), BASE, "expected a list of ids"),
            (
                document("variant", extends="base", without=["codec", "rate", "depth"]),
                BASE,
                "every line of base left out",
            ),
            (
                document("variant", line("rate", "picture.frame_rate", 50), without=["rate"]),
                None,
                "expected extends beside it",
            ),
        ):
            with self.assertRaisesRegex(SpecRefused, says):
                parse_spec(wrong, base)

    def test_no_more_lines_than_a_spec_can_have_with_those_of_its_base(self) -> None:
        own = [line(f"l{number}", "picture.bit_depth", 8) for number in range(498)]
        self.assertEqual(len(self.variant(*own[:497]).lines), 500)
        with self.assertRaisesRegex(SpecRefused, "lines: met 501 lines with those of base; expected at most 500"):
            self.variant(*own)

    def test_without_words_of_the_house_a_spec_stays_itself(self) -> None:
        self.assertIs(BASE.in_words_of({}), BASE)

    def test_going_round_is_refused(self) -> None:
        round_ = parse_spec(document("variant", line("codec", "picture.codec", "avc")))
        middle = parse_spec(document("middle", extends="variant"), round_)
        with self.assertRaisesRegex(SpecRefused, "extends 'variant' itself"):
            parse_spec(document("variant", extends="middle"), middle)

    def test_what_a_text_extends(self) -> None:
        self.assertEqual(extended_by("extends: base"), "base")
        for text in ("a: [", "extends: [1]", "id: x"):
            self.assertIsNone(extended_by(text))

    def test_the_schema_knows_it(self) -> None:
        schema = Draft202012Validator(read_schema())
        self.assertTrue(schema.is_valid(document("variant", extends="base", without=["rate"])))
        self.assertFalse(schema.is_valid(document("variant")))
        self.assertFalse(schema.is_valid(document("variant", line("rate", "picture.frame_rate", 50), without=["rate"])))
