"""Sound with changed bytes and with stretches muted before it was coded, in the codecs that deliveries come in."""

import random
import tempfile
from fractions import Fraction
from pathlib import Path
from typing import Any
from unittest import TestCase

import av
import numpy as np
from numpy.typing import NDArray

from brisk_core.errors import UnreadableFile
from brisk_core.facts import Inspection, TimeSpan
from brisk_core.inspect import inspect
from brisk_core.reading import Source

RATE, SECONDS = 48_000, 4
#: Suffix of the file and name of the coder; those with sums of their own notice every changed byte.
CODECS = {"aac": (".mp4", "aac"), "ac3": (".ts", "ac3"), "eac3": (".mp4", "eac3"), "mp2": (".ts", "mp2"),
          "flac": (".mkv", "flac"), "opus": (".mkv", "libopus"), "pcm": (".mov", "pcm_s16le")}  # fmt: skip
WITH_SUMS = ("ac3", "eac3", "flac")


def heard() -> NDArray[np.float64]:
    """Two channels of notes that swell, over a room."""
    time = np.arange(RATE * SECONDS) / RATE
    swell = 1 + 0.5 * np.sin(2 * np.pi * 0.7 * time)
    random = np.random.default_rng(1)
    return np.stack(
        [0.2 * np.sin(2 * np.pi * hz * time) * swell + random.normal(0, 0.01, time.size) for hz in (220, 330)]
    )


def framed(block: NDArray[np.float64], form: str, at: int) -> av.AudioFrame:
    """A frame of two channels in the form that a coder wants."""
    if form.startswith("flt"):
        values: NDArray[Any] = block.astype(np.float32)
    elif form.startswith("s32"):
        values = (block * 0x7FFFFFFF).astype(np.int32)
    else:
        values = (block * 0x7FFF).astype(np.int16)
    packed = np.ascontiguousarray(values if form.endswith("p") else values.T.reshape(1, -1))
    frame = av.AudioFrame.from_ndarray(packed, format=form, layout="stereo")
    frame.sample_rate, frame.pts, frame.time_base = RATE, at, Fraction(1, RATE)
    return frame


def coded(path: Path, codec: str, sound: NDArray[np.float64]) -> Path:
    """Write a file with the sound and pictures beside it."""
    with av.open(str(path), "w") as container:
        pictures: Any = container.add_stream("mpeg2video", rate=25)
        pictures.width, pictures.height, pictures.pix_fmt = 96, 64, "yuv420p"
        track: Any = container.add_stream(codec, rate=RATE)
        track.layout = "stereo"
        for number in range(SECONDS * 25):
            frame = av.VideoFrame.from_ndarray(np.full((64, 96, 3), number * 2 % 200, np.uint8), format="rgb24")
            frame.pts = number
            container.mux(pictures.encode(frame))
        container.mux(pictures.encode(None))
        form = track.codec_context.format.name
        size = track.codec_context.frame_size or 1024
        for at in range(0, sound.shape[1], size):
            container.mux(track.encode(framed(sound[:, at : at + size], form, at)))
        container.mux(track.encode(None))
    return path


