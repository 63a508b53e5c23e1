import copy
import json
import random
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from unittest import TestCase

import jsonschema
import yaml
from hypothesis import given
from hypothesis import strategies as st

from brisk_core.errors import SpecRefused, ValueRefused
from brisk_core.spec import FAMILIES, NamePattern, parse_spec, read_schema, shelf_specs, shelf_texts, spec_to_document
from brisk_core.spec.patterns import LONGEST

GOOD = """
brisk_spec: 1
id: small
name: Small spec
family: web
source: Made up for a test
issued: 2026-03-02
lines:
  - { id: rate, characteristic: picture.frame_rate, condition: { equals: 25 } }
"""

FIVE_MISTAKES = """
brisk_spec: 1
id: Small Spec
name: Small spec
family: cinema
source: Made up for a test
issued: 2026-03-02
lines:
  - { id: rate, characteristic: picture.framerate, condition: { equals: 25 } }
  - { id: bitrate, characteristic: bitrate.average, condition: { between: ["55 Mb/s", "45 Mb/s"] } }
  - { id: codec, characteristic: picture.codec, condition: { equals: h264 }, weight: perhaps }
"""


def mistakes(text: str) -> list[str]:
    try:
        parse_spec(text)
    except SpecRefused as error:
        return [str(mistake) for mistake in error.mistakes]
    raise AssertionError("the document was accepted")


def line(condition: str, characteristic: str = "picture.frame_rate", more: str = "") -> str:
    return GOOD.replace(
        "{ id: rate, characteristic: picture.frame_rate, condition: { equals: 25 } }",
        f"{{ id: rate, characteristic: {characteristic}, condition: {condition}{more} }}",
    )


