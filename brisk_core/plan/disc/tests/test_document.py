from fractions import Fraction
from typing import Any
from unittest import TestCase

from jsonschema import Draft202012Validator

from brisk_core.errors import PlanRefused
from brisk_core.plan.disc.document import DiscFile, disc_schema, read_disc
from brisk_core.plan.disc.items import Clip, Lead, PlayList, Screen, Way
from brisk_core.plan.disc.tests.plans import CLIP, MENU, RIGHT, disc
from brisk_core.plan.settings import planned_inspection


class ReadingTest(TestCase):
    def test_a_disc(self) -> None:
        read = disc()
        film, menu = read.by_id["film"], read.by_id["menu"]
        assert isinstance(film, Clip)
        assert isinstance(menu, Screen)
        self.assertEqual((film.frames, film.rate, film.seconds), (15_000, 25, 600))
        self.assertEqual([chapter.frame for chapter in film.chapters], [0, 1500, 3000])
        self.assertEqual([sound.codec for sound in film.sounds], ["ac3"])
        self.assertEqual(menu.buttons[1].to, Way("film", 2))
        self.assertEqual(film.then, Way("menu"))
        self.assertEqual(read.bytes, 4_700_372_992)

    def test_yaml_and_json_are_read_alike(self) -> None:
        text = """
            name: One
            kind: hd-single
            family: 25
            starts_with: a
            items:
              - {id: a, kind: clip, length: "10 s", rate: 25, size: 1920x1080, then: stop}
        """
        read = read_disc(text)
        self.assertEqual((read.kind.name, read.by_id["a"].then), ("High definition, one layer", Way(Lead.STOP)))

    def test_the_start_of_a_clip_is_its_first_chapter(self) -> None:
        read = disc(items=[CLIP | {"chapters": ["2:00"]}])
        self.assertEqual(read.chapters_of("film"), 2)

    def test_a_file_of_the_house(self) -> None:
        facts = planned_inspection(picture_size=(720, 576), picture_frame_rate=Fraction(25), picture_frame_count=500)
        row = {"id": "film", "kind": "clip", "file": "film.mpg", "then": "stop"}
        files = {"film.mpg": DiscFile(inspection=facts, entries=(0, 12, 24))}
        (film,) = disc(items=[row], files=files).clips
        self.assertEqual((film.frames, film.entries, film.bytes), (500, (0, 12, 24), 0))
        with self.assertRaisesRegex(PlanRefused, "met 'film.mpg', which is not at hand"):
            disc(items=[row])

    def test_shuffled_orders(self) -> None:
        rows = [CLIP | {"id": one, "name": one} for one in "abcd"]
        shuffle = {
            "id": "all",
            "kind": "list",
            "clips": list("abcd"),
            "shuffle": {"seed": 3, "orders": 8},
            "then": "all",
        }
        found = disc(items=[*rows, shuffle], starts_with="all", home=None).by_id["all"]
        assert isinstance(found, PlayList)
        orders = [[part.clip for part in order] for order in found.all_orders]
        self.assertEqual(len(orders), 8)
        self.assertEqual(len({tuple(one) for one in orders}), 8)
        for one, two in zip(orders, orders[1:] + orders[:1], strict=True):
            self.assertEqual(sorted(one), list("abcd"))
            self.assertNotEqual(one[-1], two[0])
        again = disc(items=[*rows, shuffle], starts_with="all", home=None).by_id["all"]
        self.assertEqual(again, found)

    def test_a_clip_is_never_shuffled_next_to_itself(self) -> None:
        parts: list[Any] = ["a", "a", "a", "b", "b"]
        rows = [CLIP | {"id": one} for one in "ab"]
        row = {"id": "all", "kind": "list", "clips": parts, "shuffle": {"seed": 1, "orders": 1}, "then": "stop"}
        found = disc(items=[*rows, row], starts_with="all", home=None).by_id["all"]
        assert isinstance(found, PlayList)
        self.assertEqual([part.clip for part in found.all_orders[0]], list("ababa"))

    def test_what_would_take_too_long_is_refused(self) -> None:
        many = {"id": "all", "kind": "list", "clips": ["film"] * 301, "shuffle": {"seed": 1}, "then": "stop"}
        with self.assertRaisesRegex(PlanRefused, "met 1 orders of 301 clips"):
            disc(items=[CLIP, many])
        lists = [many | {"id": f"l{at}", "clips": ["film"] * 300, "shuffle": {"orders": 60}} for at in range(2)]
        with self.assertRaisesRegex(PlanRefused, "36000 clips in all shuffled orders"):
            disc(items=[CLIP, *lists])

    def test_thirty_mistakes_are_all_named_with_their_places(self) -> None:
        wrong = {
            "schema": "other", "name": "", "kind": "tape", "family": 60, "bytes": "x", "reserve": 100, "other_bytes": "-1",
            "starts_with": "gone", "home": "gone", "more": 1,
            "items": [
                {"id": "A b", "kind": "clip", "length": "long", "rate": "x", "size": "big", "sounds": ["loud"], "weight": 0,
                 "texts": "two", "chapters": 7, "peak_rate": "fast", "then": "??", "title_key": "perhaps", "open_groups": 3},
                {"id": "s", "kind": "screen", "buttons": [{"id": "x", "at": [1, 2]}, {"id": "x"}, 4], "loop": "-1 s",
                 "wait": "never"},
                {"id": "s", "kind": "list", "clips": [3, {"clip": "film", "from": 3, "to": 2}], "shuffle": {"seed": -1}},
                {"id": "stop", "kind": "film"},
                5,
            ],
        }  # fmt: skip
        with self.assertRaises(PlanRefused) as caught:
            read_disc(wrong)
        said = [str(one) for one in caught.exception.mistakes]
        self.assertGreaterEqual(len(said), 30)
        for place in (
            "disc", "schema", "kind", "family", "bytes", "reserve", "other_bytes", "starts_with", "home", "name",
            "item A b, id", "item A b, size", "item A b, rate", "item A b, sound 1", "item A b, weight", "item A b, texts",
            "item A b, chapters", "item A b, peak_rate", "item A b, then", "item A b, title_key", "item A b, open_groups",
            "item s, button 1, at", "item s, button 2", "item s, button 3", "item s, loop", "item s, wait", "item s, clip 1",
            "item s, clip 2", "item s, shuffle, seed", "item s, id", "item stop, id", "item stop, kind", "item 5",
        ):  # fmt: skip
            self.assertTrue(any(one.startswith(f"{place}:") for one in said), (place, said))

    def test_the_published_schema_takes_what_the_reader_takes(self) -> None:
        validator = Draft202012Validator(disc_schema())
        Draft202012Validator.check_schema(disc_schema())
        lists = [{"id": "all", "kind": "list", "clips": ["film", {"clip": "film", "from": 2}], "shuffle": {"seed": 1}}]
        right = {"name": "A", "kind": "sd-single", "family": 25, "starts_with": "menu", "items": [*RIGHT, *lists]}
        self.assertTrue(validator.is_valid(right), list(validator.iter_errors(right)))
        read_disc(right)
        for wrong in (
            {"kind": "tape"},
            {"items": []},
            {"more": 1},
            {"items": [{"id": "a", "kind": "clip"}]},
            {"items": [CLIP | {"then": "??"}]},
            {"items": [MENU | {"buttons": [{"at": [1, 2]}]}]},
        ):
            self.assertFalse(validator.is_valid(right | wrong), wrong)
            with self.assertRaises(PlanRefused):
                read_disc(right | {"starts_with": "film"} | wrong)

    def test_odd_documents(self) -> None:
        for text, says in (
            ("[1]", "met a list"),
            ("a: [", "expected YAML or JSON"),
            ("items: []", "expected a list of at least one item"),
        ):
            with self.assertRaisesRegex(PlanRefused, says):
                read_disc(text)
