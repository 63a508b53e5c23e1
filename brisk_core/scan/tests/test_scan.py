import tempfile
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from unittest import TestCase

import av
import cv2
import numpy as np

from brisk_core.facts import Depth, Inspection, Unheard, inspection_from_json, inspection_to_json
from brisk_core.inspect import ScanPart, conclude_parts, inspect, scan_part
from brisk_core.meters.tests.drawn import Plane, converted, moment, weave
from brisk_core.meters.tests.test_area import boxed
from brisk_core.meters.tests.test_sound import tone
from brisk_core.packets import load_series
from brisk_core.reading import Source
from brisk_core.scan import load_scan, plan_segments
from brisk_core.scan.tests.encoded import CODINGS, Coding, inspected, write

COUNT = 60


def clean() -> list[Plane]:
    return [moment(number, grain=1.5) for number in range(COUNT)]


def fields(*, top_first: bool = True) -> list[Plane]:
    pairs = [(moment(at, grain=1.5), moment(at + 0.5, grain=1.5)) for at in range(COUNT)]
    return [weave(*pair) if top_first else weave(*pair[::-1]) for pair in pairs]


class EncodedTest(TestCase):
    """Constructions through every coder at hand: what is planted is found, and a clean twin is silent."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def facts(self, planes: list[Plane], coding: Coding, **more: object) -> Inspection:
        return inspected(write(self.folder / "a", planes, coding, **more))  # type: ignore[arg-type]

    def places(self, found: Inspection, id_: str) -> list[tuple[int, int]]:
        return [(span.start, span.end) for span in found.best(id_)]

    def assert_silent(self, found: Inspection, *, but: tuple[str, ...] = ()) -> None:
        for name in ("comb", "freeze", "repeat", "blend", "drop", "black", "flash", "unreadable", "cuts"):
            if name not in but:
                self.assertEqual(found.best(f"content.{name}"), (), name)
        # Where too little is fine, nobody knows whether it was enlarged.
        unknown = found.best("content.detail") is None
        self.assertIn(found.best("content.mistakes"), ((), None) if unknown else ((),))

    def test_clean_files_of_every_coder_are_silent(self) -> None:
        for name, coding in CODINGS.items():
            with self.subTest(name):
                found = self.facts(clean(), coding)
                self.assertEqual(found.facts["picture.scan"].observed, "progressive")
                self.assertEqual((found.best("content.cadence"), found.best("content.bars")), ("none", "none"))
                self.assert_silent(found)
                if coding.bits == 8:
                    self.assertEqual(found.facts["picture.bit_depth"].observed, 8)

    def test_eight_bits_in_sixteen_are_told(self) -> None:
        found = self.facts(clean(), CODINGS["ffv1-16"])
        self.assertEqual((found.facts["picture.bit_depth"].coded, found.facts["picture.bit_depth"].observed), (16, 8))

    def test_repeats_and_freezes_of_every_coder(self) -> None:
        planes = clean()
        planes[20] = planes[19]
        planes[35:50] = [planes[35]] * 15
        for name, coding in CODINGS.items():
            with self.subTest(name):
                found = self.facts(planes, coding)
                self.assertEqual(self.places(found, "content.repeat"), [(20, 21)])
                self.assertEqual(self.places(found, "content.freeze"), [(35, 50)])

    def test_frames_in_each_others_place_of_some_coders(self) -> None:
        planes = clean()
        for at in (20, 33):
            planes[at], planes[at + 1] = planes[at + 1], planes[at]
        for name in ("avc", "hevc", "mpeg2", "prores"):
            with self.subTest(name):
                found = self.facts(planes, CODINGS[name])
                says = [f"Frames {at} and {at + 1} stand in each other's place" for at in (20, 33)]
                self.assertEqual([one.partition(":")[0] for one in found.best("content.mistakes")], says)
                self.assertEqual(self.places(found, "content.drop") + self.places(found, "content.blend"), [])

    def test_fields_and_their_order_by_the_pictures_whatever_the_stream_says(self) -> None:
        codings = {
            "mpeg2": replace(CODINGS["mpeg2"], options={"b": "9000000", "g": "12", "bf": "2", "flags": "+ildct+ilme"}, field_order="tff"),
            "avc": replace(CODINGS["avc"], options={"preset": "ultrafast", "crf": "16", "flags": "+ildct+ilme", "x264-params": "tff=1"}),
            "prores": replace(CODINGS["prores"], options={"profile": "3", "flags": "+ildct"}, field_order="tff"),
        }  # fmt: skip
        for name, coding in codings.items():
            for top_first, order in ((True, "top"), (False, "bottom")):
                with self.subTest(name, order=order):
                    found = self.facts(fields(top_first=top_first), coding)
                    self.assertEqual(
                        (found.facts["picture.scan"].observed, found.facts["picture.field_order"].observed),
                        ("interlaced", order),
                    )
                    turned = any("turned" in one for one in found.best("content.mistakes"))
                    self.assertEqual(turned, order == "bottom")

    def test_fields_in_a_progressive_stream_and_the_opposite(self) -> None:
        found = self.facts(fields(), CODINGS["avc"])
        self.assertEqual(found.facts["picture.scan"].observed, "interlaced")
        self.assertTrue(found.best("content.comb"))
        self.assertIn("woven", found.best("content.mistakes")[0])
        flagged = replace(CODINGS["avc"], options={"preset": "ultrafast", "x264-params": "fake-interlaced=1"})
        found = self.facts(clean(), flagged)
        self.assertEqual(
            (found.facts["picture.scan"].coded, found.facts["picture.scan"].observed),
            ("interlaced", "progressive-as-fields"),
        )

    def test_a_rate_made_by_mixing_through_coders(self) -> None:
        planes = converted(Fraction(30), Fraction(25), 100, 1.5)
        for name in ("avc", "mpeg2", "prores", "hevc"):
            with self.subTest(name):
                found = self.facts(planes, CODINGS[name])
                marked = {number for start, end in self.places(found, "content.blend") for number in range(start, end)}
                self.assertEqual(marked, {number for number in range(100) if number % 5})
                self.assertIn("made from 30", found.best("content.mistakes")[0])

    def test_bars_black_and_cuts_through_coders(self) -> None:
        planes = [boxed(number, top=36, bottom=36) for number in range(COUNT)]
        planes[20:28] = [np.full_like(planes[0], 16)] * 8
        planes[40:] = [np.where(plane > 16, 240 - plane // 2, plane).astype(np.uint8) for plane in planes[40:]]
        for name in ("avc", "mpeg2", "prores"):
            with self.subTest(name):
                found = self.facts(planes, CODINGS[name])
                x, y, width, height = found.best("content.active_area")
                self.assertLessEqual(max(abs(x), abs(y - 36), abs(width - 352), abs(height - 216)), 2)
                self.assertEqual(
                    (found.best("content.bars"), self.places(found, "content.black")), ("top-bottom", [(20, 28)])
                )
                self.assertIn((40, 41), self.places(found, "content.cuts"))

    def test_wrong_range_conversions_through_coders(self) -> None:
        def squeeze(plane: Plane) -> Plane:
            return np.asarray(np.round(16 + plane.astype(float) * 219 / 255), np.uint8)

        def stretch(plane: Plane) -> Plane:
            return np.asarray(np.clip(np.round((plane.astype(float) - 16) * 255 / 219), 0, 255), np.uint8)

        once, clean_planes = [squeeze(plane) for plane in clean()], clean()
        for name in ("avc", "mpeg2", "prores", "vp9"):
            with self.subTest(name):
                shifts = [
                    self.facts(planes, CODINGS[name]).best("content.level_shift")
                    for planes in (clean_planes, once, [squeeze(plane) for plane in once])
                ]
                self.assertEqual(shifts, ["none", "squeezed", "squeezed-twice"])
                found = self.facts([stretch(plane) for plane in clean_planes], CODINGS[name])
                self.assertEqual(found.facts["picture.range"].observed, "full")
                self.assertIsNot(found.facts["content.level_shift"].observed, "none")  # coding fills the comb
                self.assertIn("full range", found.best("content.mistakes")[0])

    def test_pictures_without_black_and_white_are_not_called_squeezed(self) -> None:
        planes = clean()
        low, high = min(int(plane.min()) for plane in planes), max(int(plane.max()) for plane in planes)
        for name in ("avc", "mpeg2", "prores", "vp9"):
            for floor, ceiling in ((29, 219), (31, 215), (42, 203)):
                grey = [
                    np.asarray(
                        np.round(floor + (plane.astype(float) - low) * (ceiling - floor) / (high - low)), np.uint8
                    )
                    for plane in planes
                ]
                found = self.facts(grey, CODINGS[name])
                self.assertNotIn(found.best("content.level_shift"), ("squeezed", "squeezed-twice"), (name, floor))
                self.assertEqual(
                    [one for one in found.best("content.mistakes") or () if "range" in one], [], (name, floor)
                )

    def test_the_largest_pictures(self) -> None:
        grain = np.random.default_rng(1).normal(0, 3, (2160, 4096)).astype(np.int16)
        planes = []
        for number in range(12):
            large = cv2.resize(moment(number, size=(512, 270)), (4096, 2160), interpolation=cv2.INTER_CUBIC)
            planes.append(np.asarray((large + np.roll(grain, 97 * number, 1)).clip(0, 255), np.uint8))
        planes[6] = planes[5]
        found = self.facts(planes, CODINGS["avc"])
        self.assertEqual(found.facts["picture.scan"].observed, "progressive")
        self.assertEqual(found.best("content.active_area"), (0, 0, 4096, 2160))
        self.assertEqual(self.places(found, "content.repeat"), [(6, 7)])
        self.assert_silent(found, but=("repeat", "mistakes"))

    def test_leading_pictures_that_cannot_be_decoded_are_unreadable_and_not_black(self) -> None:
        coding = replace(CODINGS["mpeg2"], suffix=".ts", options={"b": "6000000", "g": "12", "bf": "2"})
        path = write(self.folder / "a", clean(), coding)
        with av.open(str(path)) as container, av.open(str(self.folder / "cut.ts"), "w") as other:
            stream = container.streams.video[0]
            copy = other.add_stream_from_template(stream)
            entries = [packet for packet in container.demux(stream) if packet.size]
            second = [number for number, packet in enumerate(entries) if packet.is_keyframe][1]
            for packet in entries[second:]:
                packet.stream = copy
                other.mux(packet)
        found = inspected(self.folder / "cut.ts")
        self.assertEqual(self.places(found, "content.unreadable"), [(0, 2)])
        self.assert_silent(found, but=("unreadable",))

    def test_sound_of_a_file_and_its_places_on_the_clock_of_the_picture(self) -> None:
        sound = tone(-23, COUNT / 25)
        sound[:, 48000:52800] = 0
        found = self.facts(clean(), CODINGS["prores"], sound=sound)
        self.assertAlmostEqual(found.best("sound.loudness")[0], -23.1, delta=0.3)
        dropout = found.best("sound.dropout")[0][0]
        self.assertAlmostEqual(dropout.start, 1.0, delta=0.01)
        self.assertAlmostEqual(dropout.end, 1.1, delta=0.01)
        self.assertEqual((found.best("sound.bit_depth"), found.best("sound.same_channels")), ((24,), (True,)))

    def test_sizes_from_tiny_to_odd_and_rates_from_15_to_120(self) -> None:
        for size, rate in (((128, 96), 15), ((353, 289), 50), ((720, 576), 120)):
            with self.subTest(size=size):
                planes = [moment(number, grain=1, size=(min(size[0], 720), min(size[1], 360))) for number in range(30)]
                planes = [
                    np.ascontiguousarray(np.pad(plane, ((0, size[1] - plane.shape[0]), (0, 0)), "reflect"))
                    for plane in planes
                ]
                found = self.facts(planes, replace(CODINGS["ffv1"], pixels="yuv444p", rate=Fraction(rate)))
                self.assertEqual(found.facts["picture.scan"].observed, "progressive")
                self.assertEqual(found.best("content.active_area")[2:], size)
                self.assert_silent(found)

    def test_pictures_of_a_few_lines_or_columns_are_scanned(self) -> None:
        for size in ((2, 2), (12, 4), (6, 40), (400, 2), (1600, 4)):
            with self.subTest(size=size):
                planes = [np.full(size[::-1], number * 7 % 256, np.uint8) for number in range(30)]
                found = self.facts(planes, CODINGS["ffv1"])
                self.assertEqual(found.facts["picture.frame_count"].observed, 30)
                self.assertEqual(found.best("content.unreadable"), ())

    def test_a_file_cut_in_half_gives_half_the_truth(self) -> None:
        path = write(self.folder / "a", [*clean(), *clean()], CODINGS["mpeg2"])
        path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
        found = inspected(path)
        self.assertEqual(found.facts["picture.scan"].observed, "progressive")
        self.assertLess(found.best("picture.frame_count"), 90)

    def test_damaged_pictures_are_named(self) -> None:
        path = write(self.folder / "a", clean(), CODINGS["ffv1"])
        data = bytearray(path.read_bytes())
        middle = len(data) // 2
        data[middle : middle + 60_000] = bytes(60_000)
        path.write_bytes(data)
        found = inspected(path)
        self.assertTrue(found.best("content.unreadable") or found.best("timing.gaps"))


class PartsTest(TestCase):
    """A scan in parts gives what a scan in one go gives, to the byte."""

    def test_parts_join_to_the_same_facts_and_series(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            planes = [moment(number % 90, number // 90 + 1, grain=1) for number in range(240)]
            path = write(
                folder / "a",
                planes,
                replace(CODINGS["avc"], options={"preset": "ultrafast", "g": "24"}),
                tone(-20, 9.6),
            )
            whole = inspect(
                Source.at(str(path)), series_path=folder / "s.npz", scan_path=folder / "whole.npz"
            ).inspection
            packets = inspect(Source.at(str(path)), Depth.PACKETS).inspection
            segments = plan_segments(load_series(folder / "s.npz"), 2)
            self.assertEqual([segment.length > 90 for segment in segments], [True, True])
            for number, segment in enumerate(segments):
                part = ScanPart(
                    segment=segment,
                    sound=number == 0,
                    pictures_path=folder / f"{number}.npz",
                    sound_path=folder / "sound.npz",
                )
                scan_part(Source.at(str(path)), folder / "s.npz", part, full=False, duration=9.6, progress=None)
            kept = inspection_from_json(inspection_to_json(packets))  # as the database gives it back
            parts: list[Path | None] = [folder / "0.npz", folder / "1.npz"]
            joined = conclude_parts(
                kept, folder / "s.npz", segments, parts, folder / "sound.npz", folder / "joined.npz"
            )
            self.assertEqual(
                inspection_to_json(joined)["characteristics"], inspection_to_json(whole)["characteristics"]
            )
            self.assertEqual(
                load_scan(folder / "joined.npz").pictures.tobytes(), load_scan(folder / "whole.npz").pictures.tobytes()
            )
            deaf = conclude_parts(kept, folder / "s.npz", segments, parts, None, folder / "deaf.npz")
            self.assertEqual(deaf.unread["sound.clipping"], "the sound could not be scanned")
            self.assertIs(deaf.facts["sound.clipping"].observed, Unheard.UNHEARD)
            half = conclude_parts(
                kept, folder / "s.npz", segments, [parts[0], None], folder / "sound.npz", folder / "half.npz"
            )
            lost = half.best("content.unreadable")
            self.assertEqual([(span.start, span.end) for span in lost], [(segments[1].first, 240)])
