import json
import tempfile
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any
from unittest import TestCase

from brisk_core.edit import (
    EditHints,
    FrameRange,
    Timeline,
    agree,
    carried_over,
    import_edit,
    parse_range,
    timeline_from_json,
    timeline_to_json,
)
from brisk_core.errors import EditRefused, RangeRefused, ValueRefused
from brisk_core.exact import Timecode
from brisk_core.facts import Depth, FactsBuilder, Inspection, keys
from brisk_core.samples.timelines import write_tall, write_wide

EDL = """TITLE: CANAL
FCM: NON-DROP FRAME

001  AX       V     C        01:00:00:00 01:00:04:00 10:00:00:00 10:00:04:00
* FROM CLIP NAME: LOCK AT DAWN
002  BL       V     C        00:00:00:00 00:00:01:00 10:00:04:00 10:00:05:00
003  AX       V     C        02:00:00:00 02:00:04:00 10:00:05:00 10:00:09:00
* FROM CLIP NAME: KEYS
"""


class EditTest(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def imported(self, text: str, **hints: Any) -> Timeline:
        path = self.folder / "edit"
        path.write_text(text, encoding="utf-8")
        return import_edit(path, name="canal.edl", hints=EditHints.from_json(hints))

    def refused(self, text: str, **hints: Any) -> str:
        with self.assertRaises(EditRefused) as caught:
            self.imported(text, **hints)
        return str(caught.exception)


class EdlTest(EditTest):
    def test_start_length_events_and_black(self) -> None:
        timeline = self.imported(EDL, rate="25")
        self.assertEqual((str(timeline.start), timeline.length, timeline.rate), ("10:00:00:00", 225, Fraction(25)))
        events = timeline.picture_lanes[0].events
        self.assertEqual(
            [(event.kind, event.start, event.end) for event in events],
            [("clip", 0, 100), ("gap", 100, 125), ("clip", 125, 225)],
        )
        self.assertEqual(events[0].name, "LOCK AT DAWN")
        self.assertEqual(timeline.cuts, (100, 125))

    def test_the_rate_is_asked_for_or_assumed_and_never_stated_by_an_edl(self) -> None:
        self.assertIn("give the rate when importing", self.refused(EDL))
        assumed = self.imported(EDL, assumed_rate="25")
        self.assertFalse(assumed.rate_stated)
        self.assertEqual(assumed.length, 225)

    def test_an_assumed_rate_that_cannot_hold_the_labels_is_not_used(self) -> None:
        timeline = self.imported(
            EDL.replace("10:00:09:00", "10:00:09:29").replace("02:00:04:00", "02:00:04:29"), assumed_rate="25"
        )
        self.assertEqual(timeline.rate, Fraction(30))

    def test_drop_frame_means_30_over_1_001(self) -> None:
        text = EDL.replace("NON-DROP FRAME", "DROP FRAME").replace(":00 ", ";00 ").replace(":00\n", ";00\n")
        timeline = self.imported(text)
        self.assertEqual(timeline.rate, Fraction(30000, 1001))
        self.assertTrue(timeline.rate_stated)
        self.assertEqual(str(timeline.start), "10:00:00;00")

    def test_broken_timecodes_are_named_by_line(self) -> None:
        broken = EDL.replace("10:00:04:00 10:00:05:00", "10:00:64:00 10:00:05:00").replace("02:00:00:00", "02:00:00:77")
        self.assertEqual(
            self.refused(broken, rate="25"),
            "line 6: met '10:00:64:00' as a timecode at 25: 64 seconds; expected 0 to 59; "
            "line 7: met '02:00:00:77' as a timecode at 25: 77 frames; expected 0 to 24",
        )
        missing = EDL.replace("10:00:05:00 10:00:09:00", "10:00:05:00")
        self.assertIn("line 7: met '003  AX", self.refused(missing, rate="25"))
        backward = EDL.replace("10:00:04:00 10:00:05:00", "10:00:05:00 10:00:04:00")
        self.assertIn(
            "the record out 10:00:04:00 lies before the record in 10:00:05:00", self.refused(backward, rate="25")
        )

    def test_no_events_and_no_edit(self) -> None:
        self.assertIn("the EDL has no events", self.refused("TITLE: NOTHING\n", rate="25"))
        self.assertIn(
            "expected an OTIO document (JSON), an OTIO bundle, an AAF file or an EDL", self.refused("Dear editor,")
        )
        self.assertIn("the edit is empty; expected an OTIO document", self.refused(""))

    def test_the_tall_sample(self) -> None:
        write_tall(self.folder / "tall.edl")
        timeline = import_edit(self.folder / "tall.edl", hints=EditHints.from_json({"rate": 30}))
        self.assertEqual((timeline.length, len(timeline.picture_lanes[0].events)), (240, 8))


class OtioTest(EditTest):
    def document(self) -> dict[str, Any]:
        write_wide(self.folder / "wide.otio")
        document: dict[str, Any] = json.loads((self.folder / "wide.otio").read_text())
        return document

    def test_metadata_says_what_the_format_cannot(self) -> None:
        timeline = self.imported(json.dumps(self.document()))
        self.assertEqual((timeline.size, timeline.scan, timeline.pixel_aspect), ((1920, 1080), "interlaced", 1))
        self.assertEqual((str(timeline.start), timeline.length, timeline.sample_rate), ("10:00:00:00", 200, 48000))
        self.assertEqual([lane.kind for lane in timeline.lanes], ["picture", "sound"])
        self.assertEqual(timeline.marks[0].start, 50)
        self.assertEqual(timeline_from_json(timeline_to_json(timeline)), timeline)

    def test_a_person_wins_over_the_file(self) -> None:
        timeline = self.imported(json.dumps(self.document()), size="1280×720", start="00:59:50:00")
        self.assertEqual((timeline.size, str(timeline.start)), ((1280, 720), "00:59:50:00"))

    def test_no_tracks(self) -> None:
        document = self.document()
        document["tracks"]["children"] = []
        self.assertEqual(
            self.refused(json.dumps(document)),
            "the OTIO document states no rate anywhere; give the rate when importing"
            if document["global_start_time"] is None
            else "the timeline has no tracks; expected at least one picture track",
        )

    def test_abbreviated_rates_are_exact(self) -> None:
        text = json.dumps(self.document()).replace('"rate": 25.0', '"rate": 29.97')
        self.assertEqual(self.imported(text).rate, Fraction(30000, 1001))

    def test_senseless_documents(self) -> None:
        self.assertIn("the OTIO document cannot be read", self.refused('{"OTIO_SCHEMA": "Timeline.1", "tracks": 7}'))
        self.assertIn("cannot be read", self.refused("{" * 50))
        self.assertIn("holds a Clip; expected one Timeline", self.refused('{"OTIO_SCHEMA": "Clip.1", "name": "x"}'))
        bad = json.dumps(self.document()).replace('"value": 30.0', '"value": -30.0')
        self.assertIn("has a length of -30 frames; expected at least 0", self.refused(bad))

    def test_wrong_hints_are_named(self) -> None:
        with self.assertRaisesRegex(ValueRefused, "met 'sideways' as the scan of a timeline"):
            EditHints.from_json({"scan": "sideways"})
        with self.assertRaisesRegex(ValueRefused, "met 'colour' beside an edit; expected one of rate"):
            EditHints.from_json({"colour": "red"})


class RangeTest(EditTest):
    def test_timecodes_and_frames(self) -> None:
        timeline = self.imported(EDL, rate="25")
        self.assertEqual(parse_range("10:00:01:00-10:00:03:00", timeline), FrameRange(start=25, end=75))
        self.assertEqual(parse_range("0-225", timeline), FrameRange.whole(timeline))

    def test_refusals(self) -> None:
        timeline = self.imported(EDL, rate="25")
        for text, says in (
            ("10:00:01:00", "expected IN-OUT"),
            ("0-226", "the range 0-226 does not lie inside the timeline, which is 10:00:00:00 to 10:00:09:00"),
            ("50-50", "in before out"),
            ("09:59:00:00-10:00:01:00", "does not lie inside"),
            ("10:00:00:40-10:00:01:00", "40 frames; expected 0 to 24"),
        ):
            with self.assertRaises(RangeRefused) as caught:
                parse_range(text, timeline)
            self.assertIn(says, str(caught.exception))


class CarriedOverTest(EditTest):
    """Where a frame of an edit lies in the same edit read at another rate."""

    def test_it_keeps_its_timecode(self) -> None:
        at_25, at_50, at_24 = (self.imported(EDL, rate=rate) for rate in ("25", "50", "24"))
        self.assertEqual([one.length for one in (at_25, at_50, at_24)], [225, 450, 216])
        for frame, label in ((0, "10:00:00:00"), (37, "10:00:01:12"), (125, "10:00:05:00"), (225, "10:00:09:00")):
            self.assertEqual(str(at_25.start.plus(frame)), label)  # type: ignore[union-attr]
        self.assertEqual([carried_over(frame, at_25, at_50) for frame in (0, 37, 125, 225)], [0, 74, 250, 450])
        self.assertEqual([carried_over(frame, at_25, at_24) for frame in (0, 24, 125, 225)], [0, 23, 120, 216])
        for frame in range(0, 216):
            self.assertEqual(carried_over(carried_over(frame, at_24, at_50), at_50, at_24), frame)

    def test_labels_that_drop_frame_leaves_out(self) -> None:
        long = EDL.replace("10:00:09:00", "10:02:00:02").replace("02:00:04:00", "02:01:55:00")
        plain = self.imported(long, rate="30")
        dropped = self.imported(long.replace("NON-DROP FRAME", "DROP FRAME"), rate="29.97")
        assert dropped.start
        second = 60 * 30
        self.assertEqual(
            [carried_over(second + frame, plain, dropped) for frame in (-1, 0, 1, 2, 3)], [1799, 1800, 1800, 1800, 1801]
        )
        self.assertEqual(str(dropped.start.plus(1800)), "10:01:00;02")

    def test_without_timecode_it_is_the_same_moment_and_always_inside(self) -> None:
        at_25, at_50 = (replace(self.imported(EDL, rate=rate), start=None) for rate in ("25", "50"))
        self.assertEqual([carried_over(frame, at_25, at_50) for frame in (0, 100, 225, 400)], [0, 200, 450, 450])


class AgreementTest(EditTest):
    def inspection(self, **facts: Any) -> Inspection:
        builder = FactsBuilder()
        defaults: dict[str, Any] = {"picture.frame_rate": Fraction(25), "picture.frame_count": 225}
        for id_, value in (defaults | {key.replace("__", "."): value for key, value in facts.items()}).items():
            builder.declared(keys.BY_ID[id_], value)
        return builder.finish(file_name="a", file_size=1, depth=Depth.PACKETS)

    def test_length_to_the_frame(self) -> None:
        timeline = self.imported(EDL, rate="25")
        self.assertTrue(agree(self.inspection(), timeline)["edit.length"].agrees)
        longer = agree(self.inspection(picture__frame_count=226), timeline)["edit.length"]
        self.assertEqual(longer.to_json(), {"expected": 225, "found": 226, "difference": 1})

    def test_length_of_a_range_at_another_rate(self) -> None:
        timeline = self.imported(EDL, rate="25")
        inspection = self.inspection(picture__frame_rate=Fraction(50), picture__frame_count=100)
        covered = FrameRange(start=25, end=75)
        self.assertTrue(agree(inspection, timeline, covered)["edit.length"].agrees)
        self.assertFalse(agree(inspection, timeline, covered)["edit.frame_rate"].agrees)

    def test_the_start_moves_with_the_range(self) -> None:
        timeline = self.imported(EDL, rate="25")
        inspection = self.inspection(wrapper__start_timecode=Timecode.parse("10:00:01:00", Fraction(25)))
        self.assertFalse(agree(inspection, timeline)["edit.start_timecode"].agrees)
        self.assertTrue(agree(inspection, timeline, FrameRange(start=25, end=75))["edit.start_timecode"].agrees)

    def test_what_the_timeline_does_not_say_is_not_an_agreement(self) -> None:
        timeline = self.imported(EDL, assumed_rate="25")
        rows = agree(self.inspection(), timeline)
        self.assertIsNone(rows["edit.frame_rate"].agrees)
        self.assertIsNone(rows["edit.size"].agrees)

    def test_sample_rates_of_all_tracks(self) -> None:
        timeline = self.imported(EDL, rate="25", sample_rate="48000")
        self.assertTrue(agree(self.inspection(sound__sample_rate=(48000, 48000)), timeline)["edit.sample_rate"].agrees)
        self.assertFalse(agree(self.inspection(sound__sample_rate=(48000, 44100)), timeline)["edit.sample_rate"].agrees)
