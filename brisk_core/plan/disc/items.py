"""What stands on a disc: clips, lists of clips and screens, and where each leads."""

from __future__ import annotations

import enum
import random
from collections import Counter, deque
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property

import numpy as np

from brisk_core.facts import Inspection
from brisk_core.plan.bits import Sound
from brisk_core.plan.disc.kinds import DiscKind

ARROWS = ("up", "down", "left", "right")


class Lead(enum.Enum):
    """Where a way leads that names no item."""

    STOP = "stop"  #: the disc stops
    BACK = "back"  #: to where one came from


@dataclass(frozen=True, slots=True)
class Way:
    """Where something leads: an item, maybe from a chapter on, or a lead."""

    to: str | Lead
    chapter: int = 1

    def __str__(self) -> str:
        if isinstance(self.to, Lead):
            return self.to.value
        return self.to if self.chapter == 1 else f"{self.to} chapter {self.chapter}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Chapter:
    """A place in a clip that a viewer can jump to."""

    frame: int
    name: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Button:
    """A button of a screen."""

    id: str
    label: str
    to: Way | None  #: where it leads, None where nobody said
    place: tuple[int, int, int, int] | None = None  #: left, top, width, height in samples
    arrows: tuple[tuple[str, str], ...] = ()  #: arrow and the button that it leads to, where the plan says


@dataclass(frozen=True, slots=True, kw_only=True)
class Item:
    """Something on a disc that is shown by itself."""

    id: str
    name: str
    then: Way | None = None  #: what follows its end
    title_key: bool = True  #: does the title key work in it?
    picture: str = ""  #: the name of a file of the house whose picture stands for it in the walk


@dataclass(frozen=True, slots=True, kw_only=True)
class Clip(Item):
    """A file of the house, or one that is planned."""

    frames: int
    rate: Fraction
    size: tuple[int, int]
    planned: Inspection  #: its facts, measured or planned
    file: str = ""  #: the name of its file, empty where it is planned
    picture_rate: int | None = None  #: bits a second; None is worked out
    peak_rate: int | None = None
    bytes: int | None = None  #: of its file, where there is one
    weight: Fraction = Fraction(1)
    sounds: tuple[Sound, ...] = ()
    texts: int = 0  #: tracks
    chapters: tuple[Chapter, ...] = ()
    entries: Sequence[int] | None = None  #: frames where a player can enter; None where that is not known
    open_groups: bool | None = None

    @property
    def seconds(self) -> Fraction:
        """Its length."""
        return self.frames / self.rate


@dataclass(frozen=True, kw_only=True)  # with room for what is worked out once
class Screen(Item):
    """A still or looping picture with buttons."""

    buttons: tuple[Button, ...] = ()
    seconds: Fraction = Fraction(0)  #: of a looping picture; 0 is a still one
    picture_rate: int | None = None  #: bits a second of a looping picture
    bytes: int | None = None  #: of a still picture as it is coded, where that is known
    wait: Fraction | None = None  #: seconds after which what follows comes by itself

    @cached_property
    def by_id(self) -> dict[str, Button]:
        """Its buttons by their ids."""
        return {button.id: button for button in self.buttons}

    @cached_property
    def arrows(self) -> dict[str, dict[str, str]]:
        """The button that each arrow leads to, by button and arrow; arrows that lead nowhere are left out.

        Where the plan does not say, it is the nearest button in that direction, and without places the next or the
        previous one in their order.
        """
        if self.buttons and all(one.place is not None for one in self.buttons):
            nearest = _nearest(self.buttons)
        else:
            steps = {"up": -1, "down": 1}
            nearest = [
                {key: at + by for key, by in steps.items() if 0 <= at + by < len(self.buttons)}
                for at in range(len(self.buttons))
            ]
        return {
            button.id: {key: self.buttons[to].id for key, to in own.items()} | dict(button.arrows)
            for button, own in zip(self.buttons, nearest, strict=True)
        }

    @cached_property
    def reached(self) -> tuple[Button, ...]:
        """The buttons that arrows reach from the first one, that one among them."""
        return tuple(self.by_id[id_] for id_ in self._spread(self.arrows)) if self.buttons else ()

    @cached_property
    def lead_back(self) -> frozenset[str]:
        """The buttons from which arrows lead back to the first one."""
        against: dict[str, dict[str, str]] = {button.id: {} for button in self.buttons}
        for id_, arrows in self.arrows.items():
            for to in arrows.values():
                if to in against:
                    against[to][id_] = id_
        return frozenset(self._spread(against)) if self.buttons else frozenset()

    def _spread(self, arrows: Mapping[str, Mapping[str, str]]) -> list[str]:
        """What is reached from the first button, along some arrows."""
        found, waiting = [self.buttons[0].id], deque([self.buttons[0].id])
        seen = set(found)
        while waiting:
            for to in arrows[waiting.popleft()].values():
                if to in self.by_id and to not in seen:
                    seen.add(to)
                    found.append(to)
                    waiting.append(to)
        return found