class MistakeTest(TestCase):
    def test_a_document_with_mistakes_reports_all_of_them_with_place_and_expectation(self) -> None:
        self.assertEqual(
            mistakes(FIVE_MISTAKES),
            [
                "id: met 'Small Spec'; expected small letters, digits and hyphens, such as frame-rate",
                "family: met 'cinema'; expected one of web, disc, broadcast, playout, archive, player",
                "line \"rate\": met characteristic 'picture.framerate'; "
                "expected picture.frame_rate or picture.b_frames or picture.frame_count",
                "line \"bitrate\": \"between\": needs two values, lowest first; got ['55 Mb/s', '45 Mb/s']",
                'line "codec": "equals": met \'h264\'; expected one of avc, hevc, mpeg2, mpeg1, mpeg4, prores, vc3, ffv1, '
                "jpeg2000, mjpeg, raw, v210, vp8, vp9, av1, dv, other",
                "line \"codec\": met weight 'perhaps'; expected must, should or note",
            ],
        )

    def test_conditions_that_make_no_sense(self) -> None:
        for text, says in (
            (line("{ equals: 25, at_most: 30 }"), "met 2 keys (equals, at_most) as a condition"),
            (line("{ like: 25 }"), "met condition 'like'; expected one of equals, one_of, between"),
            (line("{ at_least: High }", "picture.profile"), "profile has no order of size"),
            (line("{ matches: '*' }"), "works on texts only; picture.frame_rate is a rate"),
            (line("{ equals: 3 }", "content.black"), "black cannot be compared with a value"),
            (line("{ near: { value: 25 } }"), "needs a value and a tolerance"),
            (line("{ present: 1 }"), "needs true; got 1"),
            (line("{ same_as_timeline: true }", "picture.chroma"), "a timeline has no chroma"),
            (line("{ one_of: [] }"), "needs a list with at least one value"),
            (line("{ cases: [{ when: { picture.size: { equals: x } }, then: { equals: 25 } }] }"), "met 'x' as a size"),
            (line("{ equals: 25 }", more=", witness: heard"), "met witness 'heard'"),
            (line("{ equals: x }", "file.name", ", witness: coded"), "file.name has no coded witness"),
            (line("{ equals: 25 }", more=", colour: red"), "met 'colour'; expected one of characteristic, condition"),
        ):
            self.assertIn(says, "; ".join(mistakes(text)))

    def test_shapes_of_conditions_that_are_nearly_right(self) -> None:
        for text, says in (
            (line("{ between: { least: 24, most: 25 } }"), "needs two values, lowest first"),
            (line("{ between: [24, 25, 30] }"), "needs two values, lowest first"),
            (line("{ between: [24] }"), "needs two values, lowest first"),
            (line("{ near: { value: 25, tolerance: -1 } }"), "met '-1' as a frame rate"),
            (line("{ near: [25, 1] }"), "needs a value and a tolerance"),
            (line("{ near: { value: -23, tolerance: -1 } }", "sound.loudness"), "needs a tolerance of at least 0"),
            (line("{ table: [1] }"), "needs columns and rows"),
            (
                line("{ table: { columns: [picture.frame_rate, picture.size], rows: [], more: 1 } }"),
                "needs columns and rows",
            ),
            (line("{ table: { columns: [picture.frame_rate, picture.size], rows: [] } }"), "needs at least one row"),
            (
                line("{ table: { columns: [picture.frame_rate, picture.frame_rate], rows: [[25, 25]] } }"),
                "two different columns",
            ),
            (
                line("{ table: { columns: [picture.size, picture.scan], rows: [[25, 25]] } }"),
                "one of them picture.frame_rate",
            ),
            (line("{ same_as_timeline: false }", "edit.length"), "needs true"),
            (line("{ same_as_timeline: { tolerance: -1 } }", "edit.length"), "needs a tolerance in whole frames"),
            (line("{ same_as_timeline: { tolerance: true } }", "edit.length"), "needs a tolerance in whole frames"),
            (line("{ same_as_timeline: { tolerance: 1, more: 2 } }", "edit.length"), "needs true"),
            (line("{ same_as_master: true }"), "works on what a master answers only"),
            (line("{ cases: [] }"), "needs a list of cases"),
            (line("{ cases: [{ otherwise: { cases: [{ otherwise: { equals: 25 } }] } }] }"), "met cases inside cases"),
            (line("{ cases: [{ when: {}, then: { equals: 25 }, more: 1 }] }"), "expected when"),
            (
                line("{ cases: [{ when: { picture.nothing: { equals: 1 } }, then: { equals: 25 } }] }"),
                "met characteristic",
            ),
            (line("{ fits_buffer: { rate: 1 Mb/s, size: 0 } }", "bitrate.buffer"), "needs a rate and a size above 0"),
            (line("{ fits_buffer: { rate: 0, size: 1 Mb } }", "bitrate.buffer"), "needs a rate and a size above 0"),
            (line("{ fits_buffer: { rate: 1 Mb/s, size: 1 Mb } }"), "works on bitrate.buffer only"),
            (line("{ witnesses_agree: true }", "file.size"), "needs a characteristic with several witnesses"),
            (line("{ at_least: .inf }", "sound.loudness"), "expected a number"),
            (line("{ equals: 1000000000000000001 }", "file.name"), "expected a text"),
        ):
            self.assertIn(says, "; ".join(mistakes(text)), text)
        self.assertTrue(parse_spec(line("{ between: [25, 25] }")).lines)
        self.assertEqual(parse_spec(line("{ equals: 12 }", "file.name")).lines[0].condition.required(), "12")
        parse_spec(line("{ at_most: 1000000000000000000 }", "sound.loudness"))

    def test_as_many_lines_as_are_allowed_and_one_more(self) -> None:
        def of(count: int) -> str:
            rows = "".join(
                f"  - {{ id: l{number}, characteristic: picture.frame_rate, condition: {{ equals: 25 }} }}\n"
                for number in range(count)
            )
            return GOOD[: GOOD.index("  - ")] + rows

        self.assertEqual(len(parse_spec(of(500)).lines), 500)
        self.assertEqual(mistakes(of(501)), ["lines: met 501 lines; expected at most 500"])
        self.assertEqual(
            mistakes(GOOD[: GOOD.index("  - ")] + "  - 7\n"),
            ["line 1: met 7; expected a mapping with id, characteristic and condition"],
        )

    def test_hostile_and_broken_text(self) -> None:
        for text, says in (
            ("a: [", "expected YAML or JSON"),
            ("just words", "met a str; expected a mapping"),
            ("a: &x 1\nb: *x\n", "met a YAML alias"),
            (GOOD + "id: twice\n", "met 'id' twice"),
            ("!!python/object/apply:os.system ['true']", "expected YAML or JSON"),
            ("[" * 5000, "expected YAML or JSON"),
            ("x" * 2_000_000, "expected at most 262144"),
        ):
            self.assertIn(says, "; ".join(mistakes(text)))

    def test_dates(self) -> None:
        self.assertIn("issued: met 'soon'", mistakes(GOOD.replace("2026-03-02", "soon"))[0])
        late = GOOD.replace("lines:", "review_by: 2025-01-01\nlines:")
        self.assertIn("before issued", mistakes(late)[0])


