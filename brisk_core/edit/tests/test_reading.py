import json
import os
import subprocess
import sys
import tarfile
import tempfile
import time
import zipfile
from fractions import Fraction
from pathlib import Path
from typing import Any
from unittest import TestCase

import opentimelineio as otio

from brisk_core.edit import EditHints, Timeline, import_edit, timeline_from_json, timeline_to_json
from brisk_core.errors import EditRefused
from brisk_core.samples.timelines import write_wide

RATE = 25
_REPOSITORY = Path(__file__).resolve().parents[3]


def _range(start: float, length: float) -> otio.opentime.TimeRange:
    return otio.opentime.TimeRange(otio.opentime.RationalTime(start, RATE), otio.opentime.RationalTime(length, RATE))


def clip(name: str, length: float, *effects: Any, start: float = 0) -> otio.schema.Clip:
    return otio.schema.Clip(
        name=name,
        source_range=_range(start, length),
        media_reference=otio.schema.ExternalReference(target_url=f"/a/{name}.mov", available_range=_range(0, 500)),
        effects=list(effects),
    )


def track(*children: Any, kind: str = "Video") -> otio.schema.Track:
    return otio.schema.Track(children=list(children), kind=kind)


class ReadingTest(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def read(self, *tracks: Any, **hints: Any) -> Timeline:
        document = otio.schema.Timeline(name="e")
        document.tracks.extend(tracks)
        path = self.folder / "a.otio"
        otio.adapters.write_to_file(document, str(path), "otio_json")
        found = import_edit(path, hints=EditHints.from_json(hints))
        self.assertEqual(timeline_from_json(timeline_to_json(found)), found)
        return found

    def refused(self, content: str | bytes, name: str = "a.otio") -> str:
        path = self.folder / name
        path.write_bytes(content.encode() if isinstance(content, str) else content)
        with self.assertRaises(EditRefused) as caught:
            import_edit(path)
        return str(caught.exception)

    def test_upper_lanes_cover_lower_ones(self) -> None:
        lower = track(clip("a", 100), clip("b", 100))
        upper = track(otio.schema.Gap(source_range=_range(0, 40)), clip("over", 30))
        shots = self.read(lower, upper).shots()
        self.assertEqual(
            [(shot.name, shot.start, shot.end, shot.lane) for shot in shots],
            [("a", 0, 40, 0), ("over", 40, 70, 1), ("a", 70, 100, 0), ("b", 100, 200, 0)],
        )

    def test_speeds_freezes_and_their_sources(self) -> None:
        warp = otio.schema.LinearTimeWarp(time_scalar=2)
        found = self.read(track(clip("a", 50, warp, start=10), clip("a", 20, otio.schema.FreezeFrame(), start=30)))
        events = found.lanes[0].events
        self.assertEqual([event.speed for event in events], [2, 0])
        self.assertEqual(events[0].source_start, Fraction(10, RATE))
        self.assertEqual(len(found.sources), 1)
        self.assertEqual((found.sources[0].name, found.sources[0].length), ("a.mov", 20))

    def test_effects_on_speed_that_are_off_and_those_that_are_not_read(self) -> None:
        off = otio.schema.LinearTimeWarp(time_scalar=2)
        off.enabled = False
        found = self.read(track(clip("a", 50, off, otio.schema.Effect(effect_name="glow"))))
        self.assertEqual(([event.speed for event in found.lanes[0].events], found.remarks), ([1], ()))
        found = self.read(track(clip("a", 50, otio.schema.TimeEffect(effect_name="ramp"))))
        self.assertEqual(
            found.remarks, ("event 1 of track 1 ('a') has an effect on its speed, ramp, that is not read",)
        )

    def test_times_that_are_no_numbers_are_refused_wherever_they_stand(self) -> None:
        for number in ("Infinity", "-Infinity", "NaN"):
            value = float(number)
            media = clip("media", 50)
            media.media_reference.available_range = _range(0, value)
            marked = clip("marked", 50)
            marked.markers.append(otio.schema.Marker(name="m", marked_range=_range(value, 1)))
            crossing = otio.schema.Transition(
                in_offset=otio.opentime.RationalTime(value, RATE), out_offset=otio.opentime.RationalTime(6, RATE)
            )
            for what in (clip("long", value), clip("late", 50, start=value), media, marked, crossing):
                with (
                    self.subTest(number, what=what.name),
                    self.assertRaisesRegex(EditRefused, f"of {value}; |met {value} "),
                ):
                    self.read(track(clip("a", 50), what))

    def test_rates_that_no_clock_has_are_refused(self) -> None:
        for rate in (1e-300, 1e-4, 0.0, -25.0, 1e300):
            media = clip("media", 50)
            span = otio.opentime.TimeRange(otio.opentime.RationalTime(0, rate), otio.opentime.RationalTime(9, rate))
            media.media_reference.available_range = span
            with self.subTest(rate), self.assertRaisesRegex(EditRefused, "frames a second in the edit; expected 0.001"):
                self.read(track(media))

    def test_an_edit_inside_an_edit_is_opened_and_cut_to_its_part(self) -> None:
        inner = otio.schema.Stack(name="inner", children=[track(clip("x", 40), clip("y", 40))])
        inner.source_range = _range(30, 30)
        found = self.read(track(clip("a", 10), inner, clip("b", 10)))
        self.assertEqual(
            [(event.name, event.start, event.end) for event in found.lanes[0].events],
            [("a", 0, 10), ("x", 10, 20), ("y", 20, 40), ("b", 40, 50)],
        )
        self.assertEqual(found.lanes[0].events[1].source_start, Fraction(30, RATE))

    def test_clips_that_are_switched_off_or_without_media(self) -> None:
        off = clip("off", 20)
        off.enabled = False
        lost = otio.schema.Clip(name="lost", source_range=_range(0, 20))
        found = self.read(track(clip("a", 20), off, lost))
        self.assertEqual([event.kind for event in found.lanes[0].events], ["clip", "gap", "clip"])
        self.assertEqual([source.online for source in found.sources], [True, False])

    def test_marks_of_clips_stand_where_the_clip_does(self) -> None:
        marked = clip("b", 20, start=100)
        marked.markers.append(otio.schema.Marker(name="m", marked_range=_range(105, 1)))
        marked.markers.append(otio.schema.Marker(name="trimmed away", marked_range=_range(5, 1)))
        found = self.read(track(clip("a", 30), marked))
        self.assertEqual([(mark.name, mark.start) for mark in found.marks], [("m", 35)])

    def test_of_a_track_that_is_cut_to_a_part_only_that_part_is_laid_out(self) -> None:
        def cut(part: Any, whole: Any = None) -> Timeline:
            marked = clip("b", 40)
            marked.markers.append(otio.schema.Marker(name="m", marked_range=_range(5, 1)))
            lane = track(clip("a", 50), marked, clip("c", 30))
            lane.markers.append(otio.schema.Marker(name="early", marked_range=_range(10, 1)))
            lane.source_range = part
            document = otio.schema.Timeline(name="e")
            document.tracks.append(lane)
            document.tracks.source_range = whole
            path = self.folder / "a.otio"
            otio.adapters.write_to_file(document, str(path), "otio_json")
            return import_edit(path)

        for found in (cut(_range(20, 80)), cut(None, _range(20, 80)), cut(_range(10, 100), _range(10, 80))):
            self.assertEqual(
                [(one.name, one.start, one.end) for one in found.shots()], [("a", 0, 30), ("b", 30, 70), ("c", 70, 80)]
            )
            self.assertEqual((found.length, found.lanes[0].events[0].source_start), (80, Fraction(20, RATE)))
            self.assertEqual([(mark.name, mark.start) for mark in found.marks], [("m", 35)])

    def test_sound_inside_an_edit_inside_an_edit_covers_no_picture(self) -> None:
        voice = track(clip("voice", 80))
        voice.kind = otio.schema.TrackKind.Audio
        inner = otio.schema.Stack(name="inner", children=[track(clip("x", 30), clip("y", 30)), voice])
        found = self.read(track(clip("a", 10), inner, clip("b", 10)))
        self.assertEqual(
            [(one.name, one.start, one.end) for one in found.shots()],
            [("a", 0, 10), ("x", 10, 40), ("y", 40, 70), ("black", 70, 90), ("b", 90, 100)],
        )
        inner = otio.schema.Stack(name="inner", children=[track(clip("x", 30)), voice.deepcopy()])
        below = otio.schema.Track(name="A1", kind=otio.schema.TrackKind.Audio, children=[inner])
        self.assertEqual([event.name for event in self.read(track(clip("a", 80)), below).lanes[1].events], ["voice"])

    def test_sound_may_count_samples(self) -> None:
        def samples(count: int) -> Any:
            length = otio.opentime.RationalTime(count, 48_000)
            return otio.schema.Clip(
                name="s", source_range=otio.opentime.TimeRange(otio.opentime.RationalTime(0, 48_000), length)
            )

        sound = otio.schema.Track(name="A1", kind=otio.schema.TrackKind.Audio)
        sound.extend([samples(1_000) for _ in range(96)])  # each of 0.52 frames, two seconds together
        found = self.read(track(clip("a", 50)), sound)
        self.assertEqual((found.rate, found.length, found.remarks), (RATE, 50, ()))
        self.assertEqual(found.lanes[1].events[-1].end, 50, "lengths add up exactly")
        document = otio.schema.Timeline(name="e")
        document.tracks.append(sound.deepcopy())
        alone = self.folder / "sound.otio"
        otio.adapters.write_to_file(document, str(alone), "otio_json")
        self.assertIn("counts 48000 a second, as sound does", self.refused(alone.read_bytes()))

    def test_clips_that_end_between_frames_are_laid_on_the_nearest_and_told(self) -> None:
        found = self.read(track(*(clip(f"s{number}", 10.4) for number in range(5))))
        self.assertEqual([event.start for event in found.lanes[0].events], [0, 10, 21, 31, 42])
        self.assertEqual((found.length, len(found.remarks)), (52, 5))
        self.assertEqual(
            found.remarks[0],
            "event 1 of track 1 ('s0') is 10.40 frames long; its cuts are laid on the nearest frames",
        )
        self.assertEqual(self.read(track(clip("a", 49.9999999), clip("b", 40))).remarks, ())

    def test_bundles_are_opened_and_their_media_left_alone(self) -> None:
        write_wide(self.folder / "content.otio")
        path = self.folder / "a.otioz"
        with zipfile.ZipFile(path, "w") as bundle:
            bundle.write(self.folder / "content.otio", "content.otio")
            bundle.writestr("media/a.mov", b"x" * 1000)
        self.assertEqual(import_edit(path).length, 200)
        self.assertEqual(import_edit(self.folder).length, 200)  # the folder of a bundle
        with zipfile.ZipFile(path, "w") as bundle:
            bundle.writestr("other.txt", "x")
        self.assertIn("no content.otio", self.refused(path.read_bytes(), "b.otioz"))
        self.assertIn("cannot be opened", self.refused(b"PK\x03\x04 and then nothing", "c.otioz"))

    def test_hostile_edits_have_a_clear_sentence(self) -> None:
        def clip_of(**rate: Any) -> dict[str, Any]:
            time = {"OTIO_SCHEMA": "RationalTime.1", "rate": 25.0, "value": 0.0}
            length = time | {"value": 10.0} | rate
            whole = {"OTIO_SCHEMA": "TimeRange.1", "start_time": time, "duration": length}
            return {"OTIO_SCHEMA": "Clip.1", "name": "a", "source_range": whole}

        def document(*children: Any) -> str:
            lane = {"OTIO_SCHEMA": "Track.1", "kind": "Video", "children": list(children)}
            stack = {"OTIO_SCHEMA": "Stack.1", "children": [lane]}
            return json.dumps({"OTIO_SCHEMA": "Timeline.1", "name": "t", "tracks": stack})

        self.assertIn("length of -5 frames", self.refused(document(clip_of(value=-5.0))))
        self.assertIn("frames a second", self.refused(document(clip_of(rate=1e9))))
        self.assertIn("10 days", self.refused(document(clip_of(value=1e12))))
        nested: Any = clip_of()
        for _ in range(40):
            nested = {"OTIO_SCHEMA": "Stack.1", "children": [nested]}
        self.assertIn("edits inside", self.refused(document(nested)))
        self_made = (
            '{"OTIO_SCHEMA": "Timeline.1", "tracks": {"OTIO_SCHEMA": "SerializableObjectRef.1", "id": "Timeline-1"}}'
        )
        self.assertTrue(self.refused(self_made))
        entities = (
            '<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "' + "x" * 1000 + '"><!ENTITY c "&b;&b;&b;&b;">]><a>&c;</a>'
        )
        self.assertIn("expected an OTIO document", self.refused(entities))
        self.assertIn(
            "AAF file cannot be read", self.refused(b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(4000), "a.aaf")
        )
        self.assertIn("cannot be read", self.refused('{"OTIO_SCHEMA": "Timeline.1"' + "[" * 5000))

    def edl(self, text: str) -> Timeline:
        path = self.folder / "cut.edl"
        path.write_text(f"TITLE: CUT\nFCM: NON-DROP FRAME\n\n{text}")
        return import_edit(path, hints=EditHints(rate=Fraction(RATE)))

    def test_marks_of_an_edl_stand_at_their_own_timecode(self) -> None:
        found = self.edl(
            "001  AX  V  C  00:00:01:00 00:00:03:00 01:00:00:00 01:00:02:00\n"
            "* FROM CLIP NAME: LOCK\n"
            "* LOC: 01:00:00:12 RED     TITLE HERE\n"
            "* LOC: 01:00:03:01 GREEN   OVER THE NEXT SHOT\n"
            "002  AX  V  C  00:00:05:00 00:00:07:00 01:00:02:00 01:00:04:00\n"
            "* LOC: 01:00:09:00 BLUE    AFTER THE END\n"
            "* LOC: 01:00:02:40 BLUE    NO SUCH FRAME\n"
        )
        self.assertEqual(
            [(mark.name, mark.start) for mark in found.marks], [("TITLE HERE", 12), ("OVER THE NEXT SHOT", 76)]
        )
        self.assertEqual(found.remarks, ())

    def test_an_event_longer_on_one_side_is_told_and_fills_its_record_time(self) -> None:
        found = self.edl(
            "001  AX    V  C  00:00:01:00 00:00:03:00 01:00:00:00 01:00:02:00\n"
            "002  TAPE  V  C  00:00:05:00 00:00:09:00 01:00:02:00 01:00:04:00\n"
            "003  BL    V  C  00:00:00:00 00:00:00:00 01:00:04:00 01:00:05:00\n"
            "004  AX    V  C  00:00:05:00 00:00:06:00 01:00:05:00 01:00:07:00\n"
            "M2   AX    012.5                00:00:05:00\n"
        )
        self.assertEqual((found.length, len(found.remarks)), (7 * RATE, 1))
        self.assertIn("line 5: event 002 takes 100 frames of TAPE and fills 50, without a speed line", found.remarks[0])
        self.assertEqual([event.start for event in found.lanes[0].events if event.name != "gap"][:2], [0, 50])
        self.assertEqual(timeline_from_json(timeline_to_json(found)), found)

    def test_lines_and_clips_without_end_are_over_soon(self) -> None:
        # A pattern that looks back over a whole line at each of its signs would take minutes over the first.
        events = "TITLE: X\n001 AX V C 00:00:01:00 00:00:02:00 01:00:00:00 01:00:01:00\n"
        for line in (f"002 AX V C {':' * 400_000}", f"002 AX V C {'a: ' * 200_000}", f"003 AX{' ' * 400_000}V C 1"):
            says = self.refused(f"{events}{line}\n", "a.edl")
            self.assertRegex(says, "line 3: met .* expected an event with four timecodes")
        path = self.folder / "comment.edl"
        path.write_text(f"{events}* {'x' * 1_000_000}\n")
        self.assertEqual(import_edit(path, hints=EditHints(rate=Fraction(RATE))).length, RATE)
        self.assertIn("has 300,002 lines; expected at most 300,000", self.refused(events + "*\n" * 300_000, "b.edl"))
        self.assertIn("holds 100,001 clips; expected at most 100,000", self.refused("{" + '"Clip.2",' * 100_001))

    def test_thirty_thousand_events_are_read_in_seconds(self) -> None:
        path = self.folder / "long.edl"
        lines = ["TITLE: LONG", "FCM: NON-DROP FRAME", ""]

        def label(frame: int) -> str:
            second, rest = divmod(frame, RATE)
            return f"{second // 3600:02}:{second // 60 % 60:02}:{second % 60:02}:{rest:02}"

        for number in range(30_000):
            at = number * 40
            times = (label(90_000), label(90_040), label(at), label(at + 40))
            lines += [
                f"{number % 999 + 1:03}  AX       V     C        {' '.join(times)}",
                f"* FROM CLIP NAME: SHOT {number % 700}",
            ]
        path.write_text("\n".join(lines))
        started = time.monotonic()
        found = import_edit(path, hints=EditHints(rate=Fraction(RATE)))
        self.assertEqual(len(found.lanes[0].events), 30_000)
        self.assertEqual(len(found.shots()), 30_000)
        print(f"30,000 events read in {time.monotonic() - started:.1f} s")


class SampleEditsTest(TestCase):
    """Real edits that the adapters' source packages carry for their own tests; fetched once, never copied here."""

    packages = ("otio-cmx3600-adapter==1.0.0", "otio-aaf-adapter==2.0.0")

    def samples(self) -> list[Path]:
        kept = _REPOSITORY / "var" / "test" / "edits"
        kept.mkdir(parents=True, exist_ok=True)
        for package in self.packages:
            stem = package.replace("-", "_").replace("==", "-")
            if not (kept / f"{stem}.tar.gz").exists():
                name = package.partition("==")[0]
                pip = [sys.executable, "-m", "pip", "download", "-q", "--no-deps", "--no-binary", name]
                # The tests' own "warnings are errors" is not for pip, which warns of its own parts.
                plain = {key: value for key, value in os.environ.items() if key != "PYTHONWARNINGS"}
                done = subprocess.run(
                    [*pip, "-d", str(kept), package],
                    env=plain,
                    capture_output=True,
                    text=True,
                    timeout=300,
                    check=False,
                )
                self.assertEqual(done.returncode, 0, done.stderr)
            if not (kept / stem).is_dir():
                with tarfile.open(kept / f"{stem}.tar.gz") as archive:
                    archive.extractall(kept, filter="data")
        return sorted(
            path
            for path in kept.glob("*/tests/sample_data/*")
            if path.suffix in (".edl", ".aaf", ".otio") and path.stat().st_size < 4 << 20
        )

    def test_every_sample_is_read_or_refused_with_a_sentence(self) -> None:
        samples = self.samples()
        self.assertGreater(len(samples), 50)
        read, refused = 0, {}
        for path in samples:
            with self.subTest(path.stem):
                try:
                    found = import_edit(path, hints=EditHints(assumed_rate=Fraction(24)))
                except EditRefused as error:
                    refused[path.stem] = str(error)
                    continue
                read += 1
                self.assertEqual(timeline_from_json(timeline_to_json(found)), found)
                self.assertGreater(found.length, 0)
                for lane in found.lanes:
                    ends = [event.end for event in lane.events if event.kind != "transition"]
                    starts = [event.start for event in lane.events if event.kind != "transition"]
                    self.assertTrue(all(end <= start for end, start in zip(ends, starts[1:], strict=False)), lane.name)
        self.assertLessEqual(len(refused), 4, refused)
        print(f"{read} sample edits read, {len(refused)} refused")