def _nearest(buttons: Sequence[Button]) -> list[dict[str, int]]:
    """The place of the button in each direction of each button: the one that is the fewest samples away, those that lie
    askew counted double, and none that lies more aside than twice ahead.
    """
    places = np.array([button.place for button in buttons], dtype=np.float64)
    middles = places[:, :2] + places[:, 2:] / 2
    right, below = (middles[None, :, axis] - middles[:, None, axis] for axis in (0, 1))  # of each button to each other
    found: list[dict[str, int]] = [{} for _ in buttons]
    for key, ahead, aside in (
        ("up", -below, right),
        ("down", below, right),
        ("left", -right, below),
        ("right", right, below),
    ):
        far = np.where((ahead > 0) & (np.abs(aside) <= 2 * ahead), ahead + 2 * np.abs(aside), np.inf)
        near = far.argmin(axis=1)
        for at, to in enumerate(near.tolist()):
            if np.isfinite(far[at, to]):
                found[at][key] = to
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """A clip of a list, or some of its chapters."""

    clip: str
    first: int = 1  #: chapter
    last: int | None = None  #: chapter, the last one without it


@dataclass(frozen=True, kw_only=True)  # with room for what is worked out once
class PlayList(Item):
    """Clips in an order; many lists over the same clips cost no space."""

    parts: tuple[Part, ...]
    seed: int | None = None  #: of shuffled orders
    orders: int = 1  #: how many

    def order(self, turn: int) -> tuple[Part, ...]:
        """Return the parts in the order of a turn, from 0 on: each turn of a shuffled list plays another one."""
        return self.all_orders[turn % len(self.all_orders)]

    @cached_property
    def all_orders(self) -> tuple[tuple[Part, ...], ...]:
        """The orders that it plays in turn: all different, and none that begins with the clip that the one before ends
        with, nor plays a clip twice in a row, as far as its clips allow.
        """
        if self.seed is None or len(self.parts) < 2:
            return (self.parts,)
        return shuffled(self.parts, self.orders, self.seed)


_MORE_TRIES = 20  # for orders that were found already


def shuffled(parts: Sequence[Part], orders: int, seed: int) -> tuple[tuple[Part, ...], ...]:
    """Return different orders of parts, the same ones for the same seed; fewer where there are no more."""
    chance = random.Random(seed)  # noqa: S311 - an order to watch, not a secret
    found: list[tuple[Part, ...]] = []
    for _ in range(orders + _MORE_TRIES):
        if len(found) == orders:
            break
        order = _spread(parts, found[-1][-1].clip if found else None, chance)
        if order not in found:
            found.append(order)
    if len(found) > 1 and found[-1][-1].clip == found[0][0].clip:  # the seam from the last order to the first
        for at in range(len(found) - 1, 0, -1):
            turned = (*found[:at], *found[at + 1 :], found[at])
            if all(one[-1].clip != two[0].clip for one, two in zip(turned, (*turned[1:], turned[0]), strict=True)):
                return turned
    return tuple(found)


def _spread(parts: Sequence[Part], before: str | None, chance: random.Random) -> tuple[Part, ...]:
    """One order in which no clip follows itself, as far as that can be."""
    left = list(parts)
    chance.shuffle(left)
    counts = Counter(one.clip for one in left)
    order: list[Part] = []
    while left:
        most = max(counts.values())
        free = [one for one in left if one.clip != before] or left
        pressing = [one for one in free if counts[one.clip] == most and 2 * most > len(left)] or free
        taken = pressing[0]
        left.remove(taken)
        counts[taken.clip] -= 1
        order.append(taken)
        before = taken.clip
    return tuple(order)


@dataclass(frozen=True, kw_only=True)
class Disc:
    """A plan of a disc."""

    name: str
    kind: DiscKind
    bytes: int
    family: str
    reserve: Fraction  #: percent of the bytes that is kept free, because the disc grows later
    starts_with: str
    home: str | None
    items: tuple[Item, ...]
    other_bytes: int = 0  #: of what stands beside the items

    @cached_property
    def by_id(self) -> dict[str, Item]:
        """Its items by their ids."""
        return {item.id: item for item in self.items}

    @property
    def clips(self) -> list[Clip]:
        """Its clips, in the order of the plan."""
        return [item for item in self.items if isinstance(item, Clip)]

    def chapters_of(self, id_: str) -> int:
        """Return how many places an item has that can be jumped to: the start of a clip is the first one."""
        item = self.by_id.get(id_)
        if isinstance(item, Clip):
            return max(len(item.chapters), 1)
        return len(item.parts) if isinstance(item, PlayList) else 1
