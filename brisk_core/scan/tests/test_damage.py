"""Files with changed bytes: whatever an independent decode of the same library complains of is told with its frames."""

import hashlib
import random
import tempfile
from itertools import pairwise
from pathlib import Path
from unittest import TestCase

import av
import cv2
import numpy as np
from av import logging

from brisk_core.errors import UnreadableFile
from brisk_core.facts import Inspection
from brisk_core.inspect import inspect
from brisk_core.meters.tests.drawn import Plane, moment
from brisk_core.packets import PacketSeries, load_series
from brisk_core.reading import Source
from brisk_core.scan import scan_pictures
from brisk_core.scan.listening import listening
from brisk_core.scan.pictures import PictureScan
from brisk_core.scan.segments import Segment
from brisk_core.scan.tests.encoded import CODINGS, Coding, write
from brisk_core.scan.tests.test_coded_material import CLEAN

FAST = {"preset": "veryfast", "crf": "23"}
OPEN_GROUPS = {"x264-params": "keyint=12:open-gop=1:bframes=3:b-pyramid=normal:ref=3"}
INTER = {
    "avc": Coding(options=FAST | {"g": "12"}),
    "avc-slices": Coding(options=FAST | {"x264-params": "slices=3:keyint=12"}, suffix=".mkv"),
    "avc-open": Coding(options=FAST | OPEN_GROUPS, suffix=".ts"),
    "avc-untimed": Coding(options=FAST | {"g": "12"}, suffix=".avi"),  # times in the order of decoding alone
    "avc-untimed-open": Coding(options=FAST | OPEN_GROUPS, suffix=".mxf"),
    "avc-refresh": Coding(options=FAST | {"x264-params": "keyint=12:intra-refresh=1:bframes=0"}),
    "avc-fields": Coding(field_order="tff", options=FAST | {"flags": "+ildct+ilme", "x264-params": "keyint=12:tff=1"}),
    "hevc": Coding(codec="libx265", options={"x265-params": "log-level=error:keyint=12:open-gop=1:bframes=4"}),
    "mpeg2": Coding(codec="mpeg2video", suffix=".ts", options={"b": "1500000", "g": "12", "bf": "2"}),
    "mpeg4": Coding(codec="mpeg4", suffix=".avi", options={"b": "1500000", "g": "12", "bf": "2"}),
    "vp9": CODINGS["vp9"],
}
INTRA = {name: CODINGS[name] for name in ("prores", "mjpeg")} | {
    "ffv1": Coding(codec="ffv1", suffix=".mkv", options={"level": "3", "slicecrc": "1"}),
}
COUNT = 48


def drawn() -> list[Plane]:
    return [moment(number * 1.5, grain=1.5, size=(240, 136)) for number in range(COUNT)]


