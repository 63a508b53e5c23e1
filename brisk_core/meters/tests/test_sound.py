"""Loudness against the signals of EBU Tech 3341 and 3342, made from their definitions, and faults with known places."""

from collections.abc import Iterable
from unittest import TestCase

import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.hops import HOPS, SoundMeter, layout_weights
from brisk_core.meters.loudness import Loudness, loudness_range, measure_loudness, power_of, steps_of
from brisk_core.meters.sound_faults import SoundFaults, find_faults

RATE = 48000
Sound = NDArray[np.float32]


def tone(level: float, seconds: float, hz: float = 1000, channels: int = 2, rate: int = RATE) -> Sound:
    """A sine whose peak lies at ``level`` dBFS."""
    time = np.arange(round(seconds * rate)) / rate
    return np.stack([10 ** (level / 20) * np.sin(2 * np.pi * hz * time)] * channels).astype(np.float32)


def tones(*parts: tuple[float, float]) -> Sound:
    return np.concatenate([tone(level, seconds) for level, seconds in parts], axis=1)


def rows(sound: Sound, rate: int = RATE, block: int = 1024) -> NDArray[np.void]:
    meter = SoundMeter(rate, sound.shape[0])
    for at in range(0, sound.shape[1], block):
        meter.take(sound[:, at : at + block])
    return meter.rows()


def loudness(sound: Sound, rate: int = RATE, names: tuple[str, ...] = ("FL", "FR")) -> Loudness:
    found = rows(sound, rate)
    weights = layout_weights(names)
    full = found["length"] >= rate // HOPS
    return measure_loudness(power_of(found, weights), full, steps_of(found, weights))


