from unittest import TestCase

import cv2
import numpy as np

from brisk_core.meters.area import AreaMeter, AreaVerdict, judge_area
from brisk_core.meters.tests.drawn import Plane, measure, moment


def boxed(number: int, top: int = 0, bottom: int = 0, left: int = 0, right: int = 0) -> Plane:
    picture = moment(number, grain=1)
    framed = np.full_like(picture, 16)
    inside = slice(top, 288 - bottom), slice(left, 352 - right)
    framed[inside] = np.maximum(picture[inside], 40)
    return framed


def area(planes: list[Plane]) -> AreaVerdict:
    meter = AreaMeter()
    return judge_area(measure([meter], planes).rows("area"), meter.total)


class AreaTest(TestCase):
    def test_edges_to_the_line(self) -> None:
        for edges, bars in (
            ({}, "none"),
            ({"top": 36, "bottom": 36}, "top-bottom"),
            ({"left": 44, "right": 44}, "sides"),
            ({"top": 36, "bottom": 37, "left": 44, "right": 45}, "all"),
            ({"left": 120, "right": 120}, "sides"),
        ):
            with self.subTest(edges):
                found = area([boxed(number, **edges) for number in range(20)])
                all_edges = {"top": 0, "bottom": 0, "left": 0, "right": 0} | edges
                width = 352 - all_edges["left"] - all_edges["right"]
                height = 288 - all_edges["top"] - all_edges["bottom"]
                self.assertEqual(found.area, (all_edges["left"], all_edges["top"], width, height))
                self.assertEqual((found.bars, found.in_bars), (bars, ()))

    def test_black_around_something_without_straight_edges_is_no_bar(self) -> None:
        rows, columns = np.mgrid[:288, :352]
        disc = (rows - 144) ** 2 + (columns - 176) ** 2 < 100**2
        face = [np.where(disc, np.maximum(moment(number), 60), 16).astype(np.uint8) for number in range(20)]
        found = area(face)
        self.assertEqual((found.bars, found.area), (None, None), "too little of it is lit to tell")
        tall = (np.abs(rows - 144) / 138 + np.abs(columns - 176) / 170) < 1
        lozenge = [np.where(tall, np.maximum(moment(number), 60), 16).astype(np.uint8) for number in range(20)]
        self.assertNotEqual(area(lozenge).bars, "all")

    def test_soft_edges_of_bars_are_edges(self) -> None:
        soft = [cv2.blur(boxed(number, top=36, bottom=36), (1, 5)) for number in range(20)]
        found = area([np.asarray(plane, np.uint8) for plane in soft])
        self.assertEqual(found.bars, "top-bottom")

    def test_captions_in_a_bar_do_not_move_its_edge(self) -> None:
        pictures = [boxed(number, top=40, bottom=40) for number in range(20)]
        for picture in pictures[5:15]:
            picture[262:274, 120:230:6] = 220
        found = area(pictures)
        self.assertEqual((found.area, found.in_bars), ((0, 40, 352, 208), ("bottom",)))

    def test_dark_scenes_do_not_make_the_area_smaller(self) -> None:
        dark = np.full((288, 352), 18, np.uint8)
        dark[100:160, 100:250] = 90
        found = area([boxed(number) for number in range(10)] + [dark] * 30)
        self.assertEqual((found.area, found.bars, found.changes), ((0, 0, 352, 288), "none", ()))

    def test_bars_that_come_and_go_are_spans(self) -> None:
        pictures = [boxed(number) for number in range(60)]
        for number in range(20, 44):
            pictures[number] = boxed(number, top=30, bottom=30)
        found = area(pictures)
        self.assertEqual(found.bars, "none")
        self.assertEqual(found.changes, ((20, 44, "bars above and below, 30 deep"),))

    def test_all_dark_says_nothing(self) -> None:
        self.assertIsNone(area([np.full((288, 352), 16, np.uint8)] * 20).area)
