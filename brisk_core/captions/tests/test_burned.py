import functools
import tempfile
from fractions import Fraction
from pathlib import Path
from typing import Any
from unittest import TestCase

import av
import cv2
import numpy as np

from brisk_core.captions import (
    Burned,
    Programme,
    burned_from_json,
    burned_to_json,
    look_for_burned,
    place,
    read_embedded,
)
from brisk_core.captions.tests.test_rules import stamp, subrip
from brisk_core.errors import UnreadableFile
from brisk_core.facts import Depth
from brisk_core.frames import Film
from brisk_core.inspect import inspect
from brisk_core.reading import Source
from brisk_core.samples.picture import draw

HEADER = b"""[Script Info]
ScriptType: v4.00+

[V4+ Styles]
Format: Name, Fontname, Fontsize, PrimaryColour, SecondaryColour, OutlineColour, BackColour, Bold, Italic, Underline, \
StrikeOut, ScaleX, ScaleY, Spacing, Angle, BorderStyle, Outline, Shadow, Alignment, MarginL, MarginR, MarginV, Encoding
Style: Default,Sans,16,&Hffffff,&Hffffff,&H0,&H0,0,0,0,0,100,100,0,0,1,1,0,2,10,10,10,0

[Events]
Format: Layer, Start, End, Style, Name, MarginL, MarginR, MarginV, Effect, Text
"""

RATE, FRAMES, SIZE = Fraction(25), 500, (640, 360)
WORDS = ("The lamps go out", "one by one", "along the canal", "Who is there?", "Nobody answers.", "Only water.")
CAPTIONS = [(1.0 + 3 * at, 2.6 + 3 * at, words) for at, words in enumerate(WORDS)]


@functools.cache
def drawn(number: int) -> Any:
    """The luma of a frame of the programme; the same shots again and again."""
    return draw(Fraction(number % 200) / RATE, SIZE).luma


