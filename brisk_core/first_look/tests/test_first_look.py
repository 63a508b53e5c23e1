"""First looks at long files with known places: each is told, and the same file without them has nothing odd."""

from __future__ import annotations

import tempfile
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cache
from pathlib import Path
from typing import Any
from unittest import TestCase

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.errors import UnreadableFile
from brisk_core.facts import Inspection
from brisk_core.first_look import FirstLook, Seen, first_look, is_worth_it
from brisk_core.first_look.places import even_places, picture_count
from brisk_core.reading import Source, inspect_headers

RATE, SECONDS, SIZE, SOUND = 8, 80, (320, 180), 16_000
Stretch = tuple[float, float]


@dataclass(frozen=True, kw_only=True)
class Programme:
    """What stands where in a file of ``SECONDS``."""

    black: Stretch = (0, 0)
    stands: Stretch = (0, 0)
    bars: Stretch = (0, 0)  # above and below
    fields: bool = False
    full: bool = False  # values of full range in a file that says narrow
    silent: Stretch = (0, 0)
    dead: bool = False  # the right channel
    same: bool = False  # both channels
    codec: str = "libx264"
    name: str = "programme.mov"
    group: int = 8


def _texture() -> NDArray[np.uint8]:
    """A large field of soft blobs, through which the camera moves."""
    noise = np.random.default_rng(11).normal(128, 1000, (SIZE[1] * 3, SIZE[0] * 4)).astype(np.float32)
    return np.clip(cv2.GaussianBlur(noise, (0, 0), 4), 40, 210).astype(np.uint8)


_TEXTURE = _texture()


