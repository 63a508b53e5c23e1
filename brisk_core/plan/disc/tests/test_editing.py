"""Steps of a map: each changes what it says and nothing else, and what cannot be done is told."""

from __future__ import annotations

import copy
from collections.abc import Callable
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from brisk_core.errors import PlanRefused
from brisk_core.plan.disc import editing
from brisk_core.plan.disc.document import read_disc
from brisk_core.plan.disc.navigation import navigate

FILM = {
    "kind": "clip", "length": "10:00", "rate": 25, "size": "720x576", "shape": "16:9", "scan": "interlaced", "codec": "mpeg2",
    "sounds": ["ac3 192 kb/s"], "chapters": ["0:00", "5:00"],
}  # fmt: skip


def disc() -> dict[str, Any]:
    return {
        "schema": "brisk-sentry/disc/1", "name": "Canal", "kind": "sd-single", "family": "25", "starts_with": "menu",
        "home": "menu",
        "items": [
            {"id": "menu", "kind": "screen", "name": "Menu", "buttons": [
                {"id": "b1", "label": "Film", "to": "film", "down": "b2"},
                {"id": "b2", "label": "Second half", "to": "film chapter 2", "up": "b1"},
            ]},
            {"id": "film", "name": "Film", "then": "menu", **FILM},
            {"id": "short", "name": "Short", "then": "film chapter 2", **FILM},
            {"id": "all", "kind": "list", "name": "All", "clips": ["film", {"clip": "short", "from": 1, "to": 2}], "then": "menu"},
        ],
    }  # fmt: skip


def row(document: dict[str, Any], item: str) -> dict[str, Any]:
    found: dict[str, Any] = next(one for one in document["items"] if one["id"] == item)
    return found


