import tempfile
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from unittest import TestCase
from unittest.mock import patch

import cv2
import numpy as np

from brisk_core.facts import Held
from brisk_core.master import Against, Side, held_from_json, held_to_json
from brisk_core.master.tests.programme import (
    FRAMES,
    SIZE,
    STARTS,
    UPLOAD,
    against,
    picture,
    pictures,
    render,
    shot_frames,
    sound,
)
from brisk_core.meters.tests.drawn import Plane
from brisk_core.scan.tests.encoded import CODINGS, Coding

WHOLE = list(range(FRAMES))
ODD = STARTS[6] + 9  # a frame inside shot 7


class AgainstTest(TestCase):
    """Renders of known truth held against their master: each is named rightly, and the right one is silent."""

    minutes = 4
    folder: Path
    master: Side

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        cls.heard = sound(FRAMES / 25)
        cls.master = render(cls.folder, "master", pictures(), CODINGS["prores"], cls.heard)

    def held(self, planes: list[Plane], coding: Coding = UPLOAD, **more: object) -> dict[str, Held]:
        return self.whole(planes, coding, **more).held

    def whole(
        self, planes: list[Plane], coding: Coding = UPLOAD, *, heard: np.ndarray | None = None, **more: object
    ) -> Against:
        return against(render(self.folder, "file", planes, coding, heard), self.master, **more)

    def told(self, held: Held) -> list[str]:
        return [one.says for one in held.sentences if one.fault]

    def assert_only(self, found: dict[str, Held], id_: str, *says: str, silent: bool = True) -> None:
        """Only one characteristic is at fault (the sound, which these renders have none of, aside), and says this."""
        told = self.told(found[id_])
        self.assertEqual(len(told), len(says), told)
        for sentence, words in zip(told, says, strict=True):
            self.assertIn(words, sentence)
        if silent:
            faults = {name for name, held in found.items() if held.right is not True} - {"master.sound", id_}
            self.assertEqual(faults, set())

    def test_a_right_render_is_silent(self) -> None:
        found = self.whole(pictures(), heard=self.heard)
        for id_, held in found.held.items():
            self.assertIs(held.right, True, (id_, held.found, self.told(held)))
        self.assertEqual({row["says"] for row in found.held["master.map"].document["shots"]}, {"in place"})
        self.assertEqual(found.held["master.map"].document["stretches"], [[0, FRAMES, 0.0]])
        self.assertGreater(found.held["master.similarity"].document["ssim"], 0.96)
        self.assertEqual(len(found.document["shot_similarity"]), 24)
        for held in found.held.values():
            self.assertEqual(held_from_json(held_to_json(held)), held)

    def test_a_part_that_was_ordered_is_silent(self) -> None:
        found = self.held(pictures(range(50, 250)), ordered=(50, 250))
        self.assertTrue(found["master.map"].right, self.told(found["master.map"]))

    def test_one_frame_late(self) -> None:
        found = self.held([picture(0), *pictures(WHOLE[:-1])])
        self.assert_only(found, "master.map", "Everything is 1 frame late")

    def test_a_missing_shot(self) -> None:
        gone = set(shot_frames(9))
        found = self.held(pictures([number for number in WHOLE if number not in gone]))
        self.assert_only(found, "master.map", f"Shot 9 “S9” is missing: all after frame {STARTS[8]}")
        states = {row["number"]: row["state"] for row in found["master.map"].document["shots"]}
        self.assertEqual((states[8], states[9], states[10]), ("in place", "missing", "early"))

    def test_two_shots_that_changed_places(self) -> None:
        found = self.held(pictures(shot_frames(1, 2, 3, 5, 4, *range(6, 25))))
        self.assert_only(found, "master.map", "Shots 4 “S4” and 5 “S5” changed places")
        says = {row["number"]: row["says"] for row in found["master.map"].document["shots"]}
        self.assertEqual((says[4], says[5], says[6]), ("after shot 5", "before shot 4", "in place"))

    def test_another_range(self) -> None:
        found = self.held(pictures(range(50, 250)), ordered=(0, 200))
        self.assert_only(found, "master.map", "Everything is 2 s early")

    def test_another_film(self) -> None:
        other = [
            np.ascontiguousarray(255 - picture(number, shot=(number // 17 * 7) % 24, into=number % 17)[::-1])
            for number in range(260)
        ]
        found = self.held(other)
        self.assertIn("another film", self.told(found["master.map"])[0])
        self.assertIsNone(found["master.sound"].right)

    def test_scaled_is_no_fault(self) -> None:
        smaller = [cv2.resize(plane, (256, 144), interpolation=cv2.INTER_AREA) for plane in pictures()]
        found = self.held([np.asarray(plane, np.uint8) for plane in smaller])
        self.assertTrue(all(held.right for name, held in found.items() if name != "master.sound"))
        self.assertIn("scaled to 66.7 %", found["master.geometry"].found)

    def test_a_tall_cut_is_told_and_a_stretched_one_is_a_fault(self) -> None:
        left = (SIZE[0] - 122) // 2
        found = self.held([np.ascontiguousarray(plane[:, left : left + 122]) for plane in pictures()])
        self.assertTrue(found["master.map"].right)
        self.assertTrue(found["master.map"].document["by_cuts"])
        self.assertTrue(found["master.geometry"].right)
        x, _, width, _ = found["master.geometry"].document["visible"]
        self.assertAlmostEqual(x, left, delta=1)
        self.assertAlmostEqual(width, 122, delta=1)
        wide = [np.asarray(cv2.resize(plane[:, 48:336], SIZE), np.uint8) for plane in pictures()]
        told = self.told(self.held(wide)["master.geometry"])
        self.assertIn("stretched sideways by 33", told[0])
        self.assertIn("25 % of the master is cut off at the sides", told[1])

    def test_mirrored(self) -> None:
        found = self.held([np.ascontiguousarray(plane[:, ::-1]) for plane in pictures()])
        self.assert_only(found, "master.geometry", "mirrored")

    def test_levels_squeezed_once_more(self) -> None:
        found = self.held([np.asarray(np.round(16 + plane * (219 / 255)), np.uint8) for plane in pictures()])
        self.assert_only(found, "master.level_curve", "narrow range once more")
        self.assertAlmostEqual(found["master.level_curve"].document["gain"], 219 / 255, delta=0.012)
        self.assertAlmostEqual(found["master.level_curve"].document["offset"], 16, delta=1.2)

    def test_30_made_of_25_by_mixing_and_by_repeating(self) -> None:
        blended, repeated = [], []
        for number in range(FRAMES * 6 // 5):
            first, rest = divmod(number * 5, 6)
            one, other = picture(first), picture(min(first + 1, FRAMES - 1))
            blended.append(np.asarray(np.round(one + (other.astype(float) - one) * rest / 6), np.uint8))
            repeated.append(one)
        coding = replace(UPLOAD, rate=Fraction(30))
        found = self.held(blended, coding)
        told = self.told(found["master.map"])
        self.assertEqual(len(told), 1, told)
        self.assertIn("made from the master's 25 by blending", told[0])
        found = self.held(repeated, coding)
        self.assert_only(found, "master.map")
        self.assertIn("30 made by repeating", found["master.map"].found)

    def test_25_taken_for_24(self) -> None:
        film = render(self.folder, "film", pictures(), replace(CODINGS["prores"], rate=Fraction(24)))
        found = against(render(self.folder, "file", pictures()), film).held
        self.assertIn("runs 4.2 % faster than the master", self.told(found["master.map"])[0])
        self.assertEqual(len(self.told(found["master.map"])), 1)

    def test_a_dropped_a_repeated_and_a_mixed_frame(self) -> None:
        found = self.held(pictures([number for number in WHOLE if number != ODD]))
        self.assert_only(found, "master.map", f"1 frame is missing in shot 7 “S7” at frame {ODD}")
        found = self.held(pictures([number - (number == ODD) for number in WHOLE]))
        self.assert_only(found, "master.map", f"1 frame repeats the previous one: frame {ODD} in shot 7")
        ghost = np.asarray(np.round(picture(ODD - 1) / 2 + picture(ODD + 1) / 2), np.uint8)
        found = self.held([ghost if number == ODD else picture(number) for number in WHOLE])
        self.assert_only(found, "master.map", f"1 frame is blended from two: frame {ODD} in shot 7")
        self.assertEqual(found["master.similarity"].document["worst"][0][0], ODD)

    def test_a_stretch_that_is_not_in_the_master(self) -> None:
        foreign = [
            np.ascontiguousarray(255 - picture(number, shot=20, into=number)[::-1])
            if 150 <= number < 170
            else picture(number)
            for number in WHOLE
        ]
        told = self.told(self.held(foreign)["master.map"])
        self.assertEqual(len(told), 1, told)
        self.assertIn("from frame 150 are not in the master: they stand in place of shot", told[0])

    def in_shot(self, shot: int, draw: Callable[[Plane], Plane]) -> list[Plane]:
        """The programme with the pictures of one shot drawn otherwise."""
        inside = set(shot_frames(shot))
        return [np.ascontiguousarray(draw(picture(at))) if at in inside else picture(at) for at in WHOLE]

    def test_a_shot_that_is_otherwise_is_in_place_and_is_told_for_what_it_is(self) -> None:
        def logo(plane: Plane) -> Plane:
            return cv2.putText(plane, "LIVE", (270, 50), cv2.FONT_HERSHEY_DUPLEX, 1.2, 250, 3)

        def graded(plane: Plane) -> Plane:
            return np.asarray(plane * 0.7 + 12, np.uint8)

        def enlarged(plane: Plane) -> Plane:
            place = cv2.getRotationMatrix2D((SIZE[0] / 2, SIZE[1] / 2), 0, 1.2)
            return np.asarray(cv2.warpAffine(plane, place, SIZE, flags=cv2.INTER_CUBIC), np.uint8)

        cases = (
            (logo, "master.similarity", "In shot 9 “S9” something stands in the picture that the master does not have"),
            (graded, "master.level_curve", "In shot 9 “S9” levels differ from the master where the rest does not"),
            (enlarged, "master.geometry", "In shot 9 “S9” the picture lies otherwise than in the rest: scaled to 1"),
            (lambda plane: plane[:, ::-1], "master.geometry", "In shot 9 “S9” the picture lies otherwise"),
        )
        for draw, id_, says in cases:
            with self.subTest(says):
                self.assert_only(self.held(self.in_shot(9, draw)), id_, says)

    def test_a_shot_of_a_long_film_is_told_though_few_of_its_pictures_are_compared(self) -> None:
        planes = self.in_shot(9, lambda plane: np.asarray(plane * 0.6 + 20, np.uint8))
        with patch("brisk_core.master.against._MOST_COMPARED", 24):
            found = self.held(planes)
        self.assert_only(found, "master.level_curve", "In shot 9 “S9” levels differ from the master")

    def test_a_logo_from_end_to_end(self) -> None:
        planes = [cv2.putText(picture(at), "LIVE", (270, 50), cv2.FONT_HERSHEY_DUPLEX, 1.2, 250, 3) for at in WHOLE]
        found = self.held([np.asarray(plane, np.uint8) for plane in planes])
        self.assert_only(found, "master.similarity", "From end to end something stands in the picture")

    def test_some_frames_that_stand(self) -> None:
        start = STARTS[15] + 4
        order = [start - 1 if start <= number < start + 5 else number for number in WHOLE]
        found = self.held(pictures(order))
        told = self.told(found["master.map"])
        self.assertEqual(len(told), 1, told)
        self.assertIn(f"The picture stands for 5 frames where the master moves: frame {start} in shot 16", told[0])

    def test_sound_late_and_sides_exchanged_and_turned_and_louder(self) -> None:
        frames = STARTS[12]
        part, plain = pictures(range(frames)), self.heard[:, : frames * 1920]

        def held(heard: np.ndarray) -> dict[str, Held]:
            return self.held(part, heard=heard, ordered=(0, frames))

        cases = (
            (np.concatenate([np.zeros((2, 1920), np.float32), plain[:, :-1920]], axis=1), "40 ms late"),
            (np.ascontiguousarray(plain[::-1]), "Left and right are exchanged"),
            (plain * np.array([[1], [-1]], np.float32), "Channel 2 is inverted in polarity"),
            (sound(frames / 25, seed=77), "not the master's"),
        )
        for heard, words in cases:
            with self.subTest(words):
                self.assert_only(held(heard), "master.sound", words)
        as_it_is, louder = (held(plain * np.float32(gain))["master.sound"] for gain in (1, 1.2))
        self.assertTrue(louder.right)
        self.assertIn("dB louder", louder.sentences[0].says)
        self.assertAlmostEqual(louder.document["gain"] - as_it_is.document["gain"], 1.58, delta=0.1)