def make(path: Path, written: list[tuple[float, float, str]], *, box: bool = False, still: bool = False) -> Path:
    """A part of the programme with captions drawn into it; white with a dark edge, or on a black box."""
    container: Any = av.open(str(path), "w")
    stream: Any = container.add_stream("libx264", rate=RATE)
    stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
    stream.options = {"preset": "ultrafast", "crf": "20"}
    for number in range(FRAMES):
        time = Fraction(number) / RATE
        luma = drawn(0 if still else number).copy()
        for start, end, words in written:
            if start <= time < end:
                (across, tall), _ = cv2.getTextSize(words, cv2.FONT_HERSHEY_SIMPLEX, 0.8, 2)
                at = ((SIZE[0] - across) // 2, 330)
                if box:
                    cv2.rectangle(luma, (at[0] - 6, at[1] + 8), (at[0] + across + 6, at[1] - tall - 6), 16, -1)
                else:
                    cv2.putText(luma, words, at, cv2.FONT_HERSHEY_SIMPLEX, 0.8, 16, 5, cv2.LINE_AA)
                cv2.putText(luma, words, at, cv2.FONT_HERSHEY_SIMPLEX, 0.8, 235, 2, cv2.LINE_AA)
        frame = av.VideoFrame(*SIZE, "yuv420p")
        for plane, values in zip(frame.planes, (luma, None, None), strict=True):
            rows = np.full((plane.height, plane.line_size), 128, np.uint8)
            if values is not None:
                rows[:, : SIZE[0]] = values
            plane.update(rows)
        frame.pts, frame.time_base = number, 1 / RATE
        container.mux(stream.encode(frame))
    container.mux(stream.encode(None))
    container.close()
    return path


class BurnedTest(TestCase):
    folder: Path

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        held = tempfile.TemporaryDirectory()
        cls.addClassCleanup(held.cleanup)
        cls.folder = Path(held.name)

    def look(self, path: Path, captions: list[tuple[float, float, str]]) -> Burned:
        series, source = path.with_suffix(".npz"), Source.at(str(path))
        inspect(source, Depth.PACKETS, series_path=series)
        programme = Programme(rate=RATE, frames=FRAMES, start=None)
        film = Film(source=source, series_path=series, full=False, size=SIZE)
        return look_for_burned(film, place(subrip(captions), programme), FRAMES, [])

    def test_burned_captions_are_seen_and_bare_pictures_are_not(self) -> None:
        for name, written, box, still, verdict in (
            ("edged", CAPTIONS, False, False, True),
            ("boxed", CAPTIONS, True, False, True),
            ("still", CAPTIONS, False, True, True),
            ("bare", [], False, False, False),
            ("bare-still", [], False, True, False),
            ("other-times", [(start + 1.6, end + 1.2, words) for start, end, words in CAPTIONS], False, False, False),
        ):
            with self.subTest(name):
                found = self.look(make(self.folder / f"{name}.mp4", written, box=box, still=still), CAPTIONS)
                self.assertEqual((found.looked, found.verdict), (6, verdict), found)
                self.assertEqual(burned_from_json(burned_to_json(found)), found)

    def test_too_few_captions_say_nothing(self) -> None:
        found = self.look(make(self.folder / "few.mp4", CAPTIONS), CAPTIONS[:2])
        self.assertIsNone(found.verdict)
        self.assertIn("too few", found.reason)
        touching = [(1 + at * 1.5, 2.5 + at * 1.5, "No gap between") for at in range(9)]
        self.assertLessEqual(self.look(self.folder / "few.mp4", touching).looked, 2)


class EmbeddedTest(TestCase):
    def test_text_tracks_are_read_on_the_clock_of_the_picture(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            path = self.with_track(folder, [(1.0, 2.5, "<i>Hello</i>\nworld"), (3.0, 4.0, "Second &amp; é")])
            (found,) = read_embedded(Source.at(str(path)))
            self.assertEqual(
                (found.name, found.embedded, found.counts, found.language), ("track 2", True, "packet", "cym")
            )
            self.assertEqual([(one.start, one.end) for one in found.captions], [(1, Fraction(5, 2)), (3, 4)])
            self.assertEqual([one.lines for one in found.captions], [("Hello", "world"), ("Second & é",)])
            bare = make(folder / "bare.mp4", [])
            self.assertEqual(read_embedded(Source.at(str(bare))), ())
            with self.assertRaises(UnreadableFile):
                (folder / "none.mp4").write_text("hello")
                read_embedded(Source.at(str(folder / "none.mp4")))

    def test_tracks_of_other_codings(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            for coding, ending, text in (
                ("mov_text", "mp4", b"Hello\nw\xc3\xb6rld"),
                ("webvtt", "mkv", b"<i>Hello</i>\nw\xc3\xb6rld"),
                ("ass", "mkv", b"0,0,Default,,0,0,0,,{\\i1}Hello\\Nw\xc3\xb6rld"),
            ):
                with self.subTest(coding):
                    data = len(text).to_bytes(2, "big") + text if coding == "mov_text" else text
                    (found,) = read_embedded(Source.at(str(self.with_packet(Path(name), coding, ending, data))))
                    (caption,) = found.captions
                    self.assertEqual((caption.start, caption.end), (Fraction(1, 2), Fraction(3, 2)))
                    self.assertEqual((caption.lines, found.language), (("Hello", "wörld"), ""))

    @staticmethod
    def with_packet(folder: Path, coding: str, ending: str, data: bytes) -> Path:
        """A second of black with one caption, from 0.5 to 1.5 s."""
        path = folder / f"{coding}.{ending}"
        container: Any = av.open(str(path), "w")
        stream: Any = container.add_stream("mpeg4", rate=RATE)
        stream.width, stream.height, stream.pix_fmt = 64, 64, "yuv420p"
        track: Any = container.add_stream(coding)
        track.time_base = Fraction(1, 1000)
        track.codec_context.subtitle_header = HEADER
        for number in range(50):
            frame = av.VideoFrame.from_ndarray(np.zeros((64, 64, 3), np.uint8), format="rgb24")
            frame.pts, frame.time_base = number, 1 / RATE
            container.mux(stream.encode(frame.reformat(format="yuv420p")))
        container.mux(stream.encode(None))
        packet: Any = av.Packet(data)
        packet.stream, packet.time_base = track, Fraction(1, 1000)
        packet.pts = packet.dts = 500
        packet.duration = 1000
        container.mux(packet)
        container.close()
        return path

    def test_the_inspection_tells_what_is_wrong_with_a_track(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            path = self.with_track(Path(name), [(1.0, 2.5, "One"), (2.0, 3.0, "Two"), (4.0, 9.0, "Three")])
            found = inspect(Source.at(str(path)), Depth.PACKETS).inspection
            self.assertEqual([(span.start, span.end) for span in found.best("text.overlap")], [(50, 75)])
            self.assertEqual(len(found.best("text.out_of_range")), 1)
            self.assertEqual(found.best("text.line_length"), ())
            bare = inspect(Source.at(str(make(Path(name) / "bare.mp4", []))), Depth.PACKETS).inspection
            self.assertEqual(
                (bare.best("text.overlap"), bare.unread["text.overlap"]), (None, "the file has no captions inside")
            )

    @staticmethod
    def with_track(folder: Path, captions: list[tuple[float, float, str]]) -> Path:
        beside = folder / "captions.srt"
        beside.write_text(
            "".join(f"{at}\n{stamp(a)} --> {stamp(b)}\n{words}\n\n" for at, (a, b, words) in enumerate(captions, 1))
        )
        path = folder / "track.mkv"
        container: Any = av.open(str(path), "w")
        stream: Any = container.add_stream("mpeg2video", rate=RATE)
        stream.width, stream.height, stream.pix_fmt = 64, 64, "yuv420p"
        with av.open(str(beside)) as text:
            track = container.add_stream_from_template(text.streams.subtitles[0])
            track.metadata["language"] = "cym"
            for number in range(125):
                frame = av.VideoFrame.from_ndarray(np.full((64, 64, 3), number, np.uint8), format="rgb24")
                frame.pts, frame.time_base = number, 1 / RATE
                container.mux(stream.encode(frame.reformat(format="yuv420p")))
            container.mux(stream.encode(None))
            for packet in text.demux(text.streams.subtitles[0]):
                if packet.dts is not None:
                    packet.stream = track
                    container.mux(packet)
        container.close()
        return path
