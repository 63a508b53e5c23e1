import tempfile
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from unittest import TestCase

from brisk_core.edit import (
    EditHints,
    Event,
    Flag,
    Lane,
    Source,
    Target,
    Timeline,
    change_rate,
    compare_edits,
    import_edit,
    sources_against,
    write_edl,
    write_otio,
)
from brisk_core.edit.sources import FINE, NOTE, TROUBLE
from brisk_core.edit.tests.test_conform import timeline
from brisk_core.errors import EditRefused


class RateChangeTest(TestCase):
    def test_whole_multiples_are_even(self) -> None:
        for source, target in ((25, 50), (50, 25), (30, 60), (24, 24)):
            self.assertTrue(change_rate(Fraction(source), Fraction(target)).even)
        self.assertIn("every frame shown 2 times", change_rate(Fraction(25), Fraction(50)).says)
        self.assertIn("one frame of 2 kept", change_rate(Fraction(60), Fraction(30)).says)

    def test_the_pattern_repeats_and_leaves_out_what_it_says(self) -> None:
        for source, target in ((24, 25), (30, 25), (25, 30), (24, 30), (50, 30)):
            with self.subTest(source=source, target=target):
                change = change_rate(Fraction(source), Fraction(target))
                cycles = Fraction(target) / len(change.steps)
                self.assertTrue(change.whole)
                self.assertEqual(sum(step.repeats for step in change.steps) * cycles, change.repeated)
                self.assertEqual(sum(step.skipped for step in change.steps) * cycles, change.dropped)
                blended = sum(0 < step.share < 1 for step in change.steps) * cycles
                self.assertEqual(blended, change.blended)

    def test_rates_that_differ_by_a_thousandth_are_a_matter_of_speed(self) -> None:
        says = change_rate(Fraction(24000, 1001), Fraction(24)).says
        self.assertIn("one frame repeated every 42 s", says)
        self.assertIn("0.1 % faster", says)

    def test_every_way_is_said(self) -> None:
        for source, target, says in (
            ("25", "25", "25 as it is"),
            ("24", "24000/1001", "24 to 23.976: one frame left out every 42 s, or all played 0.1 % slower"),
            ("24000/1001", "24", "23.976 to 24: one frame repeated every 42 s, or all played 0.1 % faster"),
            ("25", "50", "25 to 50: every frame shown 2 times"),
            ("50", "25", "50 to 25: one frame of 2 kept, the others left out"),
            ("24", "25", "24 to 25: each second 1 repeated, or 24 blended from two"),
            ("30", "25", "30 to 25: each second 5 left out, or 20 blended from two"),
            ("144/5", "25", "28.8 (non-standard) to 25: each second 3.8 left out, or 24.8 blended from two"),
        ):
            self.assertEqual(change_rate(Fraction(source), Fraction(target)).says, says)
        near, far = Fraction(25) * Fraction(501, 500), Fraction(25) * Fraction(500, 499)  # a five hundredth apart
        self.assertIn("or all played 0.2 % slower", change_rate(near, Fraction(25)).says)
        self.assertNotIn("all played", change_rate(far, Fraction(25)).says)
        steps = change_rate(Fraction(24), Fraction(25)).steps
        self.assertEqual([(one.first, one.repeats) for one in steps[:3]], [(0, False), (0, True), (1, False)])
        self.assertEqual([one.skipped for one in change_rate(Fraction(50), Fraction(25)).steps], [1])

    def test_non_standard_rates_have_a_long_cycle_that_is_cut(self) -> None:
        change = change_rate(Fraction(144, 5), Fraction(25))
        self.assertEqual((len(change.steps), change.whole), (60, False))
        longest = change_rate(Fraction(61), Fraction(60))
        self.assertEqual((len(longest.steps), longest.whole), (60, True))

    def test_rates_of_nothing_and_less_are_refused_and_slow_ones_are_not(self) -> None:
        for source, target in ((0, 25), (25, 0), (-25, 25), (25, -25)):
            with self.assertRaisesRegex(ValueError, "expected both above 0"):
                change_rate(Fraction(source), Fraction(target))
        self.assertEqual(
            change_rate(Fraction(1, 2), Fraction(1)).says,
            "0.5 (non-standard) to 1 (non-standard): every frame shown 2 times",
        )