class ReadingTest(TestCase):
    def test_ratios_and_timecodes_are_texts_not_numbers_in_base_sixty(self) -> None:
        spec = parse_spec(line("{ equals: 16:9 }", "picture.display_aspect"))
        self.assertEqual(spec.lines[0].condition.required(), "16:9")
        spec = parse_spec(line("{ equals: 10:00:00:00 }", "wrapper.start_timecode"))
        self.assertEqual(spec.lines[0].condition.required(), "10:00:00:00")

    def test_json_is_read_as_well_and_the_document_gives_the_spec_again(self) -> None:
        for text in shelf_texts().values():
            spec = parse_spec(text)
            again = parse_spec(json.dumps(spec_to_document(spec)))
            self.assertEqual([one.id for one in again.lines], [one.id for one in spec.lines])
            self.assertEqual(again.document, spec.document)

    def test_the_shelf(self) -> None:
        specs = shelf_specs()
        self.assertGreaterEqual(len(specs), 20)
        self.assertEqual({spec.family for spec in specs.values()}, set(FAMILIES))
        for spec in specs.values():
            for one in spec.lines:
                with self.subTest(spec.id, line=one.id):
                    self.assertTrue(one.why_told)
                    self.assertNotIn("{", one.remedy_told)

    def test_the_stored_example_of_version_1_is_still_read(self) -> None:
        text = (Path(__file__).parent / "brisk_spec_1_example.yaml").read_text(encoding="utf-8")
        self.assertEqual(len(parse_spec(text).lines), 17)


class SchemaTest(TestCase):
    def accepts(self, text: str) -> bool:
        validator = jsonschema.Draft202012Validator(read_schema())
        document = json.loads(json.dumps(yaml.safe_load(text), default=str))
        return bool(validator.is_valid(document))

    def test_the_published_schema_is_a_schema_and_takes_the_shelf(self) -> None:
        jsonschema.Draft202012Validator.check_schema(read_schema())
        validator = jsonschema.Draft202012Validator(read_schema())
        for text in (*shelf_texts().values(), GOOD):
            validator.validate(dict(parse_spec(text).document))

    def test_it_refuses_what_the_reader_refuses_by_shape(self) -> None:
        for text in (line("{ like: 25 }"), line("{ equals: 25, at_most: 30 }"), GOOD.replace("web", "cinema")):
            self.assertFalse(self.accepts(text))
            self.assertTrue(mistakes(text))


