"""Parts of pictures and single shots that are other than in the master, and coded pictures that are not."""

from unittest import TestCase

import cv2
import numpy as np

from brisk_core.frames import Grey, Still
from brisk_core.master.geometry import Geometry
from brisk_core.master.pairs import Pair
from brisk_core.master.shots import MasterShot
from brisk_core.master.shotwise import Patch, PatchKind, Shotwise, tell_patches, tell_sharpness, tell_shot_levels
from brisk_core.master.tests.programme import SIZE, picture

SHOTS = [MasterShot(number=at + 1, name=f"S{at + 1}", start=at * 8, end=at * 8 + 8) for at in range(4)]
SAME = Geometry(scale=(1, 1), shift=(0, 0), mirrored=False, pairs=500, file_size=SIZE, master_size=SIZE)


def shown(frame: int) -> Grey:
    return picture(frame, shot=frame // 8, into=float(frame % 8)).astype(np.float32)


def coded(luma: Grey, seed: int, loss: float = 2.0) -> Grey:
    """What a coder leaves: the finest detail weaker, and noise of its own."""
    soft = cv2.GaussianBlur(luma, (0, 0), 0.5)
    return np.asarray((soft + np.random.default_rng(seed).normal(0, loss, luma.shape)).clip(0, 255), np.float32)


class ShotwiseTest(TestCase):
    def taken(self, own: dict[int, Grey]) -> Shotwise:
        """All pictures of four shots, some of them in place of what a coder leaves."""
        found = Shotwise(geometry=SAME)
        for frame in range(32):
            luma = own.get(frame, coded(shown(frame), frame))
            both = Still(number=frame, luma=luma, chroma=None), Still(number=frame, luma=shown(frame), chroma=None)
            found.take(Pair(own=both[0], other=both[1]), luma, shown(frame))
        return found

    def told(self, own: dict[int, Grey]) -> list[str]:
        found = self.taken(own)
        patches = tell_patches(found.patches(SHOTS), lambda shot: str(shot.number))
        levels = tell_shot_levels(found.levels(SHOTS), lambda shot: str(shot.number))
        edges = tell_sharpness(found.softness, found.sharpness)
        return [one.says for one in (*patches, *edges, *levels)]

    def drawn(self, draw: object, frames: range = range(32)) -> dict[int, Grey]:
        return {frame: draw(coded(shown(frame), frame), frame) for frame in frames}  # type: ignore[operator]

    def test_what_a_coder_leaves_is_silent(self) -> None:
        self.assertEqual(self.told({}), [])
        self.assertEqual(self.told({frame: coded(shown(frame), frame, loss=5) for frame in range(32)}), [])

    def test_a_logo_and_a_running_timecode_are_told_with_their_place(self) -> None:
        def logo(luma: Grey, frame: int) -> Grey:
            return cv2.putText(luma, "LIVE", (300, 40), cv2.FONT_HERSHEY_DUPLEX, 0.9, 245, 2)

        def timecode(luma: Grey, frame: int) -> Grey:
            cv2.rectangle(luma, (120, 185), (260, 210), 5, -1)
            return cv2.putText(luma, f"10:00:00:{frame:02}", (124, 204), cv2.FONT_HERSHEY_SIMPLEX, 0.6, 240, 1)

        (says,) = self.told(self.drawn(logo))
        self.assertIn("From end to end something stands in the picture that the master does not have", says)
        left, top, width, height = self.taken(self.drawn(logo)).patches(SHOTS)[0].box
        self.assertTrue(280 <= left <= 310 and left + width >= 355 and top <= 25 and 20 <= height <= 50)
        (says,) = self.told(self.drawn(logo, range(8, 16)))
        self.assertIn("In shot 2 something stands", says)
        self.assertTrue(self.told(self.drawn(timecode))[0].startswith("From end to end"))

    def test_what_only_the_master_has_is_told_as_gone(self) -> None:
        found = Shotwise(geometry=SAME)
        for frame in range(32):
            master = cv2.putText(shown(frame), "LIVE", (300, 40), cv2.FONT_HERSHEY_DUPLEX, 0.9, 245, 2)
            both = Still(number=frame, luma=shown(frame), chroma=None), Still(number=frame, luma=master, chroma=None)
            found.take(Pair(own=both[0], other=both[1]), coded(shown(frame), frame), master)
        (says,) = [one.says for one in tell_patches(found.patches(SHOTS), lambda shot: "")]
        self.assertIn("something that stands in the master's picture is not there", says)

    def test_a_cover_of_black_is_told_as_such(self) -> None:
        def covered(luma: Grey, frame: int) -> Grey:
            luma[:, :48] = luma[:, -48:] = 16
            return luma

        told = self.told(self.drawn(covered))
        self.assertEqual(len(told), 2)
        self.assertTrue(all("From end to end the picture is covered with black" in says for says in told))
        # A shot that is dark anyway says nothing of it, and hides nothing.
        found = Shotwise(geometry=SAME)
        for frame in range(32):
            master = np.full_like(shown(frame), 16) if frame >= 24 else shown(frame)
            own = covered(coded(master, frame, loss=0.5), frame)
            both = Still(number=frame, luma=own, chroma=None), Still(number=frame, luma=master, chroma=None)
            found.take(Pair(own=both[0], other=both[1]), own, master)
        patches = found.patches(SHOTS)
        self.assertEqual([(one.shot, one.kind) for one in patches], [(None, PatchKind.BLACK)] * 2)

    def test_one_picture_and_a_passing_change_are_not_told(self) -> None:
        def spark(luma: Grey, frame: int) -> Grey:
            return cv2.circle(luma, (60 + frame * 9, 100), 30, 235, -1) if frame % 3 else luma

        self.assertEqual(self.told(self.drawn(spark)), [])
        self.assertEqual(self.told({5: np.zeros_like(shown(5))}), [])
        found = self.taken(self.drawn(lambda luma, frame: cv2.circle(luma, (60, 60), 30, 235, -1)))
        found.leave_out(range(32))
        self.assertEqual(found.patches(SHOTS), [])

    def test_a_soft_picture_asks_for_a_look(self) -> None:
        soft = {frame: np.asarray(cv2.GaussianBlur(shown(frame), (0, 0), 1.8), np.float32) for frame in range(32)}
        (says,) = self.told(soft)
        self.assertIn("softer than the master's", says)
        self.assertFalse(tell_sharpness(0.4, None)[0].fault)

    def test_a_sharpened_picture_asks_for_a_look_and_noise_or_contrast_do_not(self) -> None:
        def sharpened(luma: Grey, amount: float) -> Grey:
            fine = luma - np.asarray(cv2.GaussianBlur(luma, (0, 0), 1.0), np.float32)
            return np.asarray((luma + amount * fine).clip(0, 255), np.float32)

        for amount, loss in ((0.8, 0.5), (1.5, 3.0)):
            own = {frame: coded(sharpened(shown(frame), amount), frame, loss) for frame in range(32)}
            (says,) = self.told(own)
            self.assertIn("sharper than the master's: its fine detail is", says)
        self.assertFalse(tell_sharpness(None, 1.3)[0].fault)
        for gain in (1.0, 1.15):
            own = {frame: (118 + gain * (coded(shown(frame), frame, 6.0) - 118)).clip(0, 255) for frame in range(32)}
            self.assertIsNone(self.taken(own).sharpness, gain)

    def test_levels_of_one_shot_are_told_and_those_of_all_are_not(self) -> None:
        def graded(luma: Grey, frame: int) -> Grey:
            return np.asarray(luma * 0.8 + 12, np.float32)

        (says,) = self.told(self.drawn(graded, range(16, 24)))
        self.assertIn("In shot 3 levels differ from the master where the rest does not: contrast 8", says)
        self.assertEqual(self.told(self.drawn(lambda luma, frame: np.asarray(luma + 3, np.float32))), [])

    def test_more_places_than_are_named_are_counted(self) -> None:
        one = Patch(shot=None, start=0, end=9, box=(0, 0, 40, 40), kind=PatchKind.ADDED)
        told = tell_patches([one] * 7, lambda shot: "")
        self.assertEqual(len(told), 5)
        self.assertIn("In 3 more places", told[-1].says)