class LoudnessTest(TestCase):
    def assert_level(self, found: float | None, wanted: float, within: float = 0.1) -> None:
        self.assertIsNotNone(found)
        self.assertAlmostEqual(found or 0, wanted, delta=within)

    def test_tech_3341_integrated(self) -> None:
        cases = (
            (((-23, 20),), -23), (((-33, 20),), -33),
            (((-36, 10), (-23, 60), (-36, 10)), -23),
            (((-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)), -23),
            (((-26, 20), (-20, 20.1), (-26, 20)), -23),
        )  # fmt: skip
        for parts, wanted in cases:
            self.assert_level(loudness(tones(*parts)).integrated, wanted)

    def test_short_sounds_are_read_wherever_they_begin(self) -> None:
        for late in range(0, 100, 7):
            silence = late / 1000
            found = loudness(tones((-120, 1 + silence), (-20, 0.4), (-120, 5)))
            self.assert_level(found.momentary_max, -20, 0.06)
            found = loudness(tones((-120, 4 + silence), (-20, 3), (-120, 5)), rate=RATE)
            self.assert_level(found.short_max, -20, 0.02)
        soft = loudness(tones((-120, 1.05), (-20, 0.2), (-120, 5)))
        self.assert_level(soft.momentary_max, -23, 0.06)
        self.assertIsNone(loudness(tones((-20, 0.3))).momentary_max)
        self.assertIsNone(loudness(np.zeros((2, 2 * RATE), np.float32)).momentary_max)

    def test_tech_3341_case_6_weighs_surround_and_leaves_out_low_frequencies(self) -> None:
        levels = (-28.0, -28.0, -24.0, -np.inf, -30.0, -30.0)
        sound = np.concatenate(
            [tone(level, 20, channels=1) if np.isfinite(level) else tone(0, 20, channels=1) for level in levels]
        )
        names = ("FL", "FR", "FC", "LFE", "BL", "BR")
        self.assert_level(loudness(sound, names=names).integrated, -23)

    def test_tech_3341_short_term_and_momentary(self) -> None:
        # Cases 9 and 12: patterns whose mean over the window is constant.
        short = tones(*((-20, 1.34), (-30, 1.66)) * 5)
        found = loudness(short)
        self.assert_level(float(found.short[40:].max()), -23)
        self.assert_level(float(found.short[40:].min()), -23, 0.15)
        momentary = tones(*((-20, 0.18), (-30, 0.22)) * 25)
        self.assert_level(float(loudness(momentary).momentary[10:].max()), -23, 0.35)

    def test_tech_3342_range(self) -> None:
        cases = (
            (((-20, 20), (-30, 20)), 10), (((-20, 20), (-15, 20)), 5), (((-40, 20), (-20, 20)), 20),
            (((-50, 20), (-35, 20), (-20, 20), (-35, 20), (-50, 20)), 15),
        )  # fmt: skip
        for parts, wanted in cases:
            self.assert_level(loudness(tones(*parts)).range, wanted, 1)

    def test_every_sample_rate(self) -> None:
        for rate in (11025, 22050, 32000, 44100, 48000, 96000):
            self.assert_level(loudness(tone(-23, 12, rate=rate), rate).integrated, -23)

    def test_the_relative_gate_lies_ten_units_under_the_mean_of_what_is_heard(self) -> None:
        def mean_with(quiet: float) -> float:
            """Loudness of two equal halves, one at -20 LUFS, by BS.1770-5: both where the gate lets the other in."""
            levels = np.repeat([-20.0, quiet], 400)
            found = measure_loudness(10 ** ((levels + 0.691) / 10)).integrated
            assert found is not None
            return found

        both = float(10 * np.log10((10**-2.0 + 10**-3.2) / 2))  # -22.75; the gate lies at -32.75
        self.assert_level(mean_with(-32.0), both, 0.03)
        self.assert_level(mean_with(-33.3), -20.0, 0.03)

    def test_the_gates_and_windows_by_their_numbers(self) -> None:
        loud = 10 ** ((-20.0 + 0.691) / 10)  # mean square of -20 LUFS (BS.1770-5, equation 2)
        for hops, heard in ((3, False), (4, True), (29, True)):
            found = measure_loudness(np.full(hops, loud))
            self.assertEqual((found.integrated is not None, found.short_max), (heard, None), hops)
        whole = measure_loudness(np.full(30, loud))
        self.assertAlmostEqual(whole.integrated or 0, -20, places=6)
        self.assertAlmostEqual(whole.short_max or 0, -20, places=6)
        self.assertAlmostEqual(whole.range or 0, 0, places=6)
        self.assertEqual(
            [len(whole.momentary), int(np.isfinite(whole.momentary).sum()), int(np.isfinite(whole.short).sum())],
            [30, 27, 1],
        )
        for level, heard in ((-69.9, True), (-70.1, False)):
            found = measure_loudness(np.full(40, 10 ** ((level + 0.691) / 10)))
            self.assertEqual(found.integrated is not None, heard)
        # Ten loud parts and one 19 or 24 LU softer, whose mean is 3 LU under the first: Tech 3342 counts the first and leaves the second out.
        for under, wide in ((19.0, True), (24.0, False)):
            soft = 10 ** ((-20.0 - under + 0.691) / 10)
            found = measure_loudness(np.concatenate([np.full(200, loud), np.full(200, soft)]))
            self.assertEqual((found.range or 0) > 15, wide, under)
        left_out = measure_loudness(np.full(8, loud), np.arange(8) < 3)
        self.assertIsNone(left_out.integrated)

    def test_the_range_lies_between_the_tenth_and_the_ninety_fifth_part(self) -> None:
        # Eleven windows of 3 s whose levels rise by 1 LU each, in hops that are their own windows (Tech 3342, 3.1).
        levels = np.array([-30.0 + step for step in range(21)])
        shorts = 10 ** ((levels + 0.691) / 10)
        self.assertAlmostEqual(loudness_range(shorts, levels) or 0, 19.0 - 2.0)

    def test_silence_has_no_loudness(self) -> None:
        found = loudness(np.zeros((2, RATE * 5), np.float32))
        self.assertEqual((found.integrated, found.range, found.short_max), (None, None, None))


class TruePeakTest(TestCase):
    def test_tech_3341_between_the_samples(self) -> None:
        # Cases 15 to 18: a sine at a fraction of the sampling frequency whose samples miss its peak.
        for divisor, phase in ((4, 0), (4, 45), (6, 60), (8, 67.5)):
            time = np.arange(RATE)
            wave = 0.5 * np.sin(2 * np.pi * time / divisor + np.radians(phase))
            fade = np.minimum(1, np.minimum(time, time[::-1]) / 1000)
            found = 20 * np.log10(rows((wave * fade).astype(np.float32)[None])["true_peak"].max())
            self.assertLess(found, -6.02 + 0.2)
            self.assertGreater(found, -6.02 - 0.4)


def cut_into(parts: Iterable[tuple[float, float]], seconds: int, fade: float) -> Sound:
    """A gain that is 1 in parts of the time and 0 between them, with linear fades of so many seconds inside each."""
    gain = np.zeros(seconds * RATE, np.float32)
    for start, end in parts:
        first, last = round(start * RATE), min(round(end * RATE), len(gain))
        place = np.arange(last - first)
        gain[first:last] = np.minimum(1, np.minimum(place, place[::-1]) / (fade * RATE))
    return gain