class SourcesTest(TestCase):
    target = Target(name="t", rate=Fraction(25), size=(1920, 1080), scan="progressive", sample_rate=48000, bit_depth=10)

    def changes(self, **source: object) -> list[tuple[str, int]]:
        known = {"name": "a", "rate": Fraction(25), "size": (1920, 1080), "scan": "progressive"} | source
        event = Event(kind="clip", name="a", start=0, end=50, source=0, source_start=Fraction(0))
        edit = Timeline(
            name="e", rate=Fraction(25), start=None, length=50, sources=(Source(**known),),  # type: ignore[arg-type]
            lanes=(Lane(kind="picture", name="V1", events=(event,)),),
        )  # fmt: skip
        use = sources_against(edit, self.target)[0]
        self.assertEqual(use.frames, 50)
        return [(change.what, change.weight) for change in use.changes]

    def test_each_change_is_found(self) -> None:
        self.assertEqual(self.changes(), [])
        self.assertEqual(self.changes(rate=Fraction(30)), [("rate", TROUBLE)])
        self.assertEqual(self.changes(rate=Fraction(50)), [("rate", NOTE)])
        self.assertEqual(self.changes(rate_mode="variable"), [("rate", TROUBLE)])
        self.assertEqual(self.changes(size=(1280, 720)), [("size", TROUBLE)])
        self.assertEqual(self.changes(size=(3840, 2160)), [("size", FINE)])
        self.assertEqual(self.changes(size=(1440, 1080)), [("shape", TROUBLE)])
        self.assertEqual(self.changes(size=(1440, 1080), pixel_aspect=Fraction(4, 3)), [])
        self.assertEqual(self.changes(scan="interlaced"), [("scan", TROUBLE)])
        self.assertEqual(self.changes(sample_rate=44100), [("sound", NOTE)])
        self.assertEqual(self.changes(bit_depth=8), [("depth", NOTE)])
        self.assertEqual(self.changes(online=False), [("media", NOTE)])

    def test_a_clip_that_asks_for_more_than_its_media_hold(self) -> None:
        self.assertEqual(self.changes(start=Fraction(0), length=Fraction(1)), [("media", TROUBLE)])
        self.assertEqual(self.changes(start=Fraction(0), length=Fraction(2)), [])

    def test_what_nobody_says_is_unknown(self) -> None:
        event = Event(kind="clip", name="a", start=0, end=50, source=0)
        edit = Timeline(
            name="e", rate=Fraction(25), start=None, length=50, sources=(Source(name="a"),),
            lanes=(Lane(kind="picture", name="V1", events=(event,)),),
        )  # fmt: skip
        self.assertEqual(sources_against(edit, self.target)[0].unknown, ("rate", "size", "scan"))


class VersionsTest(TestCase):
    def test_what_changed_between_two_versions(self) -> None:
        old = timeline([50, 60, 70, 80])
        self.assertEqual(compare_edits(old, old), [])
        events = list(old.lanes[0].events)
        longer = [
            events[0],
            replace(events[1], end=115),
            *(replace(e, start=e.start + 5, end=e.end + 5) for e in events[2:]),
        ]
        new = replace(old, length=265, lanes=(replace(old.lanes[0], events=tuple(longer)),))
        says = [change.says for change in compare_edits(old, new)]
        self.assertEqual(says, ["length was 260 frames and is 265 frames", "shot “S2” is 5 frames longer"])
        names = ["S1", "S4", "S2", "new"]
        moved = replace(
            old,
            lanes=(
                replace(
                    old.lanes[0],
                    events=tuple(replace(e, name=n, source=None) for e, n in zip(events, names, strict=True)),
                ),
            ),
        )
        kinds = sorted(change.kind for change in compare_edits(old, moved))
        self.assertIn("added", kinds)
        self.assertIn("removed", kinds)


