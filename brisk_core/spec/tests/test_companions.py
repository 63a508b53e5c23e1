import unittest
from typing import Any

import jsonschema

from brisk_core.errors import SpecRefused
from brisk_core.spec import parse_spec, read_schema
from brisk_core.spec.companions import CompanionKind, CompanionWeight
from brisk_core.spec.tests.test_ladder import document


class CompanionsTest(unittest.TestCase):
    def test_each_kind_with_what_it_asks(self) -> None:
        rows = [
            {"id": "title", "kind": "text", "least": 3, "most": 70},
            {"id": "synopsis", "kind": "text", "label": "Synopsis", "least": 100, "weight": "should"},
            {"id": "tags", "kind": "tags", "most": 12, "longest": 30},
            {"id": "poster", "kind": "picture", "size": "1280×720", "formats": ["png"], "most_bytes": "2 MB"},
            {"id": "captions-en", "kind": "captions", "language": "en", "formats": ["srt", "webvtt"]},
            {"id": "rights", "kind": "paper", "why": " The  station keeps it. "},
            {"id": "no-sound", "kind": "sound", "weight": "never"},
        ]
        found = parse_spec(document(companions=rows)).companions
        self.assertEqual(
            [one.required for one in found],
            [
                "3 to 70 letters", "at least 100 letters", "at most 12 tags, each of at most 30 letters",
                "1280 × 720, png, at most 2 MB", "en, srt or webvtt", "paper", "must not come along",
            ],
        )  # fmt: skip
        self.assertEqual([one.label for one in found][:2], ["Title", "Synopsis"])
        self.assertEqual((found[4].label, found[5].why), ("Captions en", "The station keeps it."))
        self.assertEqual((found[6].kind, found[6].weight), (CompanionKind.SOUND, CompanionWeight.NEVER))
        jsonschema.Draft202012Validator(read_schema()).validate(document(companions=rows))
        self.assertEqual(parse_spec(document()).companions, ())

    def test_a_variant_changes_those_of_its_base_in_their_places(self) -> None:
        base = parse_spec(document(companions=[{"id": "title", "kind": "text"}, {"id": "tags", "kind": "tags"}]))
        own = [{"id": "poster", "kind": "picture"}, {"id": "title", "kind": "text", "most": 9}]
        made = parse_spec(document(id="variant", extends="site", lines=[], companions=own), base)
        self.assertEqual(
            [(one.id, one.most) for one in made.companions], [("title", 9), ("tags", None), ("poster", None)]
        )
        same = parse_spec(document(id="variant", extends="site", lines=[]), base)
        self.assertEqual(same.companions, base.companions)

    def test_every_mistake_is_named_with_its_place(self) -> None:
        text: dict[str, Any] = {"id": "a", "kind": "text"}
        for rows, place in (
            ([], "companions"),
            ("title", "companions"),
            (["title"], "companion 1"),
            ([{"kind": "text"}], "companion 1, id"),
            ([{"id": "A b", "kind": "text"}], "companion 1, id"),
            ([{"id": "a"}], 'companion "a", kind'),
            ([{"id": "a", "kind": ["text"]}], 'companion "a", kind'),
            ([text | {"size": "1x1"}], 'companion "a"'),
            ([text | {"weight": "note"}], 'companion "a", weight'),
            ([text | {"most": -1}], 'companion "a", most'),
            ([text | {"most": True}], 'companion "a", most'),
            ([text | {"least": 9, "most": 3}], 'companion "a"'),
            ([text | {"label": 4}], 'companion "a", label'),
            ([text, text], 'companion "a"'),
            ([{"id": "a", "kind": "picture", "size": "wide"}], 'companion "a", size'),
            ([{"id": "a", "kind": "picture", "formats": ["gif"]}], 'companion "a", formats'),
            ([{"id": "a", "kind": "picture", "formats": [["png"]]}], 'companion "a", formats'),
            ([{"id": "a", "kind": "paper", "most_bytes": "big"}], 'companion "a", most_bytes'),
        ):
            with self.subTest(rows=rows), self.assertRaises(SpecRefused) as refused:
                parse_spec(document(companions=rows))
            self.assertIn(place, {one.place for one in refused.exception.mistakes}, rows)
