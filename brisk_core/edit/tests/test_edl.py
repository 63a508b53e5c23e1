"""EDLs as they are written: each event at its record time, whatever the order, the channels and the counting."""

from __future__ import annotations

import tempfile
from fractions import Fraction
from pathlib import Path
from unittest import TestCase

from brisk_core.edit import EditHints, Timeline, import_edit, timeline_from_json, timeline_to_json
from brisk_core.errors import EditRefused
from brisk_core.exact import Timecode

HEAD = "TITLE: CANAL\nFCM: NON-DROP FRAME\n\n"


def label(frame: int, hour: int) -> str:
    second, rest = divmod(frame, 25)
    return f"{hour:02}:{second // 60:02}:{second % 60:02}:{rest:02}"


def row(
    number: int, start: int, end: int, *, reel: str = "", channels: str = "V", change: str = "C", source: int = 0,
    taken: int | None = None, under: str = "",
) -> str:  # fmt: skip
    """One event line: frames of the record from 10:00:00:00, and of a source from 01:00:00:00, with what stands under."""
    length = end - start if taken is None else taken
    times = (label(source, 1), label(source + length, 1), label(start, 10), label(end, 10))
    return f"{number:03}  {reel or f'R{number}':<8} {channels:<5} {change:<8} {' '.join(times)}\n{under}"