class ExportTest(TestCase):
    edit = replace(timeline(), sources=tuple(Source(name=f"clip {number}") for number in range(30)))
    flags = (Flag(start=30, end=33, label="Repeats", says="3 frames repeat", outcome="fail"),)

    def test_otio_comes_back_as_it_was_with_the_findings_as_marks(self) -> None:
        lane = self.edit.lanes[0]
        events = list(lane.events)
        at = events[3].start
        events.insert(3, Event(kind="transition", name="x", start=at - 5, end=at + 5))
        events[5] = replace(events[5], speed=Fraction(1, 2))
        edit = replace(self.edit, lanes=(replace(lane, events=tuple(events)),))
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / "a.otio"
            path.write_text(write_otio(edit, self.flags))
            back = import_edit(path)
        self.assertEqual(
            [(e.kind, e.start, e.end, e.speed) for e in back.lanes[0].events],
            [(e.kind, e.start, e.end, e.speed) for e in events],
        )
        self.assertEqual((back.start, back.length), (edit.start, edit.length))
        self.assertEqual([(mark.name, mark.start) for mark in back.marks], [("Repeats", 30)])

    def test_an_edl_comes_back_with_speeds_dissolves_and_fades(self) -> None:
        def clip(name: str, start: int, end: int, speed: Fraction = Fraction(1)) -> Event:
            source = int(name[1:])
            return Event(
                kind="clip", name=name, start=start, end=end, source=source, source_start=Fraction(40), speed=speed
            )

        def mix(start: int, end: int) -> Event:
            return Event(kind="transition", name="", start=start, end=end)

        rate = self.edit.rate
        events = (
            mix(0, 12), clip("s0", 0, 50), mix(45, 55), clip("s1", 50, 100, Fraction(2)), clip("s2", 100, 150, Fraction(-1)),
            mix(150, 160), clip("s3", 150, 200, Fraction(0)), clip("s4", 200, 230, Fraction(1, 3)), mix(222, 230),
            Event(kind="gap", name="", start=230, end=250), clip("s5", 260, 300),
        )  # fmt: skip
        edit = replace(self.edit, length=300, lanes=(replace(self.edit.lanes[0], events=events),))
        text = write_edl(edit, self.flags)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "back.edl"
            path.write_text(text)
            back = import_edit(path, hints=EditHints(rate=rate))
        self.assertEqual(back.remarks, ())
        self.assertEqual(
            [(one.name, one.start, one.end, one.mixed_in, one.event and round(float(one.event.speed), 3)) for one in back.shots()],
            [
                ("s0", 0, 45, 12, 1.0), ("s1", 45, 100, 10, 2.0), ("s2", 100, 150, 0, -1.0), ("s3", 150, 200, 10, 0.0),
                ("s4", 200, 222, 0, 0.333), ("black", 222, 260, 8, None), ("s5", 260, 300, 0, 1.0),
            ],
        )  # fmt: skip
        starts = [event.source_start for event in back.lanes[0].events if event.kind == "clip"]
        self.assertEqual(
            starts, [40, 40 - Fraction(10) / rate, 40, 40, 40, 40], "what goes over the cut is taken along"
        )
        self.assertEqual(back.length, edit.length)

    def test_an_edl_has_the_findings_under_their_event(self) -> None:
        lines = write_edl(self.edit, self.flags).splitlines()
        at = lines.index("* LOC: 10:00:01:05 RED     Repeats: 3 frames repeat")
        self.assertTrue(lines[at - 2].startswith("001"))
        with self.assertRaises(EditRefused):
            write_edl(replace(self.edit, start=None), ())
