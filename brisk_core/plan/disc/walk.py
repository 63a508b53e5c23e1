"""The walk: a player of the plan. Its state is one value, and a step is a pure function of state and key."""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from brisk_core.errors import PlanRefused
from brisk_core.plan.disc.items import ARROWS, Clip, Disc, Item, Lead, Part, PlayList, Screen, Way
from brisk_core.plan.disc.navigation import TITLE_KEY, ways_of

KEYS = ("insert", *ARROWS, "enter", "title", "next", "previous", "end")
_NONE = "-"
_STATE = re.compile(r"([a-z0-9-]+)~(\d{1,6})~(\d{1,6})~([a-z0-9-]+)~([a-z0-9-]+)~(\d{1,9})")


@dataclass(frozen=True, slots=True, kw_only=True)
class State:
    """Where a player is."""

    item: str | None  #: None: the disc has stopped, or is not in yet
    part: int = 0  #: of a list, from 0
    chapter: int = 1
    button: str | None = None  #: the button that is lit
    came: str | None = None  #: the item that one came from
    turn: int = 0  #: how many lists were left, which chooses among shuffled orders

    def __str__(self) -> str:
        """One word that ``read_state`` reads."""
        values = (self.item, self.part, self.chapter, self.button, self.came, self.turn)
        return "~".join(_NONE if one is None else str(one) for one in values)


STOPPED = State(item=None)


def read_state(disc: Disc, text: str) -> State:
    """Read a state of a disc. Raises ``PlanRefused`` for what is none."""
    found = _STATE.fullmatch(text)
    if not found:
        raise PlanRefused(f"met {text!r} as a place of the walk; expected one that the walk gave")
    item, part, chapter, button, came, turn = found.groups()
    state = State(
        item=None if item == _NONE else item,
        part=int(part),
        chapter=int(chapter),
        button=None if button == _NONE else button,
        came=None if came == _NONE else came,
        turn=int(turn),
    )
    known = disc.by_id.get(state.item or "")
    right = state.item is None or (known is not None and _is_of(disc, known, state))
    if not right or (state.came is not None and state.came not in disc.by_id):
        raise PlanRefused(f"met {text!r}, which is no place of this disc; expected one that the walk gave")
    return state


def _is_of(disc: Disc, item: Item, state: State) -> bool:
    if isinstance(item, Screen):
        return state.part == 0 and state.chapter == 1 and (state.button is None) == (not item.buttons) and (
            state.button is None or state.button in item.by_id
        )  # fmt: skip
    if isinstance(item, PlayList):
        parts = item.order(state.turn)
        if state.button is not None or state.part >= len(parts):
            return False
        return _first(parts[state.part]) <= state.chapter <= _last(disc, parts[state.part])
    return state.button is None and state.part == 0 and 1 <= state.chapter <= disc.chapters_of(item.id)


def step(disc: Disc, state: State, key: str) -> State:
    """Return the state after a key; keys that do nothing where one is change nothing.

    ``insert`` puts the disc in, the arrows and ``enter`` use buttons, ``title`` goes home, ``next`` and ``previous``
    jump by chapters, ``end`` is the end of what plays. Raises ``PlanRefused`` for another key.
    """
    if key not in KEYS:
        raise PlanRefused(f"met key {key!r}; expected one of {', '.join(KEYS)}")
    if key == "insert":
        return _enter(disc, Way(disc.starts_with), STOPPED)
    if state.item is None:
        return state
    item = disc.by_id[state.item]
    if key == "title":
        return _enter(disc, Way(disc.home), state) if disc.home and item.title_key else state
    if isinstance(item, Screen):
        return _on_screen(disc, item, state, key)
    if key == "end":
        return _after(disc, item, state)
    if key in ("next", "previous"):
        return _by_chapter(disc, item, state, forward=key == "next")
    return state


def _enter(disc: Disc, way: Way | None, state: State) -> State:
    """Go a way. One that nobody said, or that leads to nothing, stops the disc."""
    turn = state.turn + (1 if isinstance(disc.by_id.get(state.item or ""), PlayList) else 0)
    to = state.came if way and way.to is Lead.BACK else way.to if way else None
    item = disc.by_id.get(to) if isinstance(to, str) else None
    if way is None or item is None:
        return replace(STOPPED, turn=turn)
    chapter = way.chapter if way.to is not Lead.BACK else 1
    new = State(item=item.id, came=state.item, turn=turn)
    if isinstance(item, Screen):
        return replace(new, button=item.buttons[0].id if item.buttons else None)
    if isinstance(item, PlayList):
        parts = item.order(turn)
        at = chapter - 1 if chapter <= len(parts) else 0
        return replace(new, part=at, chapter=_first(parts[at]))
    return replace(new, chapter=chapter if chapter <= disc.chapters_of(item.id) else 1)