class DamageTest(TestCase):
    folder: Path

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        planes = drawn()
        cls.files = {name: write(cls.folder / name, planes, coding) for name, coding in (INTER | INTRA).items()}

    def inspected(self, path: Path) -> tuple[Inspection, PacketSeries]:
        series_path = self.folder / "series.npz"
        found = inspect(Source.at(str(path)), series_path=series_path).inspection
        return found, load_series(series_path)

    def test_whole_files_are_silent_at_once_and_in_segments(self) -> None:
        for name, path in self.files.items():
            found, series = self.inspected(path)
            self.assertEqual(found.best("content.unreadable"), (), name)
            presented = series.presented_pts()
            entries = np.unique(np.searchsorted(presented, series.pts[series.random_access])).tolist()
            bounds = sorted({0, *entries[1:5], len(series)})
            for first, end in pairwise(bounds):
                segment = Segment(first, end)
                scan = scan_pictures(Source.at(str(path)), series, segment, full=False)
                self.assertEqual((scan.damaged, scan.missing), ([], []), (name, segment))

    def test_what_a_decoder_complains_of_is_told(self) -> None:
        generator = random.Random(11)
        changed = 0
        for name, path in self.files.items():
            good, _ = decoded(path)
            for _ in range(6):
                damaged = self.folder / f"damaged{path.suffix}"
                damaged.write_bytes(damage(path.read_bytes(), generator))
                pictures, complaints = decoded(damaged)
                if pictures == good or not complaints:
                    continue
                changed += 1
                try:
                    told = self.inspected(damaged)[0].best("content.unreadable")
                except UnreadableFile:
                    continue
                self.assertTrue(told, name)
        self.assertGreater(changed, 15)

    def test_what_another_decoder_refuses_is_told(self) -> None:
        generator = random.Random(3)
        path, refused = self.files["vp9"], 0
        for _ in range(12):
            damaged = self.folder / "refused.webm"
            damaged.write_bytes(damage(path.read_bytes(), generator))
            (good, _), (pictures, complaints) = decoded(path), decoded(damaged)
            if complaints or pictures == good or not refusals(damaged, "libvpx-vp9"):
                continue
            refused += 1
            self.assertTrue(self.inspected(damaged)[0].best("content.unreadable"))
        self.assertGreater(refused, 2)

    def test_damage_that_no_decoder_notices_is_seen_as_a_burst(self) -> None:
        generator = random.Random(8)
        planes = [np.asarray(CLEAN["slow pan"](float(time)).clip(16, 235), np.uint8) for time in range(60)]
        path = write(self.folder / "silent", planes, INTER["hevc"])
        self.assertEqual(self.inspected(path)[0].best("content.burst"), ())
        good, _ = decoded(path)
        seen = silent = 0
        for _ in range(24):
            damaged = self.folder / "silent-damaged.mp4"
            damaged.write_bytes(damage(path.read_bytes(), generator))
            pictures, complaints = decoded(damaged)
            changed = [at for at, (one, other) in enumerate(zip(good, pictures, strict=True)) if one != other]
            if complaints or not changed or silent == 6 or changed[-1] >= 48:
                continue  # after the last random access point nothing shows what would be right
            silent += 1
            found = self.inspected(damaged)[0].best("content.burst")
            seen += any(span.start <= changed[-1] + 1 and span.end >= changed[0] for span in found)
        self.assertEqual(silent, 6)
        self.assertGreaterEqual(seen, 4)

    def test_what_is_torn_is_seen_though_no_random_access_point_follows(self) -> None:
        planes = [np.asarray(CLEAN["slow pan"](float(time)).clip(16, 235), np.uint8) for time in range(60)]
        options = {"deadline": "realtime", "cpu-used": "8", "b": "2000000", "g": "24"}
        path = write(self.folder / "last", planes, Coding(codec="libvpx-vp9", suffix=".webm", options=options))
        self.assertEqual(self.inspected(path)[0].best("content.burst"), ())
        good, _ = decoded(path)
        with av.open(str(path)) as container:
            key = [one for one in container.demux(video=0) if one.is_keyframe][-1]
            at, size = path.read_bytes().index(bytes(key)), key.size
        told = 0
        for share in (0.25, 0.3, 0.35, 0.4, 0.45, 0.5, 0.55, 0.6):
            data, place = bytearray(path.read_bytes()), at + round(size * share)
            data[place : place + 16] = bytes(16)
            damaged = self.folder / "last-damaged.webm"
            damaged.write_bytes(data)
            pictures, complaints = decoded(damaged)
            if complaints or pictures == good or refusals(damaged, "libvpx-vp9"):
                continue
            found = self.inspected(damaged)[0].best("content.burst")
            told += any(span.start == 48 and "torn into blocks" in span.detail for span in found)
        self.assertGreater(told, 1)

    def test_what_a_coder_of_few_bits_makes_of_something_new_is_no_damage(self) -> None:
        ground, other = (CLEAN["slow pan"](time).clip(16, 235).astype(np.uint8) for time in (0.0, 300.0))
        ground[:, 320:] = cv2.GaussianBlur(ground, (0, 0), 2)[:, 320:]
        planes = [ground] * 60
        for start in (22, 40):  # something comes, and something else
            new = ground.copy()
            new[:, 320:] = np.roll(other, start, axis=0)[:, 320:]
            planes[start:] = [new] * (60 - start)
        for name, coding in {
            "mpeg2": Coding(codec="mpeg2video", suffix=".ts", options={"b": "400000", "g": "12", "bf": "2"}),
            "mpeg4": Coding(codec="mpeg4", suffix=".avi", options={"b": "300000", "g": "25"}),
            "avc": Coding(options={"preset": "ultrafast", "crf": "40", "g": "50"}),
            "vp9": Coding(
                codec="libvpx-vp9",
                suffix=".webm",
                options={"deadline": "realtime", "cpu-used": "8", "b": "100000", "g": "25"},
            ),
        }.items():
            with self.subTest(name):
                path = write(self.folder / f"few-{name}", planes, coding)
                self.assertEqual(self.inspected(path)[0].best("content.burst"), ())

    def test_the_picture_is_named_and_how_far_the_damage_may_go(self) -> None:
        path = self.files["mpeg4"]
        _, series = self.inspected(path)
        presented = series.presented_pts().tolist()
        with av.open(str(path)) as container:
            packets = [one for one in container.demux(video=0) if one.size and one.pts is not None]
        made_up = 0
        for packet in packets[2:40:5]:
            data = bytearray(path.read_bytes())
            at = (packet.pos or 0) + packet.size * 2 // 3
            data[at : at + 6] = bytes(6)
            damaged = self.folder / "named.avi"
            damaged.write_bytes(data)
            told = self.inspected(damaged)[0].best("content.unreadable")
            if not told:
                continue  # nothing that this decoder could notice
            number = presented.index(packet.pts)
            self.assertEqual(told[0].start, number)
            if told[0].detail:
                made_up += 1
                self.assertIn("the decoder made up what it could not read", told[0].detail)
        self.assertGreater(made_up, 2)

    def test_damage_is_kept_in_parts_and_joined(self) -> None:
        one, other = PictureScan.begin(0), PictureScan.begin(0)
        one.damaged = [3, 4]
        one.save(self.folder / "part.npz")
        self.assertEqual(PictureScan.load(self.folder / "part.npz").damaged, [3, 4])
        other.join(one)
        self.assertEqual(other.damaged, [3, 4])

    def test_listening_leaves_the_library_as_it_was(self) -> None:
        before = logging.get_level(), logging.get_skip_repeated()
        with listening() as listener:
            for _ in range(2):
                logging.log(logging.ERROR, "h264", "error while decoding")
            logging.log(logging.ERROR, "h264", "mmco: unref short failure")
            logging.log(logging.INFO, "h264", "all is well")
            self.assertEqual(listener.complaints(earlier=True), ["error while decoding"] * 2)
            logging.log(logging.ERROR, "h264", "mmco: unref short failure")
            self.assertEqual(len(listener.complaints()), 1)
            logging.log(logging.ERROR, "h264", "of before")
            listener.forget()
            self.assertEqual(listener.complaints(), [])
        self.assertEqual((logging.get_level(), logging.get_skip_repeated()), before)


