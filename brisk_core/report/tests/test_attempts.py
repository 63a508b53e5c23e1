from typing import Any
from unittest import TestCase

import numpy as np

from brisk_core.report.attempts import AttemptsTold, JudgedLine, tell_attempts
from brisk_core.scan import ScanSeries
from brisk_core.scan.series import PICTURE_ROW

SHOTS, LONG = 16, 40


def rows(**changes: dict[str, Any]) -> list[dict[str, Any]]:
    """Shots of forty frames, all in place but those that are changed by number."""
    return [
        {
            "number": at + 1,
            "name": "",
            "start": at * LONG,
            "end": (at + 1) * LONG,
            "file_start": at * LONG,
            "file_end": (at + 1) * LONG,
            "state": "in place",
            "says": "in place",
            "alone": 0,
            "outside": False,
        }
        | changes.get(f"shot{at + 1}", {})
        for at in range(SHOTS)
    ]


def document(shots: list[dict[str, Any]], likes: dict[int, float] | None = None, sound: bool = True) -> dict[str, Any]:
    return {
        "frames": [SHOTS * LONG] * 2,
        "shot_similarity": [(likes or {}).get(row["number"], 0.99) for row in shots],
        "held": {
            "master.map": {"document": {"shots": shots}},
            "master.sound": {"right": sound, "found": "in step" if sound else "the sound is 40 ms late"},
        },
    }


def scan(lift: dict[int, float] | None = None) -> ScanSeries:
    chance = np.random.default_rng(3)
    pictures = np.zeros(SHOTS * LONG, PICTURE_ROW)
    pictures["waves"] = chance.integers(-4000, 4000, (SHOTS * LONG, 11))
    for number, values in (lift or {}).items():
        pictures["waves"][(number - 1) * LONG : number * LONG, 0] += round(values * 128)
    return ScanSeries(pictures=pictures)


def line(id_: str, outcome: str, *spans: tuple[int, int], group: str = "Scan, cadence", label: str = "") -> JudgedLine:
    return JudgedLine(
        id=id_, label=label or id_.replace("-", " ").capitalize(), group=group, outcome=outcome, spans=spans
    )


ORDER = line("field-order", "fail", (80, 120), (160, 200))
MENDED = line("field-order", "pass")


class AttemptsTest(TestCase):
    def told(
        self,
        earlier: list[JudgedLine],
        later: list[JudgedLine],
        found: dict[str, Any] | None = None,
        scans: tuple[ScanSeries, ScanSeries] | None = None,
        *,
        earlier_is_master: bool = True,
    ) -> AttemptsTold:
        found = found or document(rows())
        return tell_attempts(3, earlier, later, found, scans or (scan(), scan()), earlier_is_master=earlier_is_master)

    def test_asked_shots_changed_others_identical_and_one_unasked(self) -> None:
        found = document(rows(shot3={"alone": 40}, shot5={"alone": 40}))
        told = self.told([ORDER], [MENDED], found, (scan({9: 4.0}), scan()))
        self.assertEqual(
            told.sentence,
            "Attempt 3 mends field order in shots 3 and 5; 13 other shots are identical; "
            "shot 9 changed although nobody asked: its light or its picture differs by 4.0 code values.",
        )
        self.assertFalse(told.right)
        self.assertEqual([one.number for one in told.shots if one.asked], [3, 5])

    def test_a_shot_that_was_sped_is_told_by_its_speed(self) -> None:
        found = document(rows(shot9={"state": "sped", "says": "runs at 200 % of its speed"}))
        told = self.told([ORDER], [MENDED], found)
        self.assertIn("shot 9 changed although nobody asked: runs at 200 % of its speed", told.sentence)

    def test_right_when_only_what_was_asked_changed(self) -> None:
        told = self.told([ORDER], [MENDED], document(rows(shot3={"alone": 12}, shot5={"alone": 12})))
        self.assertTrue(told.right)
        self.assertEqual(told.sentence, "Attempt 3 mends field order in shots 3 and 5; 14 other shots are identical.")

    def test_a_fault_of_the_whole_file_asks_for_every_shot(self) -> None:
        whole = line("levels", "fail", group="Levels")
        told = self.told([whole], [line("levels", "pass")], scans=(scan(dict.fromkeys(range(1, 17), 5.0)), scan()))
        self.assertTrue(told.right)
        self.assertEqual(told.sentence, "Attempt 3 mends levels.")
        rate = line("bit-rate", "fail", group="Bit rate")
        told = self.told([rate], [line("bit-rate", "pass")], scans=(scan({9: 4.0}), scan()))
        self.assertFalse(told.right)
        self.assertIn("mends bit rate; 15 shots are identical; shot 9 changed", told.sentence)

    def test_what_is_not_mended_and_what_broke(self) -> None:
        told = self.told([ORDER, line("name", "pass")], [ORDER, line("name", "fail")])
        self.assertEqual((told.still, told.broken, told.right), (("Field order",), ("Name",), False))
        self.assertEqual(
            told.sentence,
            "Attempt 3 mends nothing that was asked; field order is not mended; name passed before and no longer; "
            "all 16 shots are identical.",
        )

    def test_missing_and_moved_shots_and_other_sound(self) -> None:
        changes = {"shot4": {"state": "missing", "file_start": None, "file_end": None}}
        changes["shot5"] = {"state": "early", "says": "1 s 15 f early"}
        told = self.told([], [], document(rows(**changes), sound=False))
        self.assertIn("Nothing was asked of attempt 3; 15 shots are identical", told.sentence)
        self.assertIn("shot 4 changed although nobody asked: is missing", told.sentence)
        self.assertIn("the sound changed although nobody asked: the sound is 40 ms late", told.sentence)

    def test_a_change_of_everything_is_said_once(self) -> None:
        told = self.told([ORDER], [MENDED], scans=(scan(dict.fromkeys(range(1, 17), 2.0)), scan()))
        self.assertEqual(told.sentence.count("although nobody asked"), 6)  # all but the two that were asked to change
        self.assertIn("and 8 more shots changed unasked", told.sentence)
        told = self.told([], [], scans=(scan(dict.fromkeys(range(1, 17), 2.0)), scan()))
        self.assertIn("all 16 shots changed although nobody asked, the first: its light", told.sentence)

    def test_low_likeness_and_the_later_attempt_as_master(self) -> None:
        told = self.told([ORDER], [MENDED], document(rows(), {9: 0.7}), earlier_is_master=False)
        self.assertIn("shot 9 changed although nobody asked: its pictures are alike by 0.70 only", told.sentence)
        self.assertIn("mends field order in shots 3 and 5", told.sentence)
