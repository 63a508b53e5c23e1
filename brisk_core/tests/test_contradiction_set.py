"""The contradiction set: files whose witnesses tell different stories, each made from a right one by one change."""

from __future__ import annotations

import re
import struct
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import av

from brisk_core.facts import Inspection
from brisk_core.reading.streams.tests.test_one_header import marked
from brisk_core.reading.tests.test_headers import MediaTest
from brisk_core.spec import judge, parse_spec
from brisk_core.spec.integrity import INTEGRITY

_ANY = """
brisk_spec: 1
id: any
name: Anything with a picture
family: web
source: a test
issued: 2026-03-02
lines:
  - { id: frames, characteristic: picture.frame_count, condition: { at_least: 1 }, witness: observed }
"""


def patched(path: Path, kind: bytes, change: Callable[[bytearray, int], None]) -> Path:
    """Change the contents of the first box of a kind in place; ``change`` gets the file and where the contents begin."""
    data = bytearray(path.read_bytes())
    at = data.index(kind)
    change(data, at + 4)
    path.write_bytes(data)
    return path


class ContradictionTest(MediaTest):
    def findings(self, found: Inspection) -> dict[str, tuple[str, str]]:
        check = judge(parse_spec(_ANY), found)
        return {one.line.id.removeprefix("integrity-"): (one.outcome.value, one.says) for one in check.findings}

    def contradictions(self, path: Path) -> list[str]:
        found = self.read(path)
        outcome, says = self.findings(found)["contradictions"]
        listed = list(found.best("file.contradictions"))
        self.assertEqual(outcome, "caution" if listed else "pass", says)
        return listed

    def mp4(self, name: str = "a.mp4", **recipe: Any) -> Path:
        return self.made(name, **({"frames": 50} | recipe))

    def test_the_right_twin_has_no_finding(self) -> None:
        for name, recipe in (
            ("a.mp4", {"sound": "aac"}),
            ("b.mov", {"codec": "prores_ks", "pixels": "yuv422p10le", "options": {}, "sound": "pcm_s16le"}),
            ("c.mkv", {"rate": Fraction(60000, 1001), "sound": "aac"}),
            ("d.ts", {"rate": Fraction(30000, 1001), "sound": "ac3"}),
            ("e.mxf", {"codec": "mpeg2video", "pixels": "yuv422p", "options": {}, "sound": "pcm_s24le"}),
            ("f.mpg", {"codec": "mpeg2video", "options": {}, "sound": "mp2"}),
            ("g.webm", {"codec": "libvpx-vp9", "options": {}, "rate": Fraction(24000, 1001), "sound": "libopus"}),
            ("h.avi", {"codec": "mjpeg", "pixels": "yuvj420p", "options": {}, "sound": "pcm_s16le"}),
            ("i.mkv", {"codec": "ffv1", "pixels": "yuv422p10le", "options": {}, "sound": "pcm_s16le"}),
            ("j.mp4", {"codec": "libsvtav1", "options": {"preset": "12"}, "sound": "aac"}),
        ):
            with self.subTest(name):
                found = self.findings(self.read(self.mp4(name, **recipe)))
                self.assertEqual({line: says for line, (outcome, says) in found.items() if outcome != "pass"}, {})
                has_level = self.read(self.folder / name).facts["picture.level"].coded is not None
                self.assertEqual(len(found), 1 + len(INTEGRITY) - (not has_level))

    def test_wrapper_says_top_first_and_stream_bottom(self) -> None:
        path = self.mp4(
            "a.mov", codec="prores_ks", pixels="yuv422p10le", options={"flags": "+ildct", "field_order": "tt"},
            mark=marked("bff"),
        )  # fmt: skip
        self.assertEqual(self.contradictions(path), ["field order: the wrapper says top, the stream codes bottom"])

    def test_progressive_pictures_coded_as_fields(self) -> None:
        path = self.mp4(
            "a.mxf",
            codec="mpeg2video",
            pixels="yuv422p",
            size=(1920, 1080),  # the lines of its fields are known for this size
            frames=5,
            options={"flags": "+ildct+ilme", "field_order": "tt"},
            mark=marked("tff"),
        )
        self.assertEqual(self.contradictions(path), [])
        data = bytearray(path.read_bytes())
        for match in re.finditer(rb"\x00\x00\x01\xb5[\x80-\x8f]", bytes(data)):  # picture coding extensions
            data[match.start() + 8] |= 0x80  # progressive_frame
        path.write_bytes(data)
        self.assertEqual(
            self.contradictions(path), ["scan: the wrapper says interlaced, the stream codes progressive-as-fields"]
        )

    def test_range_flagged_differently(self) -> None:
        options = {
            "preset": "ultrafast",
            "x264-params": "fullrange=on:colorprim=bt709:transfer=bt709:colormatrix=bt709",
        }
        path = self.mp4(options=options, container_options={"movflags": "+write_colr"}, pixels="yuvj420p")

        def to_narrow(data: bytearray, at: int) -> None:
            self.assertEqual(data[at : at + 4], b"nclx")
            data[at + 10] &= 0x7F

        self.assertEqual(self.contradictions(path), [])
        patched(path, b"colr", to_narrow)
        self.assertEqual(self.contradictions(path), ["range: the wrapper says narrow, the stream codes full"])

    def test_a_duration_that_lies(self) -> None:
        path = self.mp4(container_options={"movflags": "+faststart"})
        patched(path, b"mvhd", lambda data, at: struct.pack_into(">I", data, at + 16, 9000))
        self.assertEqual(self.contradictions(path), ["duration: the wrapper says 9 s, the file shows 2 s"])

    def test_24000_over_1001_declared_with_24_in_the_stream(self) -> None:
        right, path = self.mp4("right.mp4", rate=Fraction(24)), self.folder / "a.mp4"
        with av.open(str(right)) as old, av.open(str(path), "w") as new:
            source = old.streams.video[0]
            stream: Any = new.add_stream_from_template(source)
            for packet in old.demux(source):
                if packet.dts is None or packet.pts is None:
                    continue
                frames = [round(ticks * source.time_base * 24) for ticks in (packet.pts, packet.dts)]
                packet.time_base, packet.stream, packet.duration = Fraction(1, 24000), stream, 1001
                packet.pts, packet.dts = (frame * 1001 for frame in frames)
                new.mux(packet)
        self.assertEqual(
            self.contradictions(path),
            [
                "frame rate: the wrapper says 23.976 (24000/1001), the stream codes 24, the file shows 23.976 (24000/1001)"
            ],
        )

    def test_index_last_is_no_contradiction_but_known(self) -> None:
        path = self.mp4()
        self.assertIs(self.read(path).best("wrapper.index_first"), False)
        self.assertEqual(self.contradictions(path), [])

    def test_level_3_1_at_1080_lines(self) -> None:
        options = {"preset": "ultrafast", "x264-params": "level=3.1"}
        outcome, says = self.findings(self.read(self.mp4(size=(1920, 1080), frames=26, options=options)))["level"]
        self.assertEqual(outcome, "caution")
        self.assertIn("a picture of 1920 × 1088 has 8,160 macroblocks; level 3.1 allows 3,600", says)
        self.assertIn(
            "lowest level that allows it is 4", self.read(self.folder / "a.mp4").best("picture.level_exceeded")[-1]
        )

    def test_an_extension_that_does_not_fit(self) -> None:
        path = self.mp4().rename(self.folder / "a.mkv")
        outcome, says = self.findings(self.read(path))["extension"]
        self.assertEqual(outcome, "caution")
        self.assertIn("the wrapper says matroska; the file shows mp4", says)

    def test_times_that_double_and_go_back(self) -> None:
        doubled = self.read(
            self.mp4(
                "a.mkv", time_base=Fraction(1, 1000), times=lambda n: n * 40 if n != 20 else 19 * 40 + 0, frames=40
            )
        )
        outcome = self.findings(doubled)["duplicates"][0]
        self.assertEqual((outcome, len(doubled.best("timing.duplicates"))), ("fail", 1))

    def test_sound_that_is_longer_than_the_picture(self) -> None:
        path = self.made("a.mp4", frames=50, sound="aac", sound_seconds=3)
        outcome, says = self.findings(self.read(path))["sound-length"]
        self.assertEqual(outcome, "caution", says)
        self.assertIn("sound length difference 1 s", says)