def _moment(second: float, made: Programme) -> NDArray[np.uint8]:
    if made.stands[0] <= second < made.stands[1]:
        second = made.stands[0]
    x, y = int(second * 23) % (SIZE[0] * 3), 0 if made.fields else int(second * 7) % (SIZE[1] * 2)
    luma = _TEXTURE[y : y + SIZE[1], x : x + SIZE[0]].copy()
    if made.full:
        luma = np.clip((luma.astype(int) - 40) * 255 // 160, 0, 255).astype(np.uint8)
    if made.bars[0] <= second < made.bars[1]:
        luma[:24] = luma[-24:] = 16
    if made.black[0] <= second < made.black[1]:
        luma[:] = 16
    return luma


def _sound(second: float, count: int, made: Programme) -> NDArray[np.int16]:
    random = np.random.default_rng(int(second * 1000))
    left, right = random.normal(0, 3000, (2, count))
    right = left if made.same else right
    if made.dead:
        right = np.zeros(count)
    if made.silent[0] <= second < made.silent[1]:
        left, right = np.zeros(count), np.zeros(count)
    return np.clip(np.stack([left, right], axis=1), -32768, 32767).astype(np.int16)


def make(folder: Path, made: Programme) -> Path:
    """Encode a programme with stereo sound."""
    path = folder / made.name
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream(made.codec, rate=RATE)
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        stream.options = {"g": str(made.group), "preset": "veryfast", "crf": "18", "qscale": "3"}
        sound: Any = container.add_stream("mp2" if made.name.endswith(".ts") else "pcm_s16le", rate=SOUND)
        sound.layout = "stereo"
        for number in range(RATE * SECONDS):
            luma = _moment(number / RATE, made)
            if made.fields:
                luma[1::2] = _moment((number + 0.5) / RATE, made)[1::2]
            frame = av.VideoFrame(*SIZE, "yuv420p")
            for plane, values in zip(frame.planes, (luma, 128, 128), strict=True):
                rows = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, plane.line_size)
                rows[:, : plane.width] = values
            frame.pts = number
            container.mux(stream.encode(frame))
            samples = _sound(number / RATE, SOUND // RATE, made).reshape(1, -1)
            heard = av.AudioFrame.from_ndarray(samples, format="s16", layout="stereo")
            heard.sample_rate, heard.pts, heard.time_base = SOUND, number * SOUND // RATE, Fraction(1, SOUND)
            container.mux(sound.encode(heard))
        for one in (stream, sound):
            container.mux(one.encode(None))
    return path


class FirstLookTest(TestCase):
    folder: Path

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        made = tempfile.TemporaryDirectory()
        cls.addClassCleanup(made.cleanup)
        cls.folder = Path(made.name)

    @classmethod
    @cache
    def look(cls, made: Programme) -> FirstLook:
        """Return what is seen of a programme, each made once."""
        source = Source.at(str(make(cls.folder, made)))
        return first_look(source, inspect_headers(source), folder=cls.folder / made.name.partition(".")[0])

    def odd(self, look: FirstLook) -> dict[str, Seen]:
        return {one.what: one for one in look.seen if one.odd}

    def assert_stretch(self, seen: Seen, stretch: Stretch) -> None:
        """The stretch is told as one, with edges as near as the pictures stand to each other."""
        self.assertEqual(len(seen.spans), 1, seen)
        for found, meant in zip(seen.spans[0], stretch, strict=True):
            self.assertLess(abs(found - meant), 2.5, seen)

    def test_a_clean_programme_has_nothing_odd_in_four_codecs(self) -> None:
        for codec, name in (("libx264", "a.mp4"), ("mpeg2video", "b.mkv"), ("libx264", "c.ts"), ("ffv1", "d.mkv")):
            with self.subTest(codec=codec):
                look = self.look(Programme(codec=codec, name=name))
                self.assertEqual(self.odd(look), {})
                told = {one.what: one.says for one in look.seen}
                self.assertEqual(told["Size as decoded"], "320 × 180")
                self.assertEqual(told["Active area"], "the whole picture")
                self.assertEqual(told["Fields"], "both fields show one moment")
                self.assertIn("(8 bits), ", told["Levels"])
                self.assertRegex(told["Sound track 1"], r"2 channels, peak −?-?\d")
                self.assertGreaterEqual(look.pictures, 75)
                self.assertGreaterEqual(look.sounds, 55)

    def test_black_standing_and_another_shape_are_told_with_their_places(self) -> None:
        look = self.look(Programme(black=(12, 20), stands=(30, 45), bars=(55, 70)))
        odd = self.odd(look)
        self.assertEqual(set(odd), {"Black", "Standing", "Shape changes"})
        self.assert_stretch(odd["Black"], (12, 20))
        self.assert_stretch(odd["Standing"], (30, 45))
        self.assert_stretch(odd["Shape changes"], (55, 70))
        self.assertEqual(odd["Shape changes"].says, "320 × 132 from 0, 24")
        self.assertEqual(len(look.odd_spans), 3)

    def test_bars_all_the_way_are_the_active_area(self) -> None:
        look = self.look(Programme(bars=(0, SECONDS)))
        self.assertEqual({one.what: one.says for one in look.seen}["Active area"], "320 × 132 from 0, 24")
        self.assertEqual(self.odd(look), {})

    def test_a_title_that_stands_for_a_moment_is_not_told(self) -> None:
        self.assertEqual(self.odd(self.look(Programme(stands=(30, 34)))), {})

    def test_two_moments_a_frame(self) -> None:
        look = self.look(Programme(fields=True, codec="ffv1", name="fields.mkv"))
        told = {one.what: one.says for one in look.seen}
        self.assertEqual(told["Fields"], "two moments a frame, top field first")
        self.assertEqual(self.odd(look), {})

    def test_values_outside_narrow_range(self) -> None:
        odd = self.odd(self.look(Programme(full=True)))
        self.assertEqual(set(odd), {"Levels", "Range"})

    def test_sound_that_is_silent_for_a_while_dead_or_the_same(self) -> None:
        silent = self.odd(self.look(Programme(silent=(24, 48))))
        self.assertEqual(set(silent), {"Sound track 1"})
        self.assert_stretch(silent["Sound track 1"], (24, 48))
        dead = self.odd(self.look(Programme(dead=True)))["Sound track 1"]
        self.assertRegex(dead.says, r"channel 2 silent at all of \d+ places")
        same = [one.says for one in self.look(Programme(same=True)).seen]
        self.assertIn("channels 1 and 2 are the same", same)
        everywhere = self.odd(self.look(Programme(silent=(0, SECONDS))))["Sound track 1"]
        self.assertRegex(everywhere.says, r"silent at all of \d+ places")

    def test_small_pictures_over_the_whole_length(self) -> None:
        look = self.look(Programme(name="a.mp4"))
        kept = sorted(path.name for path in (self.folder / "a").iterdir())
        self.assertEqual(kept, [f"{number:08}.jpg" for number, _ in look.strip])
        seconds = [second for _, second in look.strip]
        self.assertEqual(seconds, sorted(seconds))
        self.assertLess(seconds[0], 8)
        self.assertGreater(seconds[-1], SECONDS - 8)

    def test_a_file_with_sound_alone_and_one_with_pictures_alone(self) -> None:
        path = make(self.folder, Programme(name="both.mov", fields=True))
        for kind, lines in (
            ("audio", {"Sound track 1"}),
            ("video", {"Size as decoded", "Active area", "Fields", "Levels"}),
        ):
            alone = self.folder / f"{kind}.mov"
            with av.open(str(path)) as old, av.open(str(alone), "w") as new:
                stream = next(one for one in old.streams if one.type == kind)
                copy = new.add_stream_from_template(stream)
                for packet in old.demux(stream):
                    if packet.dts is not None:
                        packet.stream = copy
                        new.mux(packet)
            look = first_look(Source.at(str(alone)), inspect_headers(Source.at(str(alone))))
            self.assertEqual({one.what for one in look.seen}, lines)

    def test_what_cannot_be_decoded_is_odd(self) -> None:
        for codec, name in (("ffv1", "e.mkv"), ("libx264", "e.mp4"), ("libx264", "e.ts")):
            with self.subTest(name=name):
                path = make(self.folder, Programme(codec=codec, name=name))
                data = bytearray(path.read_bytes())
                third = len(data) // 3
                data[third : 2 * third] = bytes(third)
                path.write_bytes(data)
                odd = self.odd(first_look(Source.at(str(path)), inspect_headers(Source.at(str(path)))))
                seen = odd.get("Decoding") or odd["Random access"]
                self.assertLess(max(abs(seen.spans[0][0] - SECONDS / 3), abs(seen.spans[-1][1] - SECONDS * 2 / 3)), 12)

    def test_points_far_apart_are_no_damage(self) -> None:
        made = Programme(codec="mpeg2video", name="long-group.mkv", group=10_000)
        told = {one.what: one for one in self.look(made).seen}
        self.assertNotIn("Decoding", told)
        self.assertIn("more than 15 s apart", told["Random access"].says)
        self.assertFalse(any(one.odd for one in told.values()))

    def test_it_comes_back_from_json_and_another_schema_is_refused(self) -> None:
        look = self.look(Programme(silent=(24, 48)))
        self.assertEqual(FirstLook.from_json(look.to_json()), look)
        with self.assertRaisesRegex(ValueError, "met the schema 'x'; expected brisk-sentry/first-look/1"):
            FirstLook.from_json(look.to_json() | {"schema": "x"})

    def test_a_file_that_is_gone(self) -> None:
        path = make(self.folder, Programme(name="gone.mov"))
        headers = inspect_headers(Source.at(str(path)))
        source = Source.at(str(path))
        path.unlink()
        with self.assertRaises(UnreadableFile):
            first_look(source, headers)


class PlacesTest(TestCase):
    def test_places_are_in_the_middle_of_their_stretches(self) -> None:
        self.assertEqual(even_places(100.0, 4), [12.5, 37.5, 62.5, 87.5])

    def test_fewer_pictures_where_they_are_large(self) -> None:
        self.assertEqual([picture_count(size) for size in ((320, 180), (1920, 1080), (3840, 2160), (8192, 4320), (0, 0))],
                         [240, 240, 60, 40, 240])  # fmt: skip

    def test_a_short_file_is_not_worth_it(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            headers = inspect_headers(Source.at(str(make(Path(name), Programme()))))
        self.assertTrue(is_worth_it(headers))
        for seconds, worth in ((59.9, False), (60.0, True), (None, False)):
            facts = headers.facts | {"wrapper.duration": replace(headers.facts["wrapper.duration"], declared=seconds,
                                                                 coded=None, observed=None)}  # fmt: skip
            changed: Inspection = replace(headers, facts=facts)
            self.assertEqual(is_worth_it(changed), worth)