class EdlLayoutTest(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def read(self, text: str | bytes, rate: str | None = "25") -> Timeline:
        path = self.folder / "cut.edl"
        path.write_bytes(text.encode() if isinstance(text, str) else text)
        found = import_edit(path, hints=EditHints(rate=Fraction(rate) if rate else None))
        self.assertEqual(timeline_from_json(timeline_to_json(found)), found)
        return found

    def shots(self, text: str | bytes, rate: str | None = "25") -> list[tuple[str, int, int]]:
        return [(shot.name, shot.start, shot.end) for shot in self.read(text, rate).shots()]

    def test_events_lie_at_their_record_time_in_whatever_order(self) -> None:
        rows = row(1, 0, 50), row(2, 50, 90), row(3, 90, 130)
        expected = [("001", 0, 50), ("002", 50, 90), ("003", 90, 130)]
        for order in ((0, 1, 2), (2, 0, 1), (1, 2, 0)):
            found = self.read(HEAD + "".join(rows[one] for one in order))
            self.assertEqual([(shot.name, shot.start, shot.end) for shot in found.shots()], expected)
            self.assertEqual((str(found.start), found.length, found.remarks), ("10:00:00:00", 130, ()))

    def test_what_no_event_names_is_black(self) -> None:
        text = HEAD + row(1, 0, 50) + row(2, 75, 120) + row(3, 120, 130, reel="BLACK")
        self.assertEqual(self.shots(text), [("001", 0, 50), ("black", 50, 75), ("002", 75, 120), ("black", 120, 130)])

    def test_tracks_that_begin_later_begin_there(self) -> None:
        found = self.read(HEAD + row(1, 0, 150) + row(2, 50, 90, channels="V2") + row(3, 60, 150, channels="A2/V"))
        self.assertEqual(
            [(lane.kind, lane.name, [(one.kind, one.start, one.end) for one in lane.events]) for lane in found.lanes],
            [
                ("picture", "V", [("clip", 0, 60), ("clip", 60, 150)]),
                ("picture", "V2", [("gap", 0, 50), ("clip", 50, 90)]),
                ("sound", "A2", [("gap", 0, 60), ("clip", 60, 150)]),
            ],
        )
        self.assertEqual(found.length, 150)

    def test_channels_are_tracks(self) -> None:
        for said, names in (
            ("V", ["V"]), ("V1", ["V"]), ("B", ["V", "A1"]), ("A", ["A1"]), ("AA", ["A1", "A2"]), ("AA/V", ["V", "A1", "A2"]),
            ("A2/V", ["V", "A2"]), ("AV", ["V", "A1"]), ("A4", ["A4"]), ("V2", ["V2"]),
        ):  # fmt: skip
            self.assertEqual([lane.name for lane in self.read(HEAD + row(1, 0, 50, channels=said)).lanes], names, said)
        found = self.read(HEAD + row(1, 0, 50, channels="NONE") + row(2, 50, 90))
        self.assertEqual(
            [one.name for one in found.shots()], ["black", "002"], "an event without a channel shows nothing"
        )
        self.assertIn("line 4: event 001 has no channel", found.remarks[0])

    def test_an_event_over_another_takes_its_place_and_is_told(self) -> None:
        found = self.read(HEAD + row(1, 0, 60) + row(2, 50, 90) + row(3, 90, 130))
        self.assertEqual(found.cuts, (50, 90))
        self.assertEqual(
            found.remarks, ("line 5: event 002 lies over event 001 for 10 frames and is laid out in its place",)
        )
        inside = self.read(HEAD + row(1, 0, 100) + row(2, 40, 60))
        self.assertEqual([(one.name, one.start, one.end) for one in inside.shots()],
                         [("001", 0, 40), ("002", 40, 60), ("001", 60, 100)])  # fmt: skip
        last = inside.lanes[0].events[-1]
        self.assertEqual(last.source_start, 3600 + Fraction(60, 25), "its source goes on below")

    def test_dissolves_wipes_and_fades(self) -> None:
        names = "* FROM CLIP NAME: LOCK\n* TO CLIP NAME: KEYS\n"
        for change in ("D    025", "W001 025"):
            text = (
                HEAD
                + row(1, 0, 50)
                + row(2, 50, 50, reel="R1", source=50)
                + row(2, 50, 110, change=change, under=names)
            )
            shots = self.read(text).shots()
            self.assertEqual([(one.name, one.start, one.end, one.mixed_in) for one in shots],
                             [("001", 0, 50, 0), ("KEYS", 50, 110, 25)])  # fmt: skip
        both = row(2, 50, 75, reel="R1", source=50) + row(2, 50, 110, change="D    025")
        found = self.read(HEAD + row(1, 0, 50) + both)
        self.assertEqual(([one.start for one in found.shots()], found.remarks), ([0, 50], ()), "the part on both lines")
        black = row(1, 0, 0, reel="BL") + row(1, 0, 50, change="D    025")
        gone = row(2, 50, 50, reel="R1", source=50) + row(2, 50, 75, reel="BL", change="D    025")
        self.assertEqual([(one.name, one.start, one.mixed_in) for one in self.read(HEAD + black + gone).shots()],
                         [("001", 0, 25), ("black", 50, 25)])  # fmt: skip

    def test_titles_that_are_keyed_leave_what_is_below(self) -> None:
        text = (
            HEAD + row(1, 0, 50, change="K B", reel="R1") + row(1, 0, 50, change="K    000", reel="T1") + row(2, 50, 90)
        )
        found = self.read(text)
        self.assertEqual([one.start for one in found.shots()], [0, 50])
        self.assertEqual(found.remarks, ("line 5: event 001 keys T1 over what is there; what lies below is laid out",))

    def test_speeds(self) -> None:
        for speed, taken, expected in (
            ("050.0", 100, 2),
            ("012.5", 25, Fraction(1, 2)),
            ("-025.0", 50, -1),
            ("000.0", 1, 0),
        ):
            under = f"M2   R1       {speed}                {label(49, 1)}\n"
            found = self.read(HEAD + row(1, 0, 50, taken=taken, under=under) + row(2, 50, 90))
            self.assertEqual((found.lanes[0].events[0].speed, found.remarks), (expected, ()), speed)
        self.assertEqual(
            self.read(HEAD + row(1, 0, 50, taken=1, under="* * FREEZE FRAME\n")).lanes[0].events[0].speed, 0
        )
        ntsc = row(1, 0, 50, taken=100, under=f"M2   R1       060.0                {label(0, 1)}\n")
        self.assertEqual(self.read(HEAD + ntsc, "30000/1001").lanes[0].events[0].speed, 2)
        fast = row(1, 0, 50, under=f"M2   R1       99999.0                {label(0, 1)}\n")
        with self.assertRaisesRegex(EditRefused, "line 4: runs at 3999"):
            self.read(HEAD + fast)

    def test_a_speed_belongs_to_the_source_that_it_names(self) -> None:
        under = f"M2   R1       012.5                {label(0, 1)}\n"
        text = HEAD + row(1, 0, 75, reel="R1", taken=37) + row(1, 50, 110, reel="R2", change="D    025", under=under)
        self.assertEqual([(one.speed, one.end) for one in self.read(text).lanes[0].events if one.kind == "clip"],
                         [(Fraction(1, 2), 50), (1, 110)])  # fmt: skip

    def test_names_of_one_event_on_several_lines(self) -> None:
        text = (
            HEAD
            + row(1, 0, 50)
            + row(1, 0, 50, channels="A", under="FROM CLIP NAME: LOCK\n* SOURCE FILE: D:\\day\\lock.mov\n")
        )
        found = self.read(text)
        self.assertEqual([lane.events[0].name for lane in found.lanes], ["LOCK", "LOCK"])
        self.assertEqual([one.name for one in found.sources], ["lock.mov"])

    def test_a_take_that_goes_on_over_an_edit_is_one_shot(self) -> None:
        on = HEAD + row(1, 0, 50, reel="R7") + row(2, 50, 90, reel="R7", source=50)
        self.assertEqual(self.read(on).cuts, ())
        self.assertEqual(self.read(on.replace("R7 ", "AX ")).cuts, (50,), "a source without a reel may be any")

    def test_lines_as_systems_write_them(self) -> None:
        plain = row(1, 0, 50, under="* FROM CLIP NAME: l\u00e4mp\n") + row(2, 50, 90)
        expected = [("l\u00e4mp", 0, 50), ("002", 50, 90)]
        for text in (
            (HEAD + plain).lower().encode(), (HEAD + plain).replace("\n", "\r\n").encode(), (HEAD + plain).encode("utf-16"),
            (HEAD + plain).encode("cp1252"), (HEAD + plain).replace("  ", "\t").encode(), plain.encode(),
            (HEAD + plain).replace("001  R1", "000001  MY LONG REEL").encode(), (HEAD + plain).encode("utf-8-sig"),
            (HEAD + plain).replace("10:00:02:00\n", "10:00:02:00 AND MORE\n").encode(),
        ):  # fmt: skip
            self.assertEqual(self.shots(text), expected, text[:40])

    def test_midnight(self) -> None:
        times = ("23:59:50:00 00:00:00:00", "00:00:00:00 00:00:10:00")
        rows = [f"00{at} R{at} V C 01:00:00:00 01:00:10:00 {one}\n" for at, one in enumerate(times, 1)]
        found = self.read(HEAD + "".join(rows))
        self.assertEqual((str(found.start), found.cuts, found.length), ("23:59:50:00", (250,), 500))
        self.assertEqual(self.read(HEAD + rows[1] + rows[0]).cuts, (250,), "whichever stands first")
        long = "".join(
            f"{at:03} R{at} V C 00:00:00:00 01:00:00:00 {at:02}:00:00:00 {at + 1:02}:00:00:00\n" for at in range(1, 15)
        )
        self.assertEqual(self.read(HEAD + long).length, 14 * 3600 * 25, "and a programme of fourteen hours")
        dropped = self.read(f"TITLE: X\nFCM: DROP FRAME\n{rows[0]}{rows[1]}", "30000/1001")
        self.assertEqual((dropped.cuts, dropped.length), ((300,), 600))

    def test_which_labels_are_left_out(self) -> None:
        def events(sign: str) -> str:
            pairs = (("01:00:58;00", "01:01:02;00"), ("01:01:02;00", "01:01:04;00"))
            rows = (f"00{at} R{at} V C 00:00:00;00 00:00:01;00 {' '.join(one)}\n" for at, one in enumerate(pairs, 1))
            return "".join(rows).replace(";", sign)

        ntsc = "30000/1001"
        for text, drop in (
            ("FCM: DROP FRAME\n" + events(":"), True), ("FCM: DROP FRAME\n" + events(";"), True), (events(";"), True),
            (events(":"), False), ("FCM: NON-DROP FRAME\n" + events(":"), False),
            ("FCM: DROP FRAME\n" + events(":") + "FCM: NON-DROP FRAME\n", True),
        ):  # fmt: skip
            found = self.read(f"TITLE: X\n{text}", ntsc)
            assert found.start
            self.assertEqual((found.start.drop, found.cuts), (drop, (118 if drop else 120,)), text)
        self.assertEqual(self.read(f"TITLE: X\n{events(';')}", None).rate, Fraction(30000, 1001))

    def test_what_cannot_be_laid_out_is_refused_with_its_line(self) -> None:
        for text, says in (
            (row(1, 0, 50, reel="BL"), "no events but black"),
            (row(1, 0, 50, change="D"), "line 4: met '001  R1       V     D"),
            (row(1, 0, 50, change="X"), "expected an event with four timecodes"),
            (row(1, 0, 50).replace("10:00:02:00", "10:00:61:00"), "line 4: met '10:00:61:00'"),
            ("".join(row(1, 0, 50, channels=f"A{number}") for number in range(1, 102)), "more than 100 channels"),
        ):
            with self.subTest(says), self.assertRaisesRegex(EditRefused, says):
                self.read(HEAD + text)

    def test_signs_that_part_lines_elsewhere_do_not_count_as_lines(self) -> None:
        for sign in "\x0b\x0c\x1d\x85\u2028":
            text = f"{HEAD}* COMMENT: ONE{sign}TWO\n{row(1, 0, 50, change='X')}"
            with self.subTest(repr(sign)), self.assertRaisesRegex(EditRefused, "line 5: "):
                self.read(text)

    def test_timecode_counts_some_rates_only(self) -> None:
        for rate in ("24", "24000/1001", "25", "50", "12", "120"):
            self.assertEqual(self.read(HEAD + row(1, 0, 10), rate).length, 10)
        for rate in ("7", "23", "10000/333"):
            with self.assertRaisesRegex(EditRefused, "expected one that timecode counts"):
                self.read(HEAD + row(1, 0, 5), rate)
        path = self.folder / "cut.edl"
        path.write_text(HEAD + row(1, 0, 10))
        found = import_edit(path, hints=EditHints(assumed_rate=Fraction(278_000, 18_533)))
        self.assertEqual((found.rate, found.rate_stated), (25, False), "the rate of the file, which counts none")

    def test_marks_stand_on_the_record(self) -> None:
        found = self.read(HEAD + row(1, 0, 50, under="* LOC: 10:00:01:00 RED  FIX\n") + row(2, 50, 90))
        assert found.start
        self.assertEqual([(one.name, one.start) for one in found.marks], [("FIX", 25)])
        self.assertEqual(found.start, Timecode.parse("10:00:00:00", Fraction(25)))