class EditingTest(TestCase):
    def setUp(self) -> None:
        self.disc = disc()
        read_disc(self.disc)

    def same_but(self, made: dict[str, Any], *items: str) -> None:
        """Nothing but some items is another, and the document can be read."""
        read_disc(made)
        for one in self.disc["items"]:
            if one["id"] not in items:
                self.assertEqual(row(made, one["id"]), one)
        self.assertEqual(self.disc, disc())  # what was given stays

    def test_a_way_is_drawn_by_a_button_of_a_screen_and_else_by_what_follows(self) -> None:
        made = editing.draw_way(self.disc, "menu", "short")
        self.assertEqual(row(made, "menu")["buttons"][-1], {"id": "b3", "label": "Short", "to": "short"})
        self.same_but(made, "menu")
        made = editing.draw_way(self.disc, "film", "short")
        self.assertEqual(row(made, "film")["then"], "short")
        self.same_but(made, "film")
        with self.assertRaisesRegex(PlanRefused, "“Menu” leads to Film already"):
            editing.draw_way(self.disc, "menu", "film")

    def test_ways_are_set_and_taken_away(self) -> None:
        made = editing.set_way(self.disc, "menu", "stop", "b2")
        self.assertEqual(row(made, "menu")["buttons"][1]["to"], "stop")
        made = editing.set_way(made, "menu", "", "b1")
        self.assertNotIn("to", row(made, "menu")["buttons"][0])
        self.same_but(made, "menu")
        made = editing.set_way(self.disc, "film", "short chapter 2")
        self.assertEqual(row(made, "film")["then"], "short chapter 2")
        made = editing.set_way(made, "film", "")
        self.assertNotIn("then", row(made, "film"))
        self.same_but(made, "film")

    def test_names_buttons_start_and_home(self) -> None:
        made = editing.rename(editing.rename(self.disc, "film", " The Canal\x00 "), "menu", "Play", "b1")
        self.assertEqual((row(made, "film")["name"], row(made, "menu")["buttons"][0]["label"]), ("The Canal", "Play"))
        made = editing.add_button(made, "menu", "Short", "short")
        made = editing.remove_button(made, "menu", "b1")
        self.assertEqual([one["id"] for one in row(made, "menu")["buttons"]], ["b2", "b3"])
        self.assertNotIn("up", row(made, "menu")["buttons"][0])
        self.assertEqual(editing.add_button(made, "menu", "Again")["items"][0]["buttons"][-1]["id"], "b1")
        made = editing.go_home_to(editing.start_with(made, "film"), "")
        self.assertEqual((made["starts_with"], "home" in made), ("film", False))
        self.same_but(made, "film", "menu")

    def test_items_are_added_with_ids_of_their_own(self) -> None:
        made, first = editing.add_screen(self.disc, "Émile & Ostrey")
        made, second = editing.add_screen(made, "Emile, Ostrey")
        made, third = editing.add_screen(made, "夜")
        made, fourth = editing.add_screen(made, "Stop")
        made, fifth = editing.add_clip(made, "Bonus")
        self.assertEqual(
            [first, second, third, fourth, fifth], ["emile-ostrey", "emile-ostrey-2", "screen", "stop-2", "bonus"]
        )
        self.assertEqual(row(made, fifth)["then"], "menu")
        self.same_but(made)
        made, _ = editing.add_clip(self.disc | {"family": "30"}, "", "OLP_V01.mpg")
        self.assertEqual(
            made["items"][-1],
            {"id": "olp-v01-mpg", "kind": "clip", "name": "OLP_V01.mpg", "file": "OLP_V01.mpg", "then": "menu"},
        )

    def test_what_led_to_an_item_that_is_removed_leads_nowhere_and_is_told(self) -> None:
        made = editing.remove(self.disc, "film")
        self.assertEqual([one["id"] for one in made["items"]], ["menu", "short", "all"])
        self.assertNotIn("then", row(made, "short"))
        self.assertEqual([one.get("to") for one in row(made, "menu")["buttons"]], [None, None])
        self.assertEqual(row(made, "all")["clips"], [{"clip": "short", "from": 1, "to": 2}])
        self.assertTrue(navigate(read_disc(made)).troubles)
        for document, item, says in (
            (self.disc, "menu", "The disc starts with “Menu”"),
            (made, "short", "all that the list “All” plays"),
        ):
            with self.assertRaisesRegex(PlanRefused, says):
                editing.remove(document, item)
        self.assertNotIn("home", editing.remove(editing.start_with(self.disc, "film"), "menu"))

    def test_what_is_not_there_is_told(self) -> None:
        for act, says in (
            (lambda: editing.draw_way(self.disc, "menu", "nothing"), "no item 'nothing'"),
            (lambda: editing.draw_way(self.disc, "nothing", "menu"), "no item 'nothing'"),
            (lambda: editing.set_way(self.disc, "menu", "film", "b9"), "no button 'b9'"),
            (lambda: editing.add_button(self.disc, "film", "x"), "is no screen"),
            (lambda: editing.rename(self.disc, "film", "  "), "a name of 0 letters"),
            (lambda: editing.add_screen(self.disc, "x" * 121), "a name of 121 letters"),
        ):
            with self.assertRaisesRegex(PlanRefused, says):
                act()

    @given(st.lists(st.tuples(st.integers(0, 7), st.integers(0, 5), st.integers(0, 5)), max_size=12))
    def test_whatever_is_done_the_document_can_be_read(self, steps: list[tuple[int, int, int]]) -> None:
        document = disc()
        for what, one, other in steps:
            ids = [item["id"] for item in document["items"]]
            item, to = ids[one % len(ids)], ids[other % len(ids)]
            acts: tuple[Callable[[dict[str, Any], str, str], dict[str, Any]], ...] = (
                editing.draw_way,
                editing.set_way,
                lambda made, item, _: editing.set_way(made, item, ""),
                lambda made, item, _: editing.remove(made, item),
                lambda made, item, _: editing.start_with(made, item),
                lambda made, item, to: editing.add_button(made, item, "x", to),
                lambda made, *_: editing.add_screen(made, "Extra")[0],
                lambda made, item, _: editing.remove_button(made, item, "b1"),
            )
            before = copy.deepcopy(document)
            try:
                document = acts[what](document, item, to)
            except PlanRefused:
                self.assertEqual(document, before)
            read_disc(document)