def _on_screen(disc: Disc, screen: Screen, state: State, key: str) -> State:
    button = screen.by_id.get(state.button or "")
    if key == "end":
        return _enter(disc, screen.then, state) if screen.then is not None or not screen.buttons else state
    if button is None:
        return state
    if key == "enter":
        return _enter(disc, button.to, state)
    if key in ARROWS:
        next_ = screen.arrows[button.id].get(key)
        return replace(state, button=next_) if next_ in screen.by_id else state
    return state


def _after(disc: Disc, item: Item, state: State) -> State:
    """The end of what plays: the next clip of a list, or what follows."""
    if isinstance(item, PlayList):
        parts = item.order(state.turn)
        if state.part + 1 < len(parts):
            return replace(state, part=state.part + 1, chapter=_first(parts[state.part + 1]))
    return _enter(disc, item.then, state)


def _by_chapter(disc: Disc, item: Item, state: State, *, forward: bool) -> State:
    if isinstance(item, PlayList):
        parts = item.order(state.turn)
        part = parts[state.part]
        first, last = _first(part), _last(disc, part)
    else:
        parts, first, last = (), 1, disc.chapters_of(item.id)
    if forward:
        return replace(state, chapter=state.chapter + 1) if state.chapter < last else _after(disc, item, state)
    if state.chapter > first:
        return replace(state, chapter=state.chapter - 1)
    if state.part:
        before = parts[state.part - 1]
        return replace(state, part=state.part - 1, chapter=_last(disc, before))
    return state


def _first(part: Part) -> int:
    return part.first


def _last(disc: Disc, part: Part) -> int:
    return max(part.last or disc.chapters_of(part.clip), part.first)


def clip_of(disc: Disc, state: State) -> Clip | None:
    """Return the clip that plays, ``None`` on a screen, at a stop, and where a list names a clip that is not there."""
    item = disc.by_id.get(state.item or "")
    if isinstance(item, PlayList):
        item = disc.by_id.get(item.order(state.turn)[state.part].clip)
    return item if isinstance(item, Clip) else None


@dataclass(frozen=True, slots=True, kw_only=True)
class End:
    """A place where a disc stops."""

    item: str
    by: str  #: what leads there: end, or a button's label in quotes


@dataclass(frozen=True, slots=True, kw_only=True)
class Walked:
    """What walking everything found."""

    places: int  #: items, told apart by where one came from
    ways: int  #: that were tried
    ends: tuple[End, ...]  #: where the disc stops, each once
    unseen: tuple[str, ...]  #: items that were never shown


def walk_everything(disc: Disc) -> Walked:
    """Try every way of a disc: every button that arrows reach, every end, the title key, from wherever one came."""
    tries = {item.id: list(_tries(disc, item)) for item in disc.items}
    start: tuple[str, str | None] = (disc.starts_with, None)
    seen, waiting = {start}, deque([start])
    ends: dict[tuple[str, str], End] = {}
    ways = 0
    while waiting:
        item, came = waiting.popleft()
        for by, leads in tries[item]:
            ways += 1
            to = came if leads is Lead.BACK else leads
            if not isinstance(to, str):
                ends.setdefault((item, by), End(item=item, by=by))
            elif (to, item) not in seen:
                seen.add((to, item))
                waiting.append((to, item))
    shown = {item for item, _ in seen}
    shown |= {part.clip for part in _played(disc, shown)}
    unseen = tuple(item.id for item in disc.items if item.id not in shown)
    return Walked(places=len(seen), ways=ways, ends=tuple(ends.values()), unseen=unseen)


def _tries(disc: Disc, item: Item) -> Iterator[tuple[str, str | Lead]]:
    """What can be done in an item, and the item that it leads to; lists are played to their ends."""
    for by, way in ways_of(item):
        to = way.to if way else Lead.STOP
        yield by, to if isinstance(to, Lead) or to in disc.by_id else Lead.STOP
    if disc.home and item.title_key and item.id != disc.home:
        yield TITLE_KEY, disc.home


def _played(disc: Disc, items: set[str]) -> Sequence[Part]:
    """The parts of the lists among some items."""
    lists = [item for item in disc.items if isinstance(item, PlayList) and item.id in items]
    return [part for one in lists for part in one.parts]