class SoundDamageTest(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def inspected(self, path: Path) -> Inspection:
        return inspect(Source.at(str(path))).inspection

    def places(self, found: Inspection, id_: str) -> list[TimeSpan]:
        return [place for track in found.best(id_) for place in track]

    def test_whole_sound_is_silent_and_holes_of_30_ms_are_found_through_every_coder(self) -> None:
        holes = ((0.8, 0.84), (1.6, 1.66), (2.5, 2.7), (3.2, 3.7))
        muted = heard()
        for start, end in holes:
            muted[:, round(start * RATE) : round(end * RATE)] = 0
        for name, (suffix, codec) in CODECS.items():
            whole = self.inspected(coded(self.folder / f"{name}{suffix}", codec, heard()))
            self.assertEqual(
                (self.places(whole, "sound.dropout"), self.places(whole, "sound.unreadable")), ([], []), name
            )
            if name == "opus":  # leaves more of nothing than others: one hole stands out, several are pauses of a kind
                continue
            found = self.places(self.inspected(coded(self.folder / f"{name}-m{suffix}", codec, muted)), "sound.dropout")
            self.assertEqual(len(found), len(holes), name)
            for place, (start, end) in zip(found, holes, strict=True):
                self.assertAlmostEqual(place.end - place.start, end - start, delta=0.03, msg=name)

    def test_a_hole_in_a_codec_that_leaves_noise_in_it(self) -> None:
        for start, end in ((1.5, 1.54), (1.5, 1.65)):
            muted = heard()
            muted[:, round(start * RATE) : round(end * RATE)] = 0
            found = self.places(self.inspected(coded(self.folder / "a.mkv", "libopus", muted)), "sound.dropout")
            self.assertEqual([round(place.start, 1) for place in found], [1.5])

    def test_packets_that_do_not_decode_are_told_and_the_rest_is_measured(self) -> None:
        generator = random.Random(3)
        for name in ("aac", *WITH_SUMS):
            suffix, codec = CODECS[name]
            path = coded(self.folder / f"{name}{suffix}", codec, heard())
            with av.open(str(path)) as container:
                packets = [one for one in container.demux(audio=0) if one.pos is not None and one.size > 40]
            told = 0
            for packet in generator.sample(packets[5:-5], 6):
                data = bytearray(path.read_bytes())
                at = (packet.pos or 0) + (40 if suffix == ".ts" else packet.size // 3)
                data[at : at + 8] = generator.randbytes(8)
                damaged = self.folder / f"damaged{suffix}"
                damaged.write_bytes(data)
                found = self.inspected(damaged)
                self.assertIsNotNone(found.best("sound.loudness"), name)
                places = self.places(found, "sound.unreadable")
                told += bool(places)
                for place in places:
                    assert packet.pts is not None
                    start = float(packet.pts * packet.time_base)
                    self.assertLess(abs(place.start + self.shift(path) - start), 0.12, name)
            self.assertGreaterEqual(told, 6 if name in WITH_SUMS else 3, name)

    def shift(self, path: Path) -> float:
        """Time of the first picture on the file's clock."""
        with av.open(str(path)) as container:
            first = min(one.pts for one in container.demux(video=0) if one.pts is not None)
            return float(first * container.streams.video[0].time_base)

    def test_sound_that_changes_its_form_for_good_is_not_measured(self) -> None:
        path = self.folder / "changes.ts"
        with av.open(str(path), "w") as container:
            track: Any = container.add_stream("ac3", rate=RATE)
            track.layout = "stereo"
            wide: Any = av.CodecContext.create("ac3", "w")
            wide.sample_rate, wide.layout, wide.format = RATE, "5.1", "fltp"
            for number in range(40):
                quiet = np.full((2, 1536), 0.1, np.float32)
                frame = av.AudioFrame.from_ndarray(quiet, format="fltp", layout="stereo")
                frame.sample_rate, frame.pts, frame.time_base = RATE, number * 1536, Fraction(1, RATE)
                container.mux(track.encode(frame))
            for number in range(40, 160):
                frame = av.AudioFrame.from_ndarray(np.full((6, 1536), 0.1, np.float32), format="fltp", layout="5.1")
                frame.sample_rate, frame.pts, frame.time_base = RATE, number * 1536, Fraction(1, RATE)
                for packet in wide.encode(frame):
                    packet.stream = track
                    container.mux(packet)
        found = self.inspected(path)
        self.assertIsNone(found.best("sound.loudness"))
        self.assertIn("the sound changes to 6 channels", found.unread["sound.loudness"])


class BareSoundTest(TestCase):
    """Sound without a wrapper of the list is read as far as the library reads it, and says that it has no picture."""

    def test_each_kind_is_read_and_scanned(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for name, codec in (
                ("a.mp3", "libmp3lame"),
                ("a.aac", "aac"),
                ("a.flac", "flac"),
                ("a.ogg", "libopus"),
                ("a.ac3", "ac3"),
            ):
                path = Path(folder) / name
                with av.open(str(path), "w") as container:
                    track: Any = container.add_stream(codec, rate=RATE)
                    track.layout = "stereo"
                    form = track.codec_context.format.name
                    for at in range(0, RATE * 2, 1152):
                        block = np.stack(
                            [np.sin(2 * np.pi * hz * np.arange(at, at + 1152) / RATE) * 0.2 for hz in (300, 440)]
                        )
                        container.mux(track.encode(framed(block, form, at)))
                    container.mux(track.encode(None))
                found = inspect(Source.at(str(path))).inspection
                self.assertEqual(found.best("sound.sample_rate"), (RATE,), name)
                self.assertEqual([found.best("sound.dropout"), found.best("sound.unreadable")], [((),), ((),)], name)
                self.assertAlmostEqual(found.best("sound.programme_loudness"), -15.0, delta=0.5, msg=name)
                self.assertIsNone(found.best("picture.codec"), name)

    def test_what_only_begins_like_sound_is_refused(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for number, head in enumerate(
                (
                    b"ID3\x04" + bytes(60),
                    b"\xff\xfb\x90\x00" + bytes(60),
                    b"OggS" + bytes(60),
                    b"\xff\xff\xff\xff" * 9,
                    b"\xff\xd8\xff\xe0" + bytes(60),
                )
            ):
                path = Path(folder) / f"{number}.mp3"
                path.write_bytes(head)
                with self.assertRaises(UnreadableFile, msg=str(number)):
                    inspect(Source.at(str(path)))


class ChannelsTest(TestCase):
    def test_the_codecs_own_box_counts_where_the_wrapper_has_its_template(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for codec in ("ac3", "eac3", "aac"):
                for layout, channels in (("5.1", 6), ("stereo", 2)):
                    path = Path(folder) / f"{codec}-{channels}.mp4"
                    with av.open(str(path), "w") as container:
                        track: Any = container.add_stream(codec, rate=RATE)
                        track.layout = layout
                        size = 1536
                        random = np.random.default_rng(4)
                        for number in range(20):
                            noise = random.normal(0, 0.1, (channels, size)).astype(np.float32)
                            frame = av.AudioFrame.from_ndarray(noise, format="fltp", layout=layout)
                            frame.sample_rate, frame.pts, frame.time_base = RATE, number * size, Fraction(1, RATE)
                            container.mux(track.encode(frame))
                        container.mux(track.encode(None))
                    found = inspect(Source.at(str(path))).inspection
                    said = found.facts["sound.channels"]
                    self.assertEqual((said.declared, said.coded), ((channels,), (channels,)), (codec, layout))
                    self.assertEqual(found.best("file.contradictions"), (), (codec, layout))