def damage(data: bytes, generator: random.Random) -> bytes:
    """Change some bytes away from the headers."""
    changed = bytearray(data)
    at = generator.randrange(len(data) // 10, len(data) * 9 // 10)
    way = generator.randrange(3)
    if way == 0:
        changed[at] ^= 1 << generator.randrange(8)
    elif way == 1:
        changed[at : at + 16] = bytes(16)
    else:
        other = generator.randrange(len(data) // 10, len(data) * 9 // 10)
        changed[at : at + 256], changed[other : other + 256] = changed[other : other + 256], changed[at : at + 256]
    return bytes(changed[: len(data)])


def refusals(path: Path, decoder: str) -> int:
    """How many packets another decoder of the library refuses."""
    refused = 0
    with av.open(str(path)) as container:
        context = av.codec.CodecContext.create(decoder, "r")
        for packet in container.demux(video=0):
            try:
                context.decode(packet)
            except av.FFmpegError:
                refused += 1
    return refused


def decoded(path: Path) -> tuple[list[bytes], int]:
    """Pictures by a bare decode as digests, and how often the decoder complains of a picture."""
    pictures, complaints = [], 0
    try:
        with listening() as listener, av.open(str(path)) as container:
            stream = container.streams.video[0]
            stream.codec_context.thread_count = 1
            for packet in container.demux(stream):
                listener.forget()
                try:
                    for frame in packet.decode():
                        pictures.append(hashlib.sha256(b"".join(bytes(plane) for plane in frame.planes)).digest())
                        complaints += frame.is_corrupt
                except av.FFmpegError:
                    complaints += 1
                complaints += len(listener.complaints())
    except av.FFmpegError:
        complaints += 1
    return pictures, complaints