class FaultsTest(TestCase):
    def faults(self, sound: Sound) -> SoundFaults:
        return find_faults(rows(sound), RATE)

    def test_nothing_in_clean_sound(self) -> None:
        noise = np.random.default_rng(2).normal(0, 0.1, (2, RATE * 6)).astype(np.float32)
        bells = sum(
            np.roll(tone(-12, 6, hz) * np.exp(-np.arange(RATE * 6) / 90000), at) for hz, at in ((523, 0), (880, 90000))
        )
        for sound in (tone(-20, 6), noise, np.asarray(bells, np.float32)):
            found = self.faults(sound)
            self.assertEqual((found.clipping, found.silence, found.dropouts, found.clicks), ((), (), (), ()))

    def test_dropouts_to_the_step(self) -> None:
        sound = tone(-10, 6)
        sound[:, 100_000:106_000] = 0
        found = self.faults(sound)
        self.assertEqual(len(found.dropouts), 1)
        self.assertAlmostEqual(found.dropouts[0][0], 100_000 / RATE, delta=0.01)
        self.assertAlmostEqual(found.dropouts[0][1], 106_000 / RATE, delta=0.01)
        self.assertEqual(found.clicks, ())

    def test_pauses_that_fade_and_long_ones_are_no_dropouts(self) -> None:
        sound = tone(-10, 6)
        fade = np.ones(sound.shape[1], np.float32)
        fade[96_000:110_000] = np.linspace(1, 0, 14_000) ** 3
        fade[110_000:120_000] = 0
        fade[120_000:134_000] = np.linspace(0, 1, 14_000) ** 3
        self.assertEqual(self.faults(sound * fade).dropouts, ())
        sound[:, 100_000:160_000] = 0
        found = self.faults(sound)
        self.assertEqual((found.dropouts, len(found.silence)), ((), 1))

    def test_line_up_tone_and_pips_have_no_dropouts(self) -> None:
        """Breaks of 250 ms every three or four seconds tell the channels of line-up tone; pips are mostly pauses."""
        quarter = RATE // 4
        three, four, pips, beeps = (tone(-18, 12) for _ in range(4))
        for second in range(0, 12, 3):
            three[0, second * RATE : second * RATE + quarter] = 0
        for second in range(0, 12, 4):
            for channel, at in ((0, 0.0), (1, 0.5), (1, 1.0)):
                start = round((second + at) * RATE)
                four[channel, start : start + quarter] = 0
        for second in range(12):
            pips[:, second * RATE + 1920 : (second + 1) * RATE] = 0
            beeps[:, second * RATE + RATE // 2 : (second + 1) * RATE] = 0
        for sound in (three, four, pips, beeps):
            self.assertEqual(self.faults(sound).dropouts, ())

    def test_holes_that_look_a_little_like_line_up_are_told(self) -> None:
        quarter, music = RATE // 4, tone(-18, 12)
        music *= 1 + 0.5 * np.sin(np.arange(music.shape[1]) / 9000).astype(np.float32)
        often, anywhere, short, close = (tone(-18, 12) for _ in range(4))
        for sound, starts, length in (
            (music, (2, 5, 8), quarter),  # in sound that is no steady tone
            (anywhere, (1.3, 4.9, 7.2), quarter),
            (short, (1, 4, 7), RATE // 10),
            (often, (1, 3, 5, 7), quarter),  # every two seconds
            (close, (5, 5.15, 5.3, 5.45), RATE // 10),
        ):
            for start in starts:
                sound[:, round(start * RATE) : round(start * RATE) + length] = 0
            self.assertEqual([round(one, 2) for one, _ in self.faults(sound).dropouts], list(starts))

    def test_short_closures_of_speech_are_no_dropouts(self) -> None:
        """Words over a room: vowels that stop at once for a consonant, down to the room and never under it."""
        random = np.random.default_rng(7)
        count = RATE * 12
        room = random.normal(0, 10 ** (-62 / 20), (2, count))
        envelope = np.zeros(count)
        at = 0
        while at < count:
            length, pause = int(random.uniform(0.08, 0.3) * RATE), int(random.uniform(0.03, 0.25) * RATE)
            envelope[at : at + length] = random.uniform(0.3, 1.0)
            at += length + pause
        envelope = np.convolve(envelope, np.ones(240) / 240, "same")  # 5 ms
        voice = np.sin(2 * np.pi * 150 * np.arange(count) / RATE) * envelope * 10 ** (-16 / 20)
        sound = np.asarray(room + voice, np.float32)
        self.assertEqual(self.faults(sound).dropouts, ())
        spoilt = sound.copy()
        place = next(at for at in range(4 * RATE, count, 100) if (envelope[at - 2000 : at + 6000] > 0.25).all())
        spoilt[:, place : place + 2880] = 0  # 60 ms inside a vowel
        found = self.faults(spoilt).dropouts
        self.assertEqual(len(found), 1)
        self.assertAlmostEqual(found[0][0], place / RATE, delta=0.011)

    def test_a_gate_that_closes_between_words_leaves_no_dropouts_and_hides_none(self) -> None:
        """Nothing at all between words that decay; a tremolo that dips to nothing; a hole inside a word."""
        random, count = np.random.default_rng(8), RATE * 12
        envelope, at = np.zeros(count), 0
        while at < count:
            length, pause = int(random.uniform(0.15, 0.4) * RATE), int(random.uniform(0.06, 0.25) * RATE)
            word = np.minimum(1, np.sin(np.pi * np.arange(length) / length) * 2)
            envelope[at : at + length] = word[: count - at]
            at += length + pause
        wave = np.sin(2 * np.pi * 150 * np.arange(count) / RATE)
        voice = np.stack([wave * np.where(envelope > 0.02, envelope, 0) * 0.2] * 2).astype(np.float32)
        dips = np.sin(2 * np.pi * 6 * np.arange(count) / RATE) / 2 + 0.5
        tremolo = np.stack([wave * dips * 0.3] * 2).astype(np.float32)
        for sound in (voice, tremolo):
            self.assertEqual(self.faults(sound).dropouts, ())
        place = next(at for at in range(4 * RATE, count, 100) if (envelope[at - 3000 : at + 5000] > 0.9).all())
        voice[:, place : place + 1920] = 0  # 40 ms
        found = self.faults(voice).dropouts
        self.assertEqual([round(start - place / RATE, 2) for start, _ in found], [0.0])

    def test_sound_that_is_cut_on_purpose_has_no_dropouts_and_hides_none(self) -> None:
        """Gates, chords cut off, beeps, bursts of repeated beats, dry words: each with fades of two to five ms."""
        random, seconds = np.random.default_rng(9), 14
        words, at = [], 0.3
        while at < seconds - 1:
            length = random.uniform(0.1, 0.4)
            words.append((at, at + length))
            at += length + random.uniform(0.04, 0.3)
        beats = [part for at in range(0, seconds - 2, 2) for part in ((at, at + 1.5), *((at + 1.5 + k * 0.12, at + 1.56 + k * 0.12) for k in range(4)))]  # fmt: skip
        for name, parts, fade in (
            ("gate", [(at, at + 0.07) for at in np.arange(0.2, seconds, 0.115)], 0.002),
            ("chords", [(at, at + 0.32) for at in np.arange(0.2, seconds, 0.5)], 0.003),
            ("alarm", [(at, at + 0.07) for second in range(seconds) for at in np.arange(second, second + 0.45, 0.125)], 0.001),
            ("beats", beats, 0.002),
            ("dry words", words, 0.005),
        ):  # fmt: skip
            sound = tone(-14, seconds, 330) * cut_into(parts, seconds, fade)
            self.assertEqual(self.faults(sound).dropouts, (), name)
            long = next(start for start, end in parts[len(parts) // 2 :] if end - start > 0.06)
            place = round((long + 0.02) * RATE) + 37
            sound[:, place : place + 1200] = 0  # 25 ms, from one sample to the next
            found = [start for start, _ in self.faults(sound).dropouts]
            self.assertEqual([round(start - place / RATE, 2) for start in found], [0.0], name)

    def test_sound_that_breaks_off_again_and_again_is_told(self) -> None:
        """Seventeen holes in a hundred parts of the sound, from one sample to the next; and short ones through fades."""
        music = tone(-14, 14, 330) + 0.02 * np.random.default_rng(3).normal(0, 1, (2, 14 * RATE)).astype(np.float32)
        holes = [(at, at + 0.1) for at in np.arange(1, 13, 0.6)]
        for start, end in holes:
            music[:, round(start * RATE) : round(end * RATE)] = 0
        found = self.faults(music).dropouts
        self.assertGreaterEqual(len(found), 18)
        self.assertLessEqual(len(found), len(holes))
        gaps = [(at, at + 0.62) for at in np.arange(0, 14, 0.64)]  # 20 ms each
        self.assertGreaterEqual(len(self.faults(tone(-14, 14, 330) * cut_into(gaps, 14, 0.001)).dropouts), 18)

    def test_samples_that_no_sound_has_are_held_to_bounds(self) -> None:
        sound = tone(-20, 2)
        sound[0, 50_000:50_010] = (np.nan, np.inf, -np.inf, 1e30, -1e30, 3e38, 0, 0, 0, 0)
        found = rows(sound)
        for name in found.dtype.names or ():
            self.assertTrue(np.isfinite(found[name].astype(np.float64)).all(), name)
        self.assertEqual(self.faults(sound).clipping, ((1.0, 1.1),))

    def test_clicks_to_the_sample(self) -> None:
        sound = tone(-20, 6, 440)
        sound[1, 150_000] += 0.3
        self.assertEqual([round(start * RATE) for start, _ in self.faults(sound).clicks], [150_000])

    def test_changed_bits_of_pcm_are_clicks(self) -> None:
        """A burst of noise, and a piece of other sound: what exchanged sectors make, in samples of 24 and 16 bits."""
        random = np.random.default_rng(4)
        for length in (85, 341, 512):
            noise, piece = tone(-20, 4, 440), tone(-20, 4, 440)
            noise[:, 90_020 : 90_020 + length] = random.uniform(-1, 1, (2, length))
            piece[:, 90_020 : 90_020 + length] = piece[:, 50_037 : 50_037 + length]
            hole = tone(-20, 4, 440)
            hole[:, 90_020 : 90_020 + length] = 0
            for sound in (noise, piece, hole):
                found = self.faults(sound).clicks
                self.assertTrue(found and all(90_015 <= start * RATE <= 90_025 + length for start, _ in found), length)

    def test_what_is_struck_spoken_or_begins_at_once_is_no_click(self) -> None:
        random = np.random.default_rng(5)
        time = np.arange(RATE) / RATE
        room = random.normal(0, 0.0005, (2, 4 * RATE)).astype(np.float32)

        def struck(hit: NDArray[np.float64]) -> NDArray[np.float32]:
            sound = room.copy()
            sound[:, RATE : 2 * RATE] += hit.astype(np.float32)
            return np.clip(sound, -1, 1)

        noise = random.normal(0, 1, RATE)
        pulses = np.zeros(RATE)
        pulses[::480] = 1  # a hundred a second
        for name, sound in {
            "wood block": struck(0.6 * noise * np.exp(-time * 400)),
            "hi-hat": struck(0.4 * noise * np.exp(-time * 150)),
            "snare": struck(0.5 * noise * np.exp(-time * 40)),
            "a loud gate of noise": struck(0.3 * noise * (time < 0.1)),
            "beep": struck(0.5 * np.sin(2 * np.pi * 1000 * time) * (time < 0.04)),
            "pip of two milliseconds": struck(0.5 * np.sin(2 * np.pi * 1000 * time) * (time < 0.002)),
            "buzz": struck(0.3 * np.convolve(pulses, np.exp(-np.arange(400) / 60))[:RATE]),
            "square": np.sign(tone(-10, 4, 200)) * np.float32(0.3),
        }.items():
            with self.subTest(name):
                self.assertEqual(self.faults(sound).clicks, ())

    def test_clipping_silence_offset_and_channels(self) -> None:
        loud = np.clip(tone(3, 3), -1, 1)
        self.assertEqual(self.faults(loud).clipping, ((0.0, 3.0),))
        quiet = tone(-20, 6)
        quiet[:, RATE : 3 * RATE] = 0
        found = self.faults(quiet)
        self.assertEqual([(round(a, 2), round(b, 2)) for a, b in found.silence], [(1.0, 3.0)])
        self.assertTrue(found.same_channels)
        self.assertAlmostEqual(found.phase or 0, 1)
        turned = tone(-20, 6)
        turned[1] *= -1
        self.assertTrue(self.faults(turned).turned_channels)
        one = tone(-20, 6)
        one[1] = 0
        found = self.faults(one + np.array([[0.01], [0]], np.float32))
        self.assertEqual((found.silent_channels, found.same_channels), ((2,), None))
        self.assertAlmostEqual(found.dc_offset[0], 0.01, places=4)
