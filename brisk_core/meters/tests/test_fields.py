from unittest import TestCase

import cv2

from brisk_core.meters.tests.drawn import Plane, fields_of, moment, moved_still, weave


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

    def test_a_pan_that_is_thrown_round_and_stops_has_no_burst(self) -> None:
        places = [min(max((number - 30) * 38.0, 0.0), 420.0) for number in range(60)]
        pictures = [moved_still(0, place) for place in places]
        pictures[30:41] = [cv2.blur(picture, (39, 1)) for picture in pictures[30:41]]
        self.assertEqual(fields_of(pictures).spans, ())
        pictures[20:22] = [weave(moved_still(0, 0), moved_still(0, 5))] * 2
        pictures[41:60] = [moved_still(0, 420 + number * 0.5) for number in range(19)]
        self.assertEqual(fields_of(pictures).scan, "progressive")

    def test_half_and_half_is_mixed(self) -> None:
        found = fields_of([*interlaced(60), *(moment(number) for number in range(60, 120))])
        self.assertEqual((found.scan, found.order), ("mixed", "top"))

    def test_a_progressive_counter_on_interlaced_pictures_does_not_hide_the_fields(self) -> None:
        pictures = interlaced(40)
        for number, picture in enumerate(pictures):
            picture[20:60, 20:120] = 16 if number % 2 else 235
        self.assertEqual(fields_of(pictures).scan, "interlaced")

    def test_cuts_say_nothing_of_fields(self) -> None:
        pictures = interlaced(30) + [weave(moment(at, 2), moment(at + 0.5, 2)) for at in range(30)]
        self.assertEqual(fields_of(pictures).spans, ())
