from typing import Any
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_core.errors import PlanRefused
from brisk_core.plan.disc.items import Disc, PlayList, Screen
from brisk_core.plan.disc.navigation import navigate
from brisk_core.plan.disc.tests.plans import CLIP, MENU, SHORT, disc
from brisk_core.plan.disc.walk import KEYS, STOPPED, State, clip_of, read_state, step, walk_everything

LIST = {"id": "all", "kind": "list", "clips": [{"clip": "film", "from": 2, "to": 3}, "short"], "then": "menu"}
WITH_LIST = [MENU | {"buttons": [*MENU["buttons"], {"id": "all", "label": "All", "to": "all"}]}, CLIP, SHORT, LIST]


def walked(disc_: Disc, keys: str) -> State:
    state = STOPPED
    for key in keys.split():
        state = step(disc_, state, key)
    return state


class WalkTest(TestCase):
    def at(self, keys: str, disc_: Disc | None = None) -> str:
        state = walked(disc_ or disc(), keys)
        return f"{state.item} {state.button}" if state.button else f"{state.item} {state.part} {state.chapter}"

    def test_a_walk_by_hand(self) -> None:
        for keys, where in (
            ("", "None 0 1"),
            ("insert", "menu play"),
            ("insert down", "menu locks"),
            ("insert up", "menu play"),
            ("insert down enter", "film 0 2"),
            ("insert enter next", "film 0 2"),
            ("insert enter next next next", "menu play"),
            ("insert enter previous", "film 0 1"),
            ("insert enter end", "menu play"),
            ("insert enter title", "menu play"),
            ("insert down down enter end", "menu play"),
            ("insert left right", "menu play"),
            ("insert next previous end", "menu play"),
            ("down enter title end", "None 0 1"),
        ):
            self.assertEqual(self.at(keys), where, keys)

    def test_a_list_plays_its_parts(self) -> None:
        on = "insert down down down enter"
        read = disc(items=WITH_LIST)
        for keys, where in (
            ("", "all 0 2"),
            ("next", "all 0 3"),
            ("next next", "all 1 1"),
            ("end", "all 1 1"),
            ("end previous", "all 0 3"),
            ("end end", "menu play"),
        ):
            self.assertEqual(self.at(f"{on} {keys}", read), where, keys)
        clip = clip_of(read, walked(read, f"{on} end"))
        assert clip is not None
        self.assertEqual(clip.id, "short")

    def test_each_turn_of_a_shuffled_list_plays_another_order(self) -> None:
        rows = [CLIP | {"id": one, "name": one} for one in "abc"]
        row = {"id": "all", "kind": "list", "clips": list("abc"), "shuffle": {"seed": 5, "orders": 3}, "then": "all"}
        read = disc(items=[row, *rows], home=None)
        all_ = read.by_id["all"]
        assert isinstance(all_, PlayList)
        state, seen = step(read, STOPPED, "insert"), []
        for _ in range(9):
            clip = clip_of(read, state)
            seen.append(clip.id if clip else "")
            state = step(read, state, "end")
        self.assertEqual(seen, [part.clip for order in all_.all_orders for part in order])

    def test_where_the_title_key_does_not_work(self) -> None:
        self.assertEqual(
            self.at("insert enter title", disc(items=[MENU, CLIP | {"title_key": False}, SHORT])), "film 0 1"
        )

    def test_a_way_to_nothing_stops_the_disc(self) -> None:
        self.assertEqual(self.at("insert enter end", disc(items=[MENU, CLIP | {"then": "gone"}, SHORT])), "None 0 1")

    def test_a_screen_that_waits(self) -> None:
        read = disc(items=[MENU | {"then": "film", "wait": "30 s"}, CLIP, SHORT])
        self.assertEqual(self.at("insert end", read), "film 0 1")

    def test_bad_keys_and_states(self) -> None:
        read = disc()
        with self.assertRaisesRegex(PlanRefused, "expected one of insert, up"):
            step(read, STOPPED, "eject")
        for text in (
            "",
            "x",
            "film~0~9~-~-~0",
            "gone~0~1~-~-~0",
            "menu~0~1~gone~-~0",
            "menu~0~1~-~-~0",
            "film~0~1~-~x~0",
        ):
            with self.assertRaises(PlanRefused, msg=text):
                read_state(read, text)


class PropertiesTest(TestCase):
    @settings(max_examples=150, deadline=None)
    @given(keys=st.lists(st.sampled_from(KEYS), max_size=40), seed=st.integers(0, 9))
    def test_the_walk_never_leaves_the_disc(self, keys: list[str], seed: int) -> None:
        rows = [*WITH_LIST[:3], LIST | {"shuffle": {"seed": seed, "orders": 2}, "then": "back"}]
        read = disc(items=rows)
        state = STOPPED
        for key in keys:
            state = step(read, state, key)
            self.assertTrue(state.item is None or state.item in read.by_id)
            self.assertEqual(read_state(read, str(state)), state)

    @settings(max_examples=150, deadline=None)
    @given(plan=st.data())
    def test_walking_everything_reaches_what_the_graph_reaches(self, plan: st.DataObject) -> None:
        """On discs of any ways: an item that the walk shows is reached by the graph, and the other way round."""
        ids = [f"i{at}" for at in range(plan.draw(st.integers(1, 6)))]
        way = st.sampled_from([*ids, "stop", "gone", None])
        rows: list[dict[str, Any]] = []
        for id_ in ids:
            then = plan.draw(way)
            if plan.draw(st.booleans()):
                rows.append(CLIP | {"id": id_, "name": id_, "chapters": [], "then": then})
            else:
                buttons = [{"label": f"b{at}", "to": plan.draw(way)} for at in range(plan.draw(st.integers(0, 3)))]
                rows.append({"id": id_, "kind": "screen", "buttons": buttons, "then": then})
        read = disc(items=rows, home=plan.draw(st.sampled_from([None, *ids])))
        found = navigate(read)
        self.assertEqual(set(walk_everything(read).unseen), {item.id for item in read.items} - set(found.paths.came))

    def test_ends_are_told_once_each(self) -> None:
        read = disc(items=[MENU, CLIP | {"then": "stop"}, SHORT | {"then": None}])
        found = walk_everything(read)
        self.assertEqual([(end.item, end.by) for end in found.ends], [("film", "end"), ("short", "end")])
        screen = read.by_id["menu"]
        assert isinstance(screen, Screen)
        self.assertEqual(found.places, 5)  # the menu at first, from the film and from the short; and both clips
        self.assertEqual(found.ways, 3 * 3 + 2 * 2)  # its three buttons each time; the end and the title key of a clip