class NamePatternTest(TestCase):
    def test_digits_characters_and_stars(self) -> None:
        pattern = NamePattern("OLP_*_V##.mp4")
        self.assertTrue(pattern.matches("OLP_CANAL_PEBBLE_V02.mp4"))
        for name in ("OLP_CANAL_V2.mp4", "olp_canal_v02.mp4", "OLP_CANAL_V02.mp4.part", "x OLP_CANAL_V02.mp4"):
            self.assertFalse(pattern.matches(name), name)
        self.assertTrue(NamePattern("a?c*").matches("abc"))

    def test_attempts(self) -> None:
        pattern = NamePattern("CANAL_V##.mxf")
        self.assertEqual(pattern.name_for(3), "CANAL_V03.mxf")
        self.assertEqual(NamePattern("V##_R#.mxf").name_for(4), "V04_R#.mxf")
        self.assertEqual(pattern.attempt_in("CANAL_V12.mxf"), 12)
        self.assertIsNone(pattern.attempt_in("CANAL_V1.mxf"))
        self.assertIsNone(NamePattern("CANAL.mxf").attempt_in("CANAL.mxf"))

    def test_a_star_before_the_number_leaves_no_place_to_read_it_at(self) -> None:
        for rule, name in (("OLP_*_V##.mp4", "OLP_A_V02.mp4"), ("*##.mp4", "A12.mp4"), ("*_V#*.mxf", "A_V3_b.mxf")):
            self.assertTrue(NamePattern(rule).matches(name), rule)
            self.assertIsNone(NamePattern(rule).attempt_in(name), rule)
        self.assertEqual(NamePattern("OLP_V##*.mp4").attempt_in("OLP_V02_final.mp4"), 2)

    def test_refusals(self) -> None:
        self.assertTrue(NamePattern("x" * LONGEST).matches("x" * LONGEST))
        self.assertEqual(LONGEST, 255)  # bytes that a name has on most file systems
        for text in ("", "a/b", "a\0b", "x" * (LONGEST + 1)):
            with self.assertRaises(ValueRefused):
                NamePattern(text)

    @given(st.integers(0, 99))
    def test_a_built_name_is_recognised_with_its_attempt(self, attempt: int) -> None:
        pattern = NamePattern("OLP_V##.mp4")
        self.assertEqual(pattern.attempt_in(pattern.name_for(attempt)), attempt)

    def test_many_stars_take_no_time(self) -> None:
        self.assertFalse(NamePattern("*a" * 100 + "b").matches("a" * 250))


#: What no place of a spec expects, or nearly none.
HOSTILE: tuple[Any, ...] = (
    None, [], {}, [[]], [{}], {"a": []}, "", 0, -1, True, 1.5, "x", "\x00", [1, [2]], {"equals": [[1]]}, [["a"]], 10**30,
    10**400, float("nan"), float("inf"), "1/0", "0:0", ["a", ["b"]], {1: 2}, {"columns": [[], {}], "rows": [[]]},
)  # fmt: skip


def places(node: Any, before: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Every place in a document but its root."""
    for key, inner in node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ():
        yield (*before, key)
        yield from places(inner, (*before, key))


class HostileTest(TestCase):
    def test_whatever_stands_at_any_place_is_read_or_refused(self) -> None:
        documents = [spec_to_document(spec) for spec in shelf_specs().values()]
        choose = random.Random(11)
        refused = 0
        for _ in range(1200):
            document = copy.deepcopy(choose.choice(documents))
            document["lines"] = choose.sample(document["lines"], min(3, len(document["lines"])))
            *before, last = choose.choice(list(places(document)))
            node: Any = document
            for key in before:
                node = node[key]
            node[last] = copy.deepcopy(choose.choice(HOSTILE))
            try:
                parse_spec(document)
            except SpecRefused as error:
                self.assertTrue(error.mistakes)
                refused += 1
        self.assertGreater(refused, 900)

    def test_a_moment_is_no_day(self) -> None:
        with self.assertRaisesRegex(SpecRefused, "expected a day such as 2026-03-01"):
            parse_spec(GOOD.replace("issued: 2026-03-02", "issued: 2026-03-02 10:00:00"))

    def test_columns_that_are_no_texts(self) -> None:
        for columns in ([[], {}], [["picture.size"], "picture.size"], [{"a": 1}, "picture.size"]):
            document = spec_to_document(parse_spec(GOOD))
            table = {"table": {"columns": columns, "rows": [[1, 2]]}}
            document["lines"] = [{"id": "a", "characteristic": "picture.size", "condition": table}]
            with self.assertRaises(SpecRefused):
                parse_spec(document)

    def test_keys_and_tags_that_are_no_texts(self) -> None:
        for text, says in (
            ("? [a, b]\n: 1\n", "line 1, column 3: met a list or a mapping as a key; expected a text"),
            ("a: {? {b: 1} : 2}\n", "met a list or a mapping as a key; expected a text"),
            ("a: !!timestamp x", "expected YAML or JSON"),
            ("a: !!python/object:os.system x", "expected YAML or JSON"),
        ):
            with self.assertRaises(SpecRefused) as met:
                parse_spec(text)
            self.assertIn(says, str(met.exception))
