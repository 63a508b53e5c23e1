import random
from collections.abc import Iterable
from typing import Any
from unittest import TestCase

from brisk_core.errors import PlanRefused
from brisk_core.plan.bits_document import plan_bits
from brisk_core.plan.deck_document import plan_deck
from brisk_core.plan.disc.answer import plan_disc
from brisk_core.plan.order_document import plan_order
from brisk_core.plan.plays import plan_plays, shipped_profiles
from brisk_core.plan.rates_document import plan_rates
from brisk_core.plan.render import RENDER_FIELDS
from brisk_core.plan.sizes_document import plan_sizes
from brisk_core.spec import shelf_specs

ODD: list[Any] = [
    None, "", 0, -1, 2.5, float("nan"), float("inf"), "x", "25", "1e99", "-5 s", "999999999 frames", "1920x1080",
    "99999999x99999999", "16:9", "0:0", [], [1, 2], ["a"], {}, {"a": 1}, True, "25/0", "avc", "mp4", "aac 128 kb/s",
    "pcm 24 bit 99 channels x99", 10**30, "10:00", "stop", "film chapter 9", "\x00", "٣", "²", "1 GB", "none",
    [["aac 1 kb/s"]], "yes",
]  # fmt: skip
RENDER = {"name": "a", "size": "1920x1080", "rate": 25, "length": "10 s", "codec": "avc", "sounds": ["aac 128 kb/s"]}
DECK = ("size", "rate", "scan", "codecs", "sound", "alpha", "switcher_rate", "name_length", "name_signs", "card")
ITEM = (
    "id", "name", "then", "title_key", "picture", "file", "length", "rate", "size", "sounds", "peak_rate", "weight", "texts",
    "chapters", "open_groups", "buttons", "loop", "wait", "clips", "shuffle",
)  # fmt: skip
BUTTON = ("id", "label", "to", "at", "up")
DISC = ("name", "kind", "family", "bytes", "reserve", "other_bytes", "starts_with", "home", "items")


class OddValuesTest(TestCase):
    """Whatever stands in a plan, it is answered or refused; nothing else happens."""

    def setUp(self) -> None:
        self.chance = random.Random(3)  # the same ones each time
        self.answered = 0

    def odd(self, names: Iterable[str], count: int) -> dict[str, Any]:
        return {name: self.chance.choice(ODD) for name in self.chance.sample(list(names), count)}

    def ask(self, plan: Any, *asked: Any) -> None:
        try:
            plan(*asked)
            self.answered += 1
        except PlanRefused as refused:
            self.assertTrue(str(refused))

    def test_plans_of_every_kind(self) -> None:
        specs, profiles = shelf_specs(), shipped_profiles()[:2]
        picture = {"size": "1920x1080", "rate": 25}
        for _ in range(120):
            sizes = self.odd(("size", "rate", "scan", "length", "sounds", "wrapper", "free"), 1)
            self.ask(plan_sizes, {**picture, "length": "10:00", **sizes})
            order = self.odd(("size", "rate", "scan", "shape", "enlarge"), 1)
            self.ask(plan_order, picture | order, [specs["disc-sd-mpeg2-25"]])
            self.ask(plan_plays, {"renders": [RENDER | self.odd(RENDER_FIELDS, 1)]}, profiles)
            self.ask(plan_deck, {"renders": [RENDER | self.odd(RENDER_FIELDS, 2)], **self.odd(DECK, 2)})
            file = {
                **picture,
                "length": "10 s",
                **self.odd(("name", "length", "rate", "size", "weight", "sounds", "texts"), 1),
            }
            bits = self.odd(("cap", "reserve", "wrapper", "codec", "group", "reorders", "picture_rate", "line"), 1)
            self.ask(plan_bits, {"cap": "1 GB", "files": [file], **bits}, specs["upload-wide-1080"])
            self.ask(plan_rates, {"sources": [{"rate": 25, "length": "10 s"}], **self.odd(("sources", "targets"), 1)})
        self.assertGreater(self.answered, 40)

    def test_discs(self) -> None:
        specs = shelf_specs()
        for number in range(300):
            places: list[dict[str, Any]] = [{} for _ in range(4)]
            places[number % 4] = self.odd((ITEM, BUTTON, ("then", "shuffle", "clips"), DISC)[number % 4], 1)
            items = [
                {**RENDER, "id": "film", "kind": "clip", "then": "menu", **places[0]},
                {"id": "menu", "kind": "screen", "buttons": [{"label": "Play", "to": "film", **places[1]}]},
                {"id": "all", "kind": "list", "clips": ["film"], **places[2]},
            ]
            top = {"name": "x", "kind": "sd-single", "family": 25, "starts_with": "menu", "items": items}
            self.ask(plan_disc, top | places[3], specs)
        self.assertGreater(self.answered, 10)
