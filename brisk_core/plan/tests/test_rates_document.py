from unittest import TestCase

from brisk_core.errors import PlanRefused
from brisk_core.plan.rates_document import RATES_SCHEMA, USUAL_TARGETS, plan_rates

FILM = {"rate": 24, "length": "1:00:00", "name": "Film"}


class RatesDocumentTest(TestCase):
    def test_targets_are_told_in_order(self) -> None:
        found = plan_rates(
            {"sources": [FILM, {"rate": "25", "length": "9000 frames"}], "targets": ["25", "29.97i", 24]}
        )
        self.assertEqual(found["schema"], RATES_SCHEMA)
        self.assertEqual([one["words"] for one in found["targets"]], ["24", "25", "29.97 interlaced"])
        first = found["targets"][0]
        self.assertEqual((first["rate"], first["interlaced"], first["harm"]), ("24", False, 360.0))
        self.assertEqual(first["sources"][0]["words"], "Film, 24, 1:00:00")
        self.assertEqual((first["sources"][1]["seconds"], first["sources"][1]["manner"]), (360.0, "speed"))

    def test_the_usual_targets_stand_in(self) -> None:
        found = plan_rates({"sources": [FILM]})
        self.assertEqual(len(found["targets"]), len(USUAL_TARGETS))
        self.assertEqual((found["targets"][0]["words"], found["targets"][0]["harm"]), ("24", 0.0))

    def test_every_mistake_is_named(self) -> None:
        asked = {
            "sources": [
                {"rate": "fast", "length": "1 s"},
                {"rate": 25, "length": "long"},
                5,
                {"rate": 25, "length": 0},
            ],
            "targets": ["x", "i", ""],
        }
        with self.assertRaises(PlanRefused) as met:
            plan_rates(asked)
        places = [one.place for one in met.exception.mistakes]
        self.assertEqual(
            places,
            ["source 1, rate", "source 2, length", "source 3", "source 4, length", "targets", "targets", "targets"],
        )
        with self.assertRaisesRegex(PlanRefused, "met 25; expected a list of rates"):
            plan_rates({"sources": [FILM], "targets": 25})
        for none in ({}, {"sources": []}, {"sources": "24"}):
            with self.assertRaisesRegex(PlanRefused, "a list of 1 to"):
                plan_rates(none)
