from typing import Any
from unittest import TestCase

from brisk_core.plan.disc.navigation import Fault, Trouble, navigate
from brisk_core.plan.disc.tests.plans import CLIP, MENU, RIGHT, SHORT, disc


def menu(*buttons: dict[str, Any], **more: Any) -> dict[str, Any]:
    return MENU | {"buttons": list(buttons)} | more


PLAY, TO_SHORT = MENU["buttons"][0], MENU["buttons"][2]


class FaultsTest(TestCase):
    def found(self, *items: dict[str, Any], **more: Any) -> list[Trouble]:
        return list(navigate(disc(items=list(items) or None, **more)).troubles)

    def only(self, *items: dict[str, Any], **more: Any) -> Trouble:
        (found,) = self.found(*items, **more)
        return found

    def test_a_disc_without_a_fault_is_silent(self) -> None:
        self.assertEqual(self.found(), [])

    def test_a_dead_end(self) -> None:
        found = self.only(MENU, CLIP | {"then": None}, SHORT)
        self.assertEqual((found.fault, found.item), (Fault.DEAD_END, "film"))
        self.assertEqual(found.says, "Film: nothing follows its end; the disc stops")
        self.assertEqual(found.way, "start → Menu → “Play” → Film → end")

    def test_a_screen_without_a_button(self) -> None:
        stuck = {"id": "stuck", "kind": "screen", "name": "Stuck"}
        found = self.only(MENU, CLIP | {"then": "stuck"}, SHORT, stuck)
        self.assertIn("only the title key leads out", found.says)
        found = self.only(MENU, CLIP | {"then": "stuck"}, SHORT, stuck | {"title_key": False})
        self.assertIn("the viewer is stuck", found.says)
        self.assertEqual(self.found(MENU, CLIP | {"then": "stuck"}, SHORT, stuck | {"then": "menu"}), [])

    def test_what_no_way_leads_to(self) -> None:
        found = self.only(menu(PLAY), CLIP, SHORT)
        self.assertEqual((found.fault, found.item, found.says), (Fault.UNREACHED, "short", "Short: no way leads to it"))

    def test_a_clip_of_a_list_is_reached(self) -> None:
        row = {"id": "all", "kind": "list", "clips": ["film", "short"], "then": "menu"}
        self.assertEqual(self.found(menu({"label": "All", "to": "all"}), CLIP, SHORT, row), [])

    def test_a_button_to_nowhere(self) -> None:
        for button, says in (
            ({"label": "Extras"}, "Menu: “Extras” leads nowhere"),
            ({"label": "Extras", "to": "extras"}, "Menu: “Extras” leads to extras, which is not on the disc"),
            ({"label": "Fourth", "to": "film chapter 4"}, "Menu: “Fourth” leads to chapter 4 of Film, which has 3"),
        ):
            found = self.only(menu(PLAY, TO_SHORT, button), CLIP, SHORT)
            self.assertEqual((found.fault, found.says), (Fault.NOWHERE, says))

    def test_a_wheel_without_an_exit(self) -> None:
        rows = [CLIP | {"then": "short", "title_key": False}, SHORT | {"then": "film", "title_key": False}]
        found = self.only(MENU, *rows)
        self.assertEqual(found.fault, Fault.WHEEL)
        self.assertEqual(
            found.says, "Film and Short lead only to each other, without end and without anything to choose"
        )
        self.assertFalse(found.caution)

    def test_the_title_key_is_a_way_out_that_has_to_be_known(self) -> None:
        found = self.only(MENU, CLIP | {"then": "film"}, SHORT)
        self.assertEqual(found.says, "Film leads only to itself; only the title key leads out")
        self.assertTrue(found.caution)

    def test_screens_that_lead_only_to_each_other(self) -> None:
        one = menu({"label": "Two", "to": "two"}, id="one", name="One", title_key=False)
        two = menu({"label": "One", "to": "one"}, id="two", name="Two", title_key=False)
        (found,) = self.found(menu(PLAY, TO_SHORT, {"label": "One", "to": "one"}), CLIP, SHORT, one, two)
        self.assertEqual(found.says, "One and Two lead only to each other; no way leads out")

    def test_a_wheel_that_stops_or_leads_on_is_none(self) -> None:
        leaves = menu({"label": "Again", "to": "film"}, {"label": "On", "to": "menu"}, id="on", name="On")
        self.assertEqual(self.found(MENU, CLIP | {"then": "on"}, SHORT, leaves), [])
        self.assertEqual(self.found(MENU, CLIP | {"then": "stop"}, SHORT), [])

    def test_a_disc_that_only_plays_round_is_for_a_person_to_decide(self) -> None:
        found = self.only(CLIP | {"then": "film"})
        self.assertTrue(found.caution)

    def test_a_button_that_no_arrow_reaches(self) -> None:
        buttons = [one | {"down": "play", "up": "play"} for one in MENU["buttons"]]
        found = self.found(menu(*buttons), CLIP, SHORT)
        self.assertEqual([one.says for one in found if one.fault is Fault.BUTTON], [
            "Menu: no arrow leads to “The locks” from “Play”",
            "Menu: no arrow leads to “Short” from “Play”",
        ])  # fmt: skip
        self.assertIn("Short: no way leads to it", [one.says for one in found])

    def test_an_arrow_trap(self) -> None:
        first, second, third = MENU["buttons"]
        found = self.only(menu(first, second, third | {"up": "short"}), CLIP, SHORT)
        self.assertEqual(found.fault, Fault.TRAP)
        self.assertEqual(found.says, "Menu: from “Short” no arrow leads back to “Play”")

    def test_an_arrow_to_no_button(self) -> None:
        first, *others = MENU["buttons"]
        found = self.only(menu(first | {"left": "gone"}, *others), CLIP, SHORT)
        self.assertEqual(found.says, "Menu: left of “Play” leads to gone, which is no button of it")

    def test_places_say_where_arrows_lead(self) -> None:
        """A row of three beside each other: left and right reach all; three in a staircase too steep for none."""
        beside = [one | {"at": [100 + 200 * at, 400, 150, 60]} for at, one in enumerate(MENU["buttons"])]
        self.assertEqual(self.found(menu(*beside), CLIP, SHORT), [])
        stacked = [one | {"at": [100, 100 + 90 * at, 150, 60]} for at, one in enumerate(MENU["buttons"])]
        self.assertEqual(self.found(menu(*stacked), CLIP, SHORT), [])

    def test_without_a_home(self) -> None:
        found = self.only(home=None)
        self.assertEqual(found.says, "the disc has no home: the title key does nothing")

    def test_the_first_thing_cannot_lead_back(self) -> None:
        found = self.found(CLIP | {"then": "back"}, home=None)
        self.assertIn("there is nothing before it", found[1].says)

    def test_what_a_player_knows(self) -> None:
        many = [PLAY | {"id": f"b{at}", "label": f"B{at}"} for at in range(36)]
        self.assertEqual(self.found(menu(*many[:35], TO_SHORT), CLIP, SHORT), [])
        self.assertEqual(self.only(menu(*many, TO_SHORT), CLIP, SHORT).says, "Menu: 37 buttons; a player knows 36")
        chapters = [f"{at * 25} frames" for at in range(100)]
        self.assertEqual(
            self.only(MENU, CLIP | {"chapters": chapters}, SHORT).says, "Film: 100 chapters; a player knows 99"
        )
        loud = CLIP | {"sounds": ["ac3 192 kb/s x9"], "texts": 33}
        self.assertEqual(
            [one.says for one in self.found(MENU, loud, SHORT)],
            ["Film: 9 sound tracks; a player knows 8", "Film: 33 text tracks; a player knows 32"],
        )

    def test_lists(self) -> None:
        row = {"id": "all", "kind": "list", "name": "All", "then": "menu"}
        button = {"label": "All", "to": "all"}
        for clips, says in (
            (["film", "gone"], "All: clip 2 is gone, which is not on the disc"),
            (["menu"], "All: clip 1 is menu, which is no clip"),
            ([{"clip": "film", "from": 2, "to": 9}], "All: clip 1 asks for chapter 9 of Film, which has 3"),
        ):
            found = self.only(menu(PLAY, TO_SHORT, button), CLIP, SHORT, row | {"clips": clips})
            self.assertEqual((found.fault, found.says), (Fault.LIST, says))
        few = row | {"clips": ["film", "short"], "shuffle": {"orders": 3}}
        found = self.found(menu(PLAY, TO_SHORT, button), CLIP, SHORT, few)[0]
        self.assertEqual(found.says, "All: 3 orders are asked, and its clips make only 1")

    def test_all_faults_of_a_disc_are_told_at_once(self) -> None:
        found = self.found(
            menu(PLAY, {"label": "Nowhere"}), CLIP | {"then": None}, SHORT, RIGHT[0] | {"id": "lost"}, home=None
        )
        self.assertEqual({one.fault for one in found}, {Fault.NOWHERE, Fault.DEAD_END, Fault.UNREACHED, Fault.HOME})
