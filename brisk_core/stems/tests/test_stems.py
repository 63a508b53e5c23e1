import tempfile
import wave
from dataclasses import replace
from pathlib import Path
from unittest import TestCase, mock

import numpy as np

from brisk_core.errors import UnreadableFile
from brisk_core.facts import Held
from brisk_core.reading import Source
from brisk_core.stems import Part, StemsFound, find_stems, stems_document, tell_stems
from brisk_core.stems.ways import Sound

RATE = 48_000
SECONDS = 34


def sounds() -> dict[str, np.ndarray]:
    """Voice in bursts, music of many tones, effects as clicks of noise; two channels each, all different."""
    chance = np.random.default_rng(5)
    time = np.arange(SECONDS * RATE) / RATE
    voice = np.convolve(chance.normal(0, 0.2, len(time)), np.hanning(40) / 20, "same")
    voice *= np.repeat(chance.random(SECONDS * 2) > 0.4, RATE // 2)
    music = sum(
        0.04 * np.sin(2 * np.pi * (110 * 2 ** (step / 12) + 0.3 * np.sin(time * step)) * time)
        for step in range(0, 24, 3)
    )
    effects = chance.normal(0, 0.1, len(time)) * (np.sin(2 * np.pi * 0.7 * time) > 0.9)
    return {
        "voice.wav": np.stack([voice, voice * 0.8]),
        "music.wav": np.stack([music, np.roll(music, 300)]),
        "effects.wav": np.stack([effects * 0.5, effects]),
    }


def later(samples: np.ndarray, count: int) -> np.ndarray:
    """The same sound, moved; silence comes in where it left."""
    moved = np.roll(samples, count, axis=1)
    moved[:, : max(count, 0)] = 0
    if count < 0:
        moved[:, count:] = 0
    return moved


class StemsTest(TestCase):
    folder: Path
    parts: dict[str, np.ndarray]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        held = tempfile.TemporaryDirectory()
        cls.addClassCleanup(held.cleanup)
        cls.folder = Path(held.name)
        cls.parts = sounds()
        for name, samples in cls.parts.items():
            cls.write(name, samples)
        cls.write("mix.wav", sum(cls.parts.values()))

    @classmethod
    def write(cls, name: str, samples: np.ndarray, rate: int = RATE) -> str:
        with wave.open(str(cls.folder / name), "wb") as file:
            file.setnchannels(samples.shape[0])
            file.setsampwidth(2)
            file.setframerate(rate)
            file.writeframes((np.clip(samples, -1, 1) * 32767).round().astype("<i2").T.tobytes())
        return name

    def part(self, name: str) -> Part:
        return Part(name=name, source=Source.at(str(self.folder / name)))

    def find(self, *names: str, mix: str = "mix.wav") -> tuple[StemsFound, Held]:
        found = find_stems(self.part(mix), [self.part(name) for name in names])
        return found, tell_stems(found)

    def told(self, held: Held) -> list[str]:
        return [one.says for one in held.sentences if one.fault]

    def changed(self, name: str, samples: np.ndarray) -> str:
        return self.write(f"{name.removesuffix('.wav')}-changed.wav", samples)

    def test_stems_that_add_up_are_silent(self) -> None:
        found, held = self.find(*self.parts)
        self.assertTrue(held.right)
        self.assertRegex(held.found, r"^\d+\.\d dB under the mix left$")
        for rest, says in ((2.1, "2.1 dB over the mix left"), (-0.04, "as much as the mix left")):
            self.assertEqual(tell_stems(replace(found, residual=rest)).found, says)
        self.assertLess(found.residual, -70)
        self.assertEqual(self.told(held), [])
        self.assertTrue(all(stem.heard and not stem.late and abs(stem.gain) < 0.02 for stem in found.stems))
        self.assertEqual(found.series.shape[1], 3)

    def test_each_fault_of_one_stem_is_named_and_measured(self) -> None:
        music = self.parts["music.wav"]
        for samples, says in (
            (later(music, 1920), "comes 40.0 ms late."),
            (later(music, -48), "comes 1.0 ms early."),
            (music * 0.5, "is 6.0 dB quieter than in the mix."),
            (music * 1.1, "is 0.8 dB louder than in the mix."),
            (-music, "is inverted in polarity."),
        ):
            with self.subTest(says):
                name = self.changed("music.wav", samples)
                found, held = self.find("voice.wav", name, "effects.wav")
                self.assertFalse(held.right)
                self.assertEqual(self.told(held), [f"{name} {says}"])
                self.assertLess(found.residual_fitted, -35)

    def test_a_missing_stem_and_the_place_where_it_shows_most(self) -> None:
        found, held = self.find("voice.wav", "music.wav")
        self.assertFalse(held.right)
        self.assertEqual(len(self.told(held)), 1)
        self.assertIn("a stem is missing", self.told(held)[0])
        loud = np.abs(np.sin(2 * np.pi * 0.7 * found.worst))
        self.assertGreater(loud, 0.8)
        only = np.zeros_like(self.parts["effects.wav"])
        only[:, 20 * RATE : 21 * RATE] = 0.2 * np.sin(np.arange(RATE) * 0.3)
        mix = self.write("longer.wav", sum(self.parts.values()) + only)
        found, held = self.find(*self.parts, mix=mix)
        self.assertTrue(20 <= found.worst < 21)
        self.assertFalse(held.right)

    def test_stems_that_do_not_belong_and_silent_ones(self) -> None:
        chance = np.random.default_rng(9)
        other = self.write("other.wav", chance.normal(0, 0.05, (2, SECONDS * RATE)))
        _, held = self.find(*self.parts, other)
        self.assertIn("other.wav is not in the mix.", self.told(held))
        silent = self.write("silent.wav", np.zeros((2, SECONDS * RATE)))
        _, held = self.find(*self.parts, silent)
        self.assertEqual((held.right, self.told(held)), (True, []))
        self.assertIn("silent.wav is silent.", [one.says for one in held.sentences])

    def test_what_differs_for_a_moment_only_is_told_with_its_place(self) -> None:
        """A hole of 0.15 s in half a minute leaves less than the whole may have left."""
        voice, effects = self.parts["voice.wav"], self.parts["effects.wav"]
        loud = int(np.abs(voice[0]).reshape(-1, RATE // 2).mean(axis=1).argmax()) / 2 + 0.2
        span = slice(round(loud * RATE), round((loud + 0.15) * RATE))
        where = f"From {loud:.2f} to {loud + 0.15:.2f} s "
        hole, faint = voice * 0.02, voice * 0.02
        hole[:, span] = 0
        rest = self.parts["music.wav"] + effects
        whole = self.write("faint-mix.wav", faint + rest * 0.02)
        lacking = self.write("lacking-mix.wav", hole + rest * 0.02)
        others = [self.write(f"faint-{name}", self.parts[name] * 0.02) for name in ("music.wav", "effects.wav")]
        names = self.write("faint.wav", faint), *others
        self.assertEqual(self.told(self.find(*names, mix=whole)[1]), [])
        _, held = self.find(*names, mix=lacking)
        self.assertEqual((held.right, self.told(held)), (False, [f"{where}faint.wav is not in the mix."]))
        _, held = self.find(self.write("hole.wav", hole), *others, mix=whole)
        self.assertFalse(held.right)
        self.assertIn(f"{where}the mix has something that no stem has", self.told(held)[0])

    def test_a_part_at_another_level_and_a_limiter(self) -> None:
        louder = self.parts["music.wav"].copy()
        louder[:, 12 * RATE : 15 * RATE] *= 2
        name = self.changed("music.wav", louder)
        _, held = self.find("voice.wav", name, "effects.wav")
        self.assertEqual(self.told(held), [f"From 12.00 to 15.00 s {name} is 6.0 dB louder than in the mix."])
        whole = sum(self.parts.values())
        limited = self.write("limited.wav", np.clip(whole, -0.24, 0.24))
        _, held = self.find(*self.parts, mix=limited)
        self.assertRegex(" ".join(self.told(held)), "more of its loudest places .* it was limited")
        highest = np.sort(np.abs(whole).max(axis=0))[-40]
        barely = self.write("barely.wav", np.clip(whole, -0.9 * highest, 0.9 * highest))
        _, held = self.find(*self.parts, mix=barely)
        self.assertEqual(len(self.told(held)), 1)
        self.assertRegex(self.told(held)[0], "more places .* peaks of the mix were limited|it was limited")

    def test_channels_in_other_places(self) -> None:
        effects, voice = self.parts["effects.wav"], self.parts["voice.wav"]
        chance = np.random.default_rng(3).normal(0, 0.05, (2, SECONDS * RATE))
        mix = self.write("channels-mix.wav", sum(self.parts.values()) + chance)
        self.write("air.wav", chance)
        for name, samples, says in (
            ("air.wav", chance[::-1], "has its left and right channels exchanged."),
            ("air.wav", np.stack([chance[0], chance[1] * 0]), "has nothing in its right channel."),
            ("voice.wav", voice * [[1], [-1]], "is inverted in polarity in its right channel."),
            ("effects.wav", effects * [[0], [1]], "has nothing in its left channel."),
        ):
            with self.subTest(says):
                wrong = self.changed(name, samples)
                names = [wrong if one == name else one for one in (*self.parts, "air.wav")]
                _, held = self.find(*names, mix=mix)
                self.assertEqual(self.told(held), [f"{wrong} {says}"])
        wide = np.stack([chance[0], np.roll(chance[0], 530)])  # one side is the other, a little later
        mix = self.write("wide-mix.wav", self.parts["voice.wav"] + wide)
        _, held = self.find("voice.wav", self.write("wide.wav", wide[::-1]), mix=mix)
        self.assertEqual(self.told(held), ["wide.wav has its left and right channels exchanged."])

    def test_another_speed_a_slip_and_the_same_sound_twice(self) -> None:
        voice, effects = self.parts["voice.wav"], self.parts["effects.wav"]
        places = np.arange(SECONDS * RATE)
        for speed, says in (
            (1.001, "runs 0.1 % faster"),
            (25 / 24, "runs 4.2 % faster"),
            (24 / 25, "runs 4.0 % slower"),
        ):
            with self.subTest(says):
                fast = np.stack([np.interp(places * speed, places, one, right=0) for one in voice])
                name = self.changed("voice.wav", fast)
                self.assertEqual(
                    self.told(self.find(name, "music.wav", "effects.wav")[1]), [f"{name} {says} than in the mix."]
                )
        slipping = effects.copy()
        slipping[:, 20 * RATE :] = later(effects, 480)[:, 20 * RATE :]
        name = self.changed("effects.wav", slipping)
        _, held = self.find("voice.wav", "music.wav", name)
        self.assertEqual(self.told(held), [f"{name} is in place at first and 10.0 ms late from about 20 s on."])
        again = self.write("again.wav", voice)
        self.assertEqual(self.told(self.find(*self.parts, again)[1]), ["again.wav holds the same sound as voice.wav."])
        half = self.write("half.wav", self.parts["music.wav"] / 2)
        _, held = self.find("voice.wav", half, half, "effects.wav")
        self.assertEqual((held.right, self.told(held)), (True, []), "twice the half is the whole")

    def test_two_faults_at_once(self) -> None:
        late = self.changed("voice.wav", later(self.parts["voice.wav"], 480))
        quiet = self.changed("effects.wav", self.parts["effects.wav"] * 0.7079)
        _, held = self.find(late, "music.wav", quiet)
        self.assertEqual(
            self.told(held), [f"{late} comes 10.0 ms late.", f"{quiet} is 3.0 dB quieter than in the mix."]
        )

    def test_a_bell_that_comes_again_and_again_is_not_taken_for_another_stroke(self) -> None:
        time = np.arange(SECONDS * RATE) / RATE
        since = np.mod(time - 0.6, 1.9)
        bell = np.where(time < 0.6, 0.0, 0.2 * np.exp(-2.4 * since) * np.sin(2 * np.pi * 523.25 * since))
        stroke = np.stack([bell, bell * 0.8])
        mix = self.write("bell-mix.wav", stroke + self.parts["voice.wav"])
        _, held = self.find(self.write("bell.wav", stroke), "voice.wav", mix=mix)
        self.assertEqual((held.right, self.told(held)), (True, []))
        late = self.write("bell-late.wav", later(stroke, 1920) * 0.8)
        _, held = self.find(late, "voice.wav", mix=mix)
        self.assertEqual(self.told(held), [f"{late} comes 40.0 ms late.", f"{late} is 1.9 dB quieter than in the mix."])

    def test_a_stem_of_few_tones_is_found_at_its_own_place(self) -> None:
        time = np.arange(SECONDS * RATE) / RATE
        tones = sum(
            0.08 * np.sin(2 * np.pi * tone * time) * (0.5 + 0.5 * np.sin(2 * np.pi * slow * time))
            for tone, slow in ((220, 0.3), (277, 0.21), (330, 0.17), (440, 0.4))
        )
        organ = np.stack([tones, np.roll(tones, 240)])
        mix = self.write("organ-mix.wav", organ + self.parts["voice.wav"])
        places = np.arange(SECONDS * RATE)
        for samples, says in (
            (later(organ, 480), "comes 10.0 ms late."),
            (later(organ, -1000), "comes 20.8 ms early."),
            (
                np.stack([np.interp(places * (1 + 20e-6), places, one) for one in organ]),
                "drifts: it is in place at the start and 0.7 ms early at the end.",
            ),
        ):
            name = self.write("organ.wav", samples)
            self.assertEqual(self.told(self.find(name, "voice.wav", mix=mix)[1]), [f"{name} {says}"])
        fast = np.stack([np.interp(places * 25 / 24, places, one, right=0) for one in organ])
        name = self.write("organ.wav", fast)
        self.assertEqual(
            self.told(self.find(name, "voice.wav", mix=mix)[1]), [f"{name} runs 4.2 % faster than in the mix."]
        )

    def test_what_is_the_same_of_every_stem_is_said_once(self) -> None:
        places = np.arange(SECONDS * RATE)
        whole = sum(self.parts.values())
        for samples, says in (
            (later(whole, 960), "comes 20.0 ms early."),
            (later(whole, 1), "comes 1 sample early."),
            (-whole, "is inverted in polarity."),
            (whole * 0.5, "is 6.0 dB louder than in the mix."),
            (
                np.stack([np.interp(places / 1.001, places, one) for one in whole]),
                "runs 0.1 % faster than in the mix.",
            ),
        ):
            _, held = self.find(*self.parts, mix=self.write("all-mix.wav", samples))
            self.assertEqual((held.right, self.told(held)), (False, [f"Every stem {says}"]))
        short = self.write("short.wav", self.parts["voice.wav"][:, : 12 * RATE])
        _, held = self.find(short, "music.wav", "effects.wav")
        self.assertFalse(held.right)
        silent = self.write("silent.wav", whole * 0)
        _, held = self.find(*self.parts, silent, mix=self.write("all-mix.wav", whole * 0.5))
        self.assertEqual(self.told(held), ["Every stem is 6.0 dB louder than in the mix."])

    def test_sounds_of_another_rate(self) -> None:
        music = self.parts["music.wav"]
        places = np.arange(SECONDS * 44_100) * RATE / 44_100
        low = np.stack([np.interp(places, np.arange(music.shape[1]), one) for one in music])
        name = self.write("music-44.wav", low, rate=44_100)
        found, held = self.find("voice.wav", name, "effects.wav")
        self.assertEqual((held.right, self.told(held)), (True, []))
        self.assertLess(found.residual, -40)
        for number, stem in enumerate(self.parts):  # loud or not, it is the one of which it is said
            name = self.write(f"wrong-{stem}", self.parts[stem], rate=44_100)  # its samples are still of 48,000
            names = [name if at == number else other for at, other in enumerate(self.parts)]
            self.assertEqual(self.told(self.find(*names)[1]), [f"{name} runs 8.1 % slower than in the mix."])

    def test_a_fade_and_a_click(self) -> None:
        time = np.arange(SECONDS * RATE) / RATE
        whole, music = sum(self.parts.values()), self.parts["music.wav"]
        fading = self.write("fading.wav", music * np.clip((SECONDS - time) / 2, 0, 1))
        _, held = self.find("music.wav", mix=fading)
        self.assertRegex(
            " ".join(self.told(held)), r"From 32\.\d+ to 3[34]\.\d+ s music.wav fades out in the mix, and not"
        )
        rising = self.write("rising.wav", music * np.clip(time / 2, 0, 1))
        self.assertRegex(
            " ".join(self.told(self.find("music.wav", mix=rising)[1])), r"From 0\.\d+ .* fades in in the mix"
        )
        clicked = whole.copy()
        clicked[:, 7 * RATE + 5] += 0.3
        _, held = self.find(*self.parts, mix=self.write("clicked.wav", clicked))
        self.assertEqual(held.right, False)
        self.assertEqual(self.told(held), ["From 7.00 to 7.01 s mix and stems differ by a click of -10 dBFS."])

    def test_a_mix_that_is_silent_or_lacks_a_channel(self) -> None:
        whole = sum(self.parts.values())
        for samples, says in (
            (whole * 0, "The mix is silent."),
            (whole * [[0], [1]], "The mix has nothing in its left channel, where its stems have sound."),
            (
                np.repeat(whole.mean(axis=0, keepdims=True), 2, axis=0),
                "Both channels of the mix hold the same sound, and those of its stems do not: the mix was made mono.",
            ),
        ):
            found, held = self.find(*self.parts, mix=self.write("lacking.wav", samples))
            self.assertEqual((held.right, self.told(held)), (False, [says]))
            rows = [(one["name"], one["fine"]) for one in stems_document(found)["stems"]]
            self.assertEqual(rows, [(name, None) for name in self.parts], "nothing can be told of a stem")
        mono = {name: np.repeat(samples[:1], 2, axis=0) for name, samples in self.parts.items()}
        mix = self.write("mono-mix.wav", sum(mono.values()))
        names = [self.write(f"mono-{name}", samples) for name, samples in mono.items()]
        self.assertEqual(self.told(self.find(*names, mix=mix)[1]), [])
        for sides, says in (
            ([[1], [0]], "has nothing in its right channel."),
            ([[1], [-1]], "is inverted in polarity"),
        ):
            wrong = self.write("mono-wrong.wav", mono["effects.wav"] * sides)
            (told,) = self.told(self.find(*names[:2], wrong, mix=mix)[1])
            self.assertIn(f"{wrong} {says}", told, "the mix of a mono programme is not at fault")
        one_side = {name: samples * [[0], [1]] for name, samples in self.parts.items()}
        for name, samples in one_side.items():
            self.write(f"right-{name}", samples)
        mix = self.write("right-mix.wav", sum(one_side.values()))
        _, held = self.find(*(f"right-{name}" for name in one_side), mix=mix)
        self.assertEqual((held.right, self.told(held)), (True, []), "silent in the stems as well")

    def test_sides_that_are_alike_but_for_their_levels(self) -> None:
        panned = np.stack([self.parts["effects.wav"][0], self.parts["effects.wav"][0] * 0.6])
        mix = self.write("panned-mix.wav", panned + self.parts["voice.wav"])
        right = self.write("panned.wav", panned)
        self.assertEqual(self.told(self.find(right, "voice.wav", mix=mix)[1]), [])
        wrong = self.write("panned-other.wav", panned[::-1])
        _, held = self.find(wrong, "voice.wav", mix=mix)
        self.assertEqual(self.told(held), [f"{wrong} has its left and right channels exchanged."])

    def test_one_channel_goes_to_the_centre_where_there_is_one(self) -> None:
        voice, music, effects = (one[:, : 12 * RATE] for one in self.parts.values())
        bed = np.stack([music[0], music[1], music[0] * 0, music[0] * 0, effects[0], effects[1]])
        spoken = bed.copy()
        spoken[2] = voice[0]
        mix = self.write("surround-mix.wav", spoken)
        names = self.write("centre.wav", voice[:1]), self.write("bed.wav", bed)
        _, held = self.find(*names, mix=mix)
        self.assertEqual((held.right, self.told(held)), (True, []))
        late = self.write("centre-late.wav", later(voice[:1].copy(), 960))
        self.assertEqual(self.told(self.find(late, "bed.wav", mix=mix)[1]), [f"{late} comes 20.0 ms late."])

    def test_one_channel_goes_to_both(self) -> None:
        mono = self.parts["voice.wav"][:1]
        mix = self.write("mono-mix.wav", np.repeat(mono, 2, axis=0) + self.parts["music.wav"])
        _, held = self.find(self.write("mono.wav", mono), "music.wav", mix=mix)
        self.assertEqual((held.right, self.told(held)), (True, []))

    def test_rows_and_verdict_say_the_same_of_a_stem(self) -> None:
        """A level that is a little off is no fault where little enough is left, in a row as in the sentence."""
        air = np.random.default_rng(3).normal(0, 0.002, (2, SECONDS * RATE))
        mix = self.write("air-mix.wav", sum(self.parts.values()) + air)
        names = (*self.parts, self.write("air-more.wav", air * 1.03))
        found, held = self.find(*names, mix=mix)
        self.assertEqual((held.right, [one["fine"] for one in stems_document(found)["stems"]]), (True, [True] * 4))
        self.assertIn("air-more.wav is 0.3 dB louder than in the mix.", [one.says for one in held.sentences])
        coded = replace(found, lossy=True, residual=-24.0)
        self.assertEqual([one["fine"] for one in stems_document(coded)["stems"]], [True] * 4)
        strict = stems_document(coded, -30.0)
        self.assertEqual((strict["right"], [one["fine"] for one in strict["stems"]]), (False, [True] * 3 + [False]))

    def test_what_cannot_be_compared(self) -> None:
        wide = self.write("wide.wav", np.zeros((6, RATE)))
        (self.folder / "none.wav").write_text("hello")
        for names, says in (
            (("voice.wav", wide), "6 channels; expected 1 or 2"),
            ((), "0 stems"),
            (("none.wav",), "no wrapper"),
        ):
            with self.subTest(says), self.assertRaisesRegex(UnreadableFile, says):
                self.find(*names)


class KeptTest(TestCase):
    def test_what_was_read_last_is_kept_within_its_bytes_and_written_to_by_nobody(self) -> None:
        track = mock.Mock()
        track.read.side_effect = lambda start, length: np.full((2, 100), start, np.float32)
        sound = Sound("mix", track, 2 * 800)
        for start in (0, 1, 0, 2, 0, 1):  # of three stretches two are kept, those read last
            self.assertTrue((sound.read(start, 1.0) == start).all())
        self.assertEqual([one.args[0] for one in track.read.call_args_list], [0, 1, 2, 1])
        with self.assertRaises(ValueError):
            sound.read(1, 1.0)[:] = 0
        none = Sound("mix", track)
        none.read(5, 1.0)
        none.read(5, 1.0)
        self.assertEqual(track.read.call_count, 6)
