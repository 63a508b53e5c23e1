from fractions import Fraction
from unittest import TestCase

import cv2
import numpy as np

from brisk_core.frames import RATE, Samples
from brisk_core.master.sound import lay
from brisk_core.master.sound_levels import levels_of, stretches_without
from brisk_core.master.sound_verdict import SoundVerdict, conclude, tell_sound

_MARGIN, _WINDOW, _SECONDS = 2, 4, 40


def speech(seconds: float, seed: int = 3) -> Samples:
    """Two channels that come and go in syllables."""
    generator = np.random.default_rng(seed)
    count = round(seconds * RATE)
    levels = generator.uniform(0, 1, round(seconds * 6) + 2) ** 2
    swell = np.interp(np.arange(count) / RATE * 6, np.arange(len(levels)), levels)
    soft = cv2.blur(generator.normal(0, 0.3, (2, count)).astype(np.float32), (11, 1))
    return np.asarray(soft * swell, np.float32)


def at_speed(samples: Samples, speed: float) -> Samples:
    """The samples played faster."""
    places = np.arange(round(samples.shape[1] / speed)) * speed
    known = np.arange(samples.shape[1])
    return np.stack([np.interp(places, known, one) for one in samples]).astype(np.float32)


def verdict(own: Samples, master: Samples) -> SoundVerdict:
    """Lay windows of a file on its master, as the file is compared."""
    found = []
    for at in range(4, 36, 6):
        start = round((at - _WINDOW / 2) * RATE)
        wide = master[:, start - _MARGIN * RATE : start + (_WINDOW + _MARGIN) * RATE]
        laid = lay(own[:, start : start + _WINDOW * RATE], wide, at)
        assert laid is not None
        found.append(laid)
    return conclude(found, (2, 2))


class SpeedTest(TestCase):
    master = speech(_SECONDS)

    def told(self, own: Samples) -> list[tuple[str, bool]]:
        return [(one.says, one.fault) for one in tell_sound(verdict(own, self.master), Fraction(25))[0]]

    def test_sound_of_another_rate_is_named_and_not_called_foreign(self) -> None:
        for speed, words in ((1.001, "0.1 % faster"), (1 / 1.001, "0.1 % slower")):
            with self.subTest(words):
                both = np.concatenate([self.master, self.master], axis=1)
                (says, fault), *rest = self.told(at_speed(both, speed)[:, : self.master.shape[1]])
                self.assertIn(words, says)
                self.assertTrue(fault)
                self.assertEqual([one for one, is_fault in rest if is_fault], [])
        # 25 for 24 slips by more than is looked for within a minute: one window around the place where both agree.
        own = at_speed(self.master[:, 10 * RATE : 16 * RATE], 25 / 24)[:, : 4 * RATE]
        found = lay(own, self.master[:, 8 * RATE : 16 * RATE], 12)
        assert found is not None
        self.assertEqual(found.speed, Fraction(25, 24))
        # A picture that runs as fast takes its sound with it.
        in_step = lay(own, self.master[:, 8 * RATE : 16 * RATE], 12, pace=Fraction(25, 24))
        assert in_step is not None
        self.assertEqual(in_step.speed, 1)

    def test_sound_that_slips_a_little_drifts(self) -> None:
        (says, fault), *_ = self.told(at_speed(self.master, 1.0002)[:, : 38 * RATE])
        self.assertIn("drifts against the picture", says)
        self.assertTrue(fault)

    def test_other_sound_is_not_found_by_its_envelope(self) -> None:
        self.assertFalse(verdict(speech(_SECONDS, seed=4), self.master).same)

    def test_three_decibels_ask_for_a_look_and_a_tenth_does_not(self) -> None:
        self.assertEqual(self.told(self.master), [])
        for decibels, look in ((-3.0, True), (2.0, True), (0.5, False)):
            found = verdict(self.master * np.float32(10 ** (decibels / 20)), self.master)
            self.assertEqual(found.look, look, decibels)
            self.assertAlmostEqual(found.gain_db, decibels, delta=0.05)


class StretchesTest(TestCase):
    """Sound that slips, is missing, is another's or sits in the wrong channels in a part of the file or in all of it."""

    master = speech(_SECONDS)

    def told(self, own: Samples, master: Samples | None = None) -> list[str]:
        found = verdict(own, self.master if master is None else master)
        return [one.says for one in tell_sound(found, Fraction(25))[0] if one.fault]

    def test_sound_that_slips_once_is_told_from_there_on_and_is_no_drift(self) -> None:
        late = round(0.16 * RATE)
        own = self.master.copy()
        own[:, 20 * RATE :] = self.master[:, 20 * RATE - late : -late]
        (says,) = self.told(own)
        self.assertIn("on the sound is 160 ms (4.0 frames) late", says)
        back = self.master.copy()
        back[:, 13 * RATE : 25 * RATE] = self.master[:, 13 * RATE - late : 25 * RATE - late]
        (says,) = self.told(back)
        self.assertRegex(says, r"From about 0:1\d to 0:2\d the sound is 160 ms")

    def test_a_phrase_that_comes_again_and_again_lies_at_the_nearest_place(self) -> None:
        loop = np.tile(speech(1.0, seed=8), (1, _SECONDS))
        self.assertEqual(self.told(loop, loop), [])

    def test_another_sound_in_a_part_is_told(self) -> None:
        own = self.master.copy()
        own[:, 20 * RATE : 27 * RATE] = speech(7.0, seed=12)
        (says,) = self.told(own)
        self.assertIn("the sound is not the master's", says)

    def test_channels_that_carry_something_else_are_told(self) -> None:
        left, right = self.master
        cases = (
            (np.stack([left, np.zeros_like(right)]), "Channel 2 is silent; the master has sound there."),
            (np.stack([left, left]), "Both channels carry the master's left; the master has two channels."),
            (np.stack([right, right]), "Both channels carry the master's right; the master has two channels."),
            (np.stack([left + right] * 2) / 2, "Both channels carry the same mix of the master's two"),
            (np.stack([right, left]), "Left and right are exchanged."),
        )
        for own, says in cases:
            with self.subTest(says):
                (found,) = self.told(own.astype(np.float32))
                self.assertIn(says, found)
        self.assertEqual(self.told(np.stack([left, left]), np.stack([left, left])), [])

    def test_where_one_of_two_has_no_sound(self) -> None:
        def rows(*levels: tuple[int, float]) -> np.ndarray:
            kept = np.zeros(sum(count for count, _ in levels), [("level", "f2")])
            kept["level"] = np.concatenate([np.full(count, level) for count, level in levels])
            return kept

        master = levels_of([rows((100, -20), (50, -90), (50, -25))], [0.0], 20.0)
        file = levels_of([rows((40, -21), (20, -110), (40, -21), (30, -30), (20, -90), (40, -24))], [0.0], 20.0)
        missing, added = stretches_without(file, master, lambda seconds: seconds)
        self.assertEqual((missing, added), (((4.0, 6.0), (19.0, 20.0)), ((10.0, 13.0),)))
        self.assertEqual(stretches_without(master, master, lambda seconds: seconds), ((), ()))
        # What the picture does not show, nothing is asked of.
        self.assertEqual(stretches_without(file, master, lambda seconds: seconds * np.nan), ((), ()))
        # Quieter by as much as a mix may be is there; so is a pause.
        self.assertEqual(stretches_without(master - 20, master, lambda seconds: seconds)[0], ())
