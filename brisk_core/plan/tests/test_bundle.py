import json
import unittest

from brisk_core.errors import PlanRefused
from brisk_core.plan.bundle import bundle_to_document, read_bundle, shipped_bundles
from brisk_core.spec import shelf_specs

_ROW = {"name": "Wide", "spec": "pebbleview-wide"}


class BundleTest(unittest.TestCase):
    def refused(self, document: object, place: str) -> None:
        with self.assertRaises(PlanRefused) as refused:
            read_bundle(document if isinstance(document, str) else json.dumps(document))
        self.assertIn(place, {one.place for one in refused.exception.mistakes}, document)

    def test_a_bundle_is_read_and_written(self) -> None:
        row = _ROW | {
            "naming_rule": "OLP_*_V##.mp4",
            "due_in": "4979 s",
            "range": "10:00:00:00-10:00:08:00",
            "language": "EN",
            "two_sign": True,
        }
        found = read_bundle(
            json.dumps({"bundle": 1, "name": "Both", "deliverables": [row, _ROW | {"name": "Tall", "due_in": "3 d"}]})
        )
        self.assertEqual((found.name, found.ordered[0].due_in, found.ordered[1].due_in), ("Both", 4979, 259_200))
        self.assertEqual(read_bundle(json.dumps(bundle_to_document(found.name, found.ordered))), found)

    def test_what_is_shipped_orders_specs_of_the_shelf(self) -> None:
        specs = shelf_specs()
        self.assertGreaterEqual(len(shipped_bundles()), 2)
        for text in shipped_bundles().values():
            self.assertLessEqual({one.spec for one in read_bundle(text).ordered}, set(specs))

    def test_every_mistake_is_named_with_its_place(self) -> None:
        head = {"bundle": 1, "name": "Both"}
        for rows, place in (
            ([], "deliverables"), ("all", "deliverables"), (["Wide"], "deliverable 1"), ([{"name": "Wide"}], "deliverable 1, spec"),
            ([_ROW | {"size": 1}], "deliverable 1"), ([_ROW | {"due_in": "soon"}], "deliverable 1, due_in"),
            ([_ROW | {"due_in": "-1 d"}], "deliverable 1, due_in"), ([_ROW | {"due_in": "9999 d"}], "deliverable 1, due_in"),
            ([_ROW | {"two_sign": "maybe"}], "deliverable 1, two_sign"), ([_ROW, _ROW], "deliverables"),
            ([_ROW | {"name": "x" * 201}], "deliverable 1, name"), ([_ROW | {"naming_rule": "a/b"}], "deliverable 1, naming_rule"),
            ([_ROW | {"language": ["EN"]}], "deliverable 1, language"),
        ):  # fmt: skip
            self.refused(head | {"deliverables": rows}, place)
        self.refused({"bundle": 2, "name": "x", "deliverables": [_ROW]}, "bundle")
        self.refused({"bundle": 1, "deliverables": [_ROW]}, "name")
        self.refused("[1, 2]", "spec")
