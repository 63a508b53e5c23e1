"""Stretches of sound, each sample where it belongs, whatever carries it."""

from __future__ import annotations

import tempfile
from fractions import Fraction
from pathlib import Path
from unittest import TestCase

import av
import numpy as np

from brisk_core.frames import RATE, open_sound, read_sound
from brisk_core.reading import Source
from brisk_core.small_media import Small, make_small

SECONDS = 6


def noise(rate: int = RATE) -> np.ndarray:
    """Noise without high notes, so that coders keep it; two channels."""
    spectrum = np.fft.rfft(np.random.default_rng(4).normal(size=(2, SECONDS * rate)))
    spectrum[:, np.fft.rfftfreq(SECONDS * rate, 1 / rate) > 5000] = 0
    found = np.fft.irfft(spectrum, SECONDS * rate)
    return found / np.abs(found).max() / 2


def write(path: Path, samples: np.ndarray, codec: str, form: str, rate: int = RATE) -> Source:
    """Write a file of sound alone in pieces of 1,024 samples."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=rate, layout="stereo")
        stream.bit_rate = 320_000
        laid = (samples * 32767).astype(np.int16) if form.startswith("s16") else samples.astype(np.float32)
        for at in range(0, samples.shape[1], 1024):
            piece = np.ascontiguousarray(laid[:, at : at + 1024])
            shaped = piece if form.endswith("p") else piece.T.reshape(1, -1)
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(shaped), format=form, layout="stereo")
            frame.sample_rate, frame.pts, frame.time_base = rate, at, Fraction(1, rate)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return Source.at(str(path))


class PlacesTest(TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def left(self, source: Source, whole: np.ndarray, start: float, length: float = 1.5) -> float:
        """What a stretch differs by from what was written, in dB under it."""
        found = read_sound(source, start, length)
        assert found is not None
        expected = whole[:, round(start * RATE) : round((start + length) * RATE)]
        return float(10 * np.log10(np.square(found - expected).mean() / np.square(expected).mean() + 1e-12))

    def test_times_that_are_rounded_to_thousandths_move_no_sample(self) -> None:
        whole = noise()
        for name, codec, form, most in (
            ("a.mka", "pcm_s16le", "s16", -70), ("b.mka", "flac", "s16", -70), ("c.mka", "aac", "fltp", -30),
            ("d.mka", "ac3", "fltp", -40), ("e.mka", "libmp3lame", "s16p", -30), ("f.mka", "libopus", "s16", -20),
            ("g.m4a", "aac", "fltp", -30), ("h.mp3", "libmp3lame", "s16p", -30), ("i.ogg", "libopus", "s16", -20),
        ):  # fmt: skip
            source = write(self.folder / name, whole, codec, form)
            for start in (0.0, 0.7, 2.345, 4.0):
                self.assertLess(self.left(source, whole, start), most, f"{name} ({codec}) at {start} s")
            with open_sound(source) as opened:  # read twice, and backwards
                assert opened is not None
                first = [opened.read(start, 1.0) for start in (3.0, 0.0, 3.0)]
            self.assertTrue(np.allclose(first[0], first[2], atol=0.01), name)  # some decoders fill up with noise

    def test_another_rate_moves_no_sample(self) -> None:
        whole, low = noise(), noise(44_100)
        places = np.arange(SECONDS * RATE) * 44_100 / RATE
        source = write(self.folder / "a.wav", low, "pcm_s16le", "s16", 44_100)
        finer = np.stack([np.interp(places, np.arange(low.shape[1]), one) for one in low])
        self.assertEqual(finer.shape, whole.shape)
        for start in (0.0, 1.1, 4.2):
            self.assertLess(self.left(source, finer, start), -20, f"{start} s, where straight lines are no better")
        found = read_sound(source, SECONDS - 0.01, 0.01)
        assert found is not None
        self.assertGreater(float(np.abs(found[:, -20:]).max()), 0.001, "the last samples are there")

    def test_sound_alone_is_on_its_own_clock(self) -> None:
        whole = noise()
        source = write(self.folder / "a.ts", whole, "mp2", "s16")
        self.assertLess(self.left(source, np.roll(whole, 481, axis=1), 1.0), -20, "481 samples are what coding delays")

    def test_sound_that_begins_after_all_pictures_is_read(self) -> None:
        late = Small(codec="mpeg2video", size=(640, 360), frames=500, options={"b": "12M"}, sound="mp2")
        samples = read_sound(Source.at(str(make_small(self.folder / "late.ts", late))), 2.0, 1.0)
        assert samples is not None
        self.assertEqual(samples.shape, (2, 48000))
        self.assertGreater(float(abs(samples).max()), 0.1)

    def test_samples_of_every_form_come_as_they_are(self) -> None:
        """Whole numbers of 8 to 32 bits and floating point, side by side or plane by plane, are their part of full scale."""
        for bits, codec, suffix in (
            (8, "pcm_u8", ".wav"), (16, "pcm_s16le", ".wav"), (16, "flac", ".flac"), (16, "alac", ".m4a"),
            (24, "pcm_s24be", ".mov"), (24, "flac", ".mka"), (24, "alac", ".m4a"), (32, "pcm_s32le", ".wav"), (24, "pcm_f32le", ".wav"),
        ):  # fmt: skip
            written = np.random.default_rng(bits).integers(-(1 << bits - 1), 1 << bits - 1, (2, 2 * RATE))
            path = self.folder / f"{bits}-{codec}{suffix}"
            with av.open(str(path), "w") as container:
                stream = container.add_stream(codec, rate=RATE, layout="stereo")
                form = {"alac": {16: "s16p", 24: "s32p"}, "flac": {16: "s16", 24: "s32"}}.get(codec, {}).get(bits)
                if form:
                    stream.format = form
                form = stream.format.name
                scale, type_ = {"u8": (7, np.uint8), "s16": (15, np.int16), "s32": (31, np.int32)}.get(
                    form.removesuffix("p"), (0, np.float32)
                )
                laid = (written << scale + 1 - bits) if scale else written / (1 << bits - 1)
                laid = laid + 128 if form == "u8" else laid
                for at in range(0, 2 * RATE, 1000):
                    piece = laid[:, at : at + 1000].astype(type_)
                    shaped = piece if form.endswith("p") else piece.T.reshape(1, -1)
                    frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(shaped), format=form, layout="stereo")
                    frame.sample_rate, frame.pts = RATE, at
                    container.mux(stream.encode(frame))
                container.mux(stream.encode(None))
            found = read_sound(Source.at(str(path)), 0.5, 1.0)
            expected = (written[:, RATE // 2 : 3 * RATE // 2] / (1 << bits - 1)).astype(np.float32)
            self.assertTrue(np.array_equal(found, expected), path.name)
