import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import av
import cv2
import numpy as np
from PIL import Image

from brisk_core.facts import Depth, Inspection, keys
from brisk_core.frames import frame_path, kept_numbers, of_shot, settle_small_pictures
from brisk_core.inspect import ScanPart, conclude_parts, inspect, scan_part
from brisk_core.meters.tests.drawn import Plane
from brisk_core.packets import load_series
from brisk_core.reading import Source
from brisk_core.scan import plan_segments
from brisk_core.scan.small_pictures import INTO, evenly
from brisk_core.scan.tests.encoded import CODINGS, Coding, write

SIZE = (320, 180)


def moving(shot: int, into: int) -> Plane:
    """A frame of a shot of its own texture that drifts."""
    coarse = np.random.default_rng(shot).integers(30, 220, (14, 24)).astype(np.float32)
    large = cv2.resize(coarse, (SIZE[0] + 80, SIZE[1] + 8), interpolation=cv2.INTER_CUBIC).clip(16, 235)
    left = into * 2 % 80
    return np.ascontiguousarray(large[4 : 4 + SIZE[1], left : left + SIZE[0]].astype(np.uint8))


class WantedTest(TestCase):
    """Small pictures are of the frames that they say, and those that matter are there."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.kept_in = self.folder / "small"

    def scanned(self, planes: list[Plane], coding: Coding, *, keeps: bool = True) -> tuple[Source, Inspection]:
        """Scan a file in parts, as workers do."""
        source = Source.at(str(write(self.folder / "file", planes, coding)))
        series_path = self.folder / "series.npz"
        known = inspect(source, Depth.PACKETS, series_path=series_path).inspection
        segments = plan_segments(load_series(series_path), 2)
        paths = [self.folder / f"{number}.npz" for number in range(len(segments))]
        for segment, path in zip(segments, paths, strict=True):
            part = ScanPart(
                segment=segment, sound=False, pictures_path=path, sound_path=self.folder / "sound.npz",
                small_folder=self.kept_in if keeps else None,
            )  # fmt: skip
            scan_part(source, series_path, part, full=False, duration=0, progress=None)
        facts = conclude_parts(known, series_path, segments, paths, None, self.folder / "scan.npz")
        settle_small_pictures(source, load_series(series_path), series_path, self.kept_in, facts)
        return source, facts

    def assert_exact(self, source: Source) -> None:
        """Each picture is nearer to its own frame than to any other of a different content."""
        with av.open(source.url) as container:
            decoded = [
                frame.reformat(width=240, height=135, format="gray").to_ndarray().astype(int)
                for frame in container.decode(video=0)
            ]
        for number in kept_numbers(self.kept_in):
            picture = np.asarray(Image.open(frame_path(self.kept_in, number)).convert("L")).astype(int)
            away = np.array([np.abs(picture - other).mean() for other in decoded])
            self.assertLess(away[number], away.min() + 0.5, number)
            self.assertLess(away[number], 12, number)

    def test_head_and_tail_and_every_shot_are_kept_and_exact(self) -> None:
        planes = [moving(shot, into) for shot in range(9) for into in range(31 + shot)]
        starts = [sum(31 + one for one in range(shot)) for shot in range(9)]
        for name in ("avc", "mpeg2", "prores"):
            with self.subTest(name):
                source, facts = self.scanned(planes, CODINGS[name])
                self.assertEqual([span.start for span in facts[keys.CONTENT_CUTS] or ()], starts[1:])
                kept = kept_numbers(self.kept_in)
                self.assertLessEqual({0, len(planes) - 1, *evenly(len(planes))}, set(kept))
                for start, end in zip(starts, [*starts[1:], len(planes)], strict=True):
                    self.assertEqual(of_shot(kept, start, end), min(kept, key=lambda one: abs(one - start - INTO)))
                self.assertLessEqual(len(kept), 2 + 24 + 9)
                self.assert_exact(source)

    def test_the_first_frame_of_a_fault_is_kept_though_no_scan_could_foresee_it(self) -> None:
        planes = (
            [moving(1, into) for into in range(60)]
            + [moving(1, 59)] * 40
            + [moving(1, into) for into in range(60, 120)]
        )
        source, facts = self.scanned(planes, CODINGS["avc"])
        (freeze,) = facts[keys.CONTENT_FREEZE] or ()
        self.assertIn(freeze.start, kept_numbers(self.kept_in))
        self.assertNotIn(freeze.start, evenly(len(planes)))
        self.assert_exact(source)

    def test_what_a_scan_did_not_keep_is_made_and_what_does_not_matter_goes(self) -> None:
        planes = [moving(shot, into) for shot in range(3) for into in range(40)]
        self.kept_in.mkdir()
        frame_path(self.kept_in, 58).write_bytes(b"of a scan that was begun before")
        coding = replace(CODINGS["avc"], options={"preset": "ultrafast", "g": "30"})
        source, _ = self.scanned(planes, coding, keeps=False)
        kept = kept_numbers(self.kept_in)
        self.assertNotIn(58, kept)
        self.assertLessEqual({0, 119, 43, 83}, set(kept))
        self.assert_exact(source)

    def test_one_frame_and_nothing(self) -> None:
        self.scanned([moving(1, 0)], CODINGS["mjpeg"])
        self.assertEqual(kept_numbers(self.kept_in), [0])
        self.assertEqual(kept_numbers(self.folder / "nowhere"), [])
        self.assertIsNone(of_shot([1, 9], 2, 9))
