from unittest import TestCase

import cv2
import numpy as np

from brisk_core.meters.fields import FieldMeter, judge_fields
from brisk_core.meters.tests.drawn import Plane, fields_of, moment, weave


def interlaced(count: int, *, top_first: bool = True, grain: float = 0) -> list[Plane]:
    pictures = []
    for number in range(count):
        first, second = moment(number, grain=grain), moment(number + 0.5, grain=grain)
        pictures.append(weave(first, second) if top_first else weave(second, first))
    return pictures


def pulldown(count: int, *, top_first: bool = True) -> list[Plane]:
    """Four film pictures in five frames (SMPTE RP 197)."""
    pictures = []
    for film in range(0, count, 4):
        a, b, c, d = (moment(film + at) for at in range(4))
        mixed = (weave(b, c), weave(c, d)) if top_first else (weave(c, b), weave(d, c))
        pictures += [a, b, *mixed, d]
    return pictures


def rolled(number: int, scale: float, lines: float, *, plain: bool, woven: bool) -> Plane:
    """Credits in thin letters that roll up by some lines a picture; ``plain`` letters have no soft edges."""
    page = np.full((900, 352), 10, np.uint8)
    for row, name in enumerate(("Grip: Ada Brook", "HEAD OF LIGHT", "Sound  E. F. Tillet", "Lena Pike") * 8):
        cv2.putText(
            page, name, (30 + row * 7 % 40, 40 + row * 26), 2, scale, 225, 1, cv2.LINE_8 if plain else cv2.LINE_AA
        )

    def at(time: float) -> Plane:
        place = np.array([[1, 0, 0], [0, 1, lines * time]], np.float64)
        return cv2.warpAffine(page, place, (352, 288), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)

    return weave(at(number), at(number + 0.5)) if woven else at(number)


class FieldsTest(TestCase):
    def test_one_moment_a_frame(self) -> None:
        for grain in (0, 3):
            found = fields_of(moment(number, grain=grain) for number in range(40))
            self.assertEqual((found.scan, found.order, found.spans), ("progressive", None, ()))

    def test_two_moments_and_their_order(self) -> None:
        for grain in (0, 3):
            for top_first, order in ((True, "top"), (False, "bottom")):
                found = fields_of(interlaced(40, top_first=top_first, grain=grain))
                self.assertEqual((found.scan, found.order), ("interlaced", order))
                self.assertEqual(int((found.moments[1:] == found.moments[1]).sum()), 39)

    def test_still_pictures_say_nothing(self) -> None:
        for grain in (0, 3):
            planes = [moment(0, grain=grain)] if not grain else [moment(0.001 * at, grain=3) for at in range(60)]
            found = fields_of(planes * (1 if grain else 60))
            self.assertIsNone(found.scan)
            self.assertIn("not enough motion", found.says)

    def test_pulldown_and_which_field_it_begins_with(self) -> None:
        for top_first, order in ((True, "top"), (False, "bottom")):
            found = fields_of(pulldown(60, top_first=top_first))
            self.assertEqual((found.scan, found.order), ("pulldown-3:2", order))

    def test_a_burst_of_three_combed_frames_is_found(self) -> None:
        pictures = [moment(number) for number in range(200)]
        pictures[90:93] = [weave(moment(number), moment(number + 0.5)) for number in range(90, 93)]
        found = fields_of(pictures)
        self.assertEqual([span[:2] for span in found.spans], [(90, 93)])
        self.assertEqual(found.scan, "progressive")

    def test_a_whip_pan_that_ends_in_a_still_has_no_burst(self) -> None:
        """Blurred pictures comb not at all; the sharp ones after them do, and so does the still one that follows."""
        rows = np.zeros(60, FieldMeter.row)
        rows["comb"], rows["top"], rows["bottom"] = np.nan, 0, 0  # the same as the picture before
        rows["one"][30:43] = [*[7000] * 11, 8500, 114]
        rows["comb"][30:43] = [*[0.001] * 11, 1.1, 1.1]
        rows["top"][30:43] = rows["bottom"][30:43] = 20
        self.assertEqual(judge_fields(rows).spans, ())
        rows["comb"][43:], rows["one"][43:] = 0.001, 7000  # it goes on, and combs no more
        self.assertEqual([span[:2] for span in judge_fields(rows).spans], [(41, 43)])

    def test_few_pictures_that_do_not_agree_say_nothing_and_few_strays_are_a_burst(self) -> None:
        rows = np.zeros(80, FieldMeter.row)
        for name, places in (("one", [1, 2, 48]), ("two_top", [46, 47])):
            rows[name][places] = 500
        found = judge_fields(rows)
        self.assertEqual((found.scan, "do not agree" in found.says), (None, True))
        rows["one"][1:], rows["two_top"] = 500, 0
        rows["one"][40:43], rows["two_top"][40:43] = 0, 500
        found = judge_fields(rows)
        self.assertEqual((found.scan, found.spans), ("progressive", ((40, 43, "two moments, top field first"),)))
        rows["one"][40:45], rows["two_top"][40:45] = 0, 500
        self.assertEqual(judge_fields(rows).scan, "mixed")

    def test_half_and_half_is_mixed(self) -> None:
        found = fields_of([*interlaced(60), *(moment(number) for number in range(60, 120))])
        self.assertEqual((found.scan, found.order), ("mixed", "top"))

    def test_a_progressive_counter_on_interlaced_pictures_does_not_hide_the_fields(self) -> None:
        pictures = interlaced(40)
        for number, picture in enumerate(pictures):
            picture[20:60, 20:120] = 16 if number % 2 else 235
        self.assertEqual(fields_of(pictures).scan, "interlaced")

    def test_thin_letters_that_roll_up_are_of_one_moment_unless_they_are_woven(self) -> None:
        for scale, plain, lines in ((0.6, False, 0.5), (0.6, True, 3.0), (0.4, False, 2.0), (0.6, True, 2.0)):
            for woven in (False, True):
                with self.subTest((scale, plain, lines, woven)):
                    pictures = [moment(number) for number in range(40)]
                    pictures += [rolled(number, scale, lines, plain=plain, woven=woven) for number in range(48)]
                    found = fields_of(pictures)
                    if not woven:
                        self.assertEqual((found.scan, found.spans), ("progressive", ()))
                    elif lines != 2.0:  # a line a field looks like one moment
                        self.assertGreater(sum(end - start for start, end, _ in found.spans), 8)

    def test_a_picture_that_cannot_be_decoded_says_nothing_and_hides_nothing(self) -> None:
        rows = np.zeros(60, FieldMeter.row)
        rows["two_top"], rows["top"], rows["bottom"] = 500, 20, 20
        for name in FieldMeter.row.names or ():
            rows[name][20:23] = np.nan
        found = judge_fields(rows)
        self.assertEqual((found.scan, found.order, found.spans), ("interlaced", "top", ()))

    def test_cuts_say_nothing_of_fields(self) -> None:
        pictures = interlaced(30) + [weave(moment(at, 2), moment(at + 0.5, 2)) for at in range(30)]
        self.assertEqual(fields_of(pictures).spans, ())
