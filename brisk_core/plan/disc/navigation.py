"""Navigation: every item is reached, every end leads on, and a viewer always finds a way out.

The ways of a disc are a graph; each fault is a sentence with the shortest way by which a viewer gets there.
"""

from __future__ import annotations

import enum
from collections import defaultdict, deque
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from brisk_core.plan.disc.items import Clip, Disc, Item, Lead, PlayList, Screen, Way

TITLE_KEY = "title key"


class Fault(enum.Enum):
    """What is wrong with the ways of a disc."""

    DEAD_END = "dead end"
    NOWHERE = "leads nowhere"
    UNREACHED = "not reached"
    WHEEL = "no way out"
    BUTTON = "button not reached"
    TRAP = "arrow trap"
    HOME = "title key"
    LIMIT = "more than a player knows"
    LIST = "list"


@dataclass(frozen=True, slots=True, kw_only=True)
class Trouble:
    """A fault of the navigation."""

    fault: Fault
    item: str
    says: str
    way: str = ""  #: the shortest way by which a viewer gets there
    caution: bool = False  #: is it for a person to decide?


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """A way from an item to another, and what a viewer does to take it."""

    come_from: str
    by: str  #: end, a button's label in quotes, or title key
    to: str


@dataclass(frozen=True, slots=True)
class Paths:
    """The shortest way to each item that a viewer reaches."""

    disc: Disc
    came: dict[str, Step | None]  #: the step that leads there first, in order of distance; None at the start
    distance: dict[str, int]  #: steps from the start

    def words(self, id_: str) -> str:
        """Return a way in words, start → Menu → “Play” → Film; empty for an item that is not reached."""
        if id_ not in self.came:
            return ""
        parts = [self.disc.by_id[id_].name]
        step = self.came[id_]
        while step is not None:
            parts += [step.by, self.disc.by_id[step.come_from].name]
            step = self.came[step.come_from]
        return " → ".join(["start", *reversed(parts)])


@dataclass(frozen=True, kw_only=True)
class Navigation:
    """What is known of a disc's ways."""

    troubles: tuple[Trouble, ...]
    steps: tuple[Step, ...]  #: between items that are on the disc, the title key left out
    paths: Paths


def navigate(disc: Disc) -> Navigation:
    """Return the ways of a disc and what is wrong with them."""
    steps = list(_steps(disc))
    leaving: dict[str, list[Step]] = defaultdict(list)
    for step in steps:
        leaving[step.come_from].append(step)
    paths = _reached(disc, leaving)
    lists = [item for item in disc.items if isinstance(item, PlayList) and item.id in paths.came]
    played = {*paths.came, *(part.clip for one in lists for part in one.parts)}
    troubles = [
        *_home(disc),
        *(trouble for item in disc.items for trouble in _of_item(disc, item, paths)),
        *(_unreached(item) for item in disc.items if item.id not in played),
        *_wheels(disc, leaving, paths),
        *_limits(disc),
    ]
    plain = tuple(step for step in steps if step.by != TITLE_KEY)
    return Navigation(troubles=tuple(troubles), steps=plain, paths=paths)


def ways_of(item: Item) -> Iterator[tuple[str, Way | None]]:
    """Yield what a viewer does in an item and where it leads: each button that the arrows reach, and the end."""
    if isinstance(item, Screen):
        for button in item.reached:
            yield f"“{button.label}”", button.to
        if item.then is not None or not item.buttons:
            yield "end", item.then
    else:
        yield "end", item.then


def _steps(disc: Disc) -> Iterator[Step]:
    """The steps between items of the disc; *back* leads to whatever an item is reached from."""
    back: list[tuple[str, str]] = []
    direct: list[Step] = []
    for item in disc.items:
        for by, way in ways_of(item):
            if way is None or way.to is Lead.STOP:
                continue
            if way.to is Lead.BACK:
                back.append((item.id, by))
            elif isinstance(way.to, str) and way.to in disc.by_id:
                direct.append(Step(come_from=item.id, by=by, to=way.to))
        if disc.home and item.title_key and item.id != disc.home:
            direct.append(Step(come_from=item.id, by=TITLE_KEY, to=disc.home))
    yield from direct
    from_where: dict[str, list[str]] = defaultdict(list)
    for step in direct:
        from_where[step.to].append(step.come_from)
    for id_, by in back:
        for before in dict.fromkeys(from_where[id_]):
            yield Step(come_from=id_, by=by, to=before)


def _reached(disc: Disc, leaving: dict[str, list[Step]]) -> Paths:
    """The items that a viewer reaches, the nearest first."""
    came: dict[str, Step | None] = {disc.starts_with: None}
    distance = {disc.starts_with: 0}
    waiting = deque([disc.starts_with])
    while waiting:
        for step in leaving[waiting.popleft()]:
            if step.to not in came:
                came[step.to] = step
                distance[step.to] = distance[step.come_from] + 1
                waiting.append(step.to)
    return Paths(disc, came, distance)


def _home(disc: Disc) -> Iterator[Trouble]:
    if disc.home is None:
        says = "the disc has no home: the title key does nothing"
        yield Trouble(fault=Fault.HOME, item=disc.starts_with, says=says)


def _of_item(disc: Disc, item: Item, paths: Paths) -> Iterator[Trouble]:
    """Ends and buttons that lead nowhere, buttons that no arrow reaches, arrows that do not lead back."""
    found = [trouble for by, to in ways_of(item) for trouble in _of_way(disc, item, by, to)]
    if isinstance(item, Screen):
        found += _of_screen(item)
    if isinstance(item, PlayList):
        found += _of_list(disc, item)
    if found:
        way = paths.words(item.id)
        for one in found:
            yield replace(one, way=f"{way} → {one.way}" if way and one.way else way)


def _of_way(disc: Disc, item: Item, by: str, to: Way | None) -> Iterator[Trouble]:
    at_end = by == "end"
    if to is None and at_end:
        says = f"{item.name}: nothing follows its end; the disc stops"
        if isinstance(item, Screen):
            out = "only the title key leads out" if disc.home and item.title_key else "the viewer is stuck"
            says = f"{item.name} has no button and nothing follows it; {out}"
        yield Trouble(fault=Fault.DEAD_END, item=item.id, says=says, way=by)
    elif to is None:
        yield Trouble(fault=Fault.NOWHERE, item=item.id, says=f"{item.name}: {by} leads nowhere", way=by)
    elif isinstance(to.to, str) and to.to not in disc.by_id:
        what = "its end" if at_end else by
        says = f"{item.name}: {what} leads to {to.to}, which is not on the disc"
        yield Trouble(fault=Fault.NOWHERE, item=item.id, says=says, way=by)
    elif isinstance(to.to, str) and to.chapter > disc.chapters_of(to.to):
        what = "its end" if at_end else by
        name, count = disc.by_id[to.to].name, disc.chapters_of(to.to)
        says = f"{item.name}: {what} leads to chapter {to.chapter} of {name}, which has {count}"
        yield Trouble(fault=Fault.NOWHERE, item=item.id, says=says, way=by)
    elif to.to is Lead.BACK and item.id == disc.starts_with:
        says = f"{item.name} is the first thing shown, and leads back; there is nothing before it, so the disc stops"
        yield Trouble(fault=Fault.DEAD_END, item=item.id, says=says, way=by, caution=True)


def _of_screen(screen: Screen) -> Iterator[Trouble]:
    reached = {button.id for button in screen.reached}
    for button in screen.buttons:
        for key, to in button.arrows:
            if to not in screen.by_id:
                says = f"{screen.name}: {key} of “{button.label}” leads to {to}, which is no button of it"
                yield Trouble(fault=Fault.NOWHERE, item=screen.id, says=says)
        if button.id not in reached:
            says = f"{screen.name}: no arrow leads to “{button.label}” from “{screen.buttons[0].label}”"
            yield Trouble(fault=Fault.BUTTON, item=screen.id, says=says)
        elif button.id not in screen.lead_back:
            says = f"{screen.name}: from “{button.label}” no arrow leads back to “{screen.buttons[0].label}”"
            yield Trouble(fault=Fault.TRAP, item=screen.id, says=says)


def _of_list(disc: Disc, item: PlayList) -> Iterator[Trouble]:
    for number, part in enumerate(item.parts, 1):
        clip = disc.by_id.get(part.clip)
        if not isinstance(clip, Clip):
            what = "is not on the disc" if clip is None else "is no clip"
            says = f"{item.name}: clip {number} is {part.clip}, which {what}"
            yield Trouble(fault=Fault.LIST, item=item.id, says=says)
            continue
        last = part.last or part.first
        if last > disc.chapters_of(part.clip):
            count = disc.chapters_of(part.clip)
            says = f"{item.name}: clip {number} asks for chapter {last} of {clip.name}, which has {count}"
            yield Trouble(fault=Fault.LIST, item=item.id, says=says)
    if item.seed is not None and len(item.all_orders) < item.orders:
        found = len(item.all_orders)
        says = f"{item.name}: {item.orders} orders are asked, and its clips make only {found}"
        yield Trouble(fault=Fault.LIST, item=item.id, says=says, caution=True)
    if any(one[-1].clip == two[0].clip for one, two in zip(item.all_orders, item.all_orders[1:], strict=False)):
        says = f"{item.name}: an order begins with the clip that the one before it ends with"
        yield Trouble(fault=Fault.LIST, item=item.id, says=says, caution=True)


def _unreached(item: Item) -> Trouble:
    return Trouble(fault=Fault.UNREACHED, item=item.id, says=f"{item.name}: no way leads to it")


def _wheels(disc: Disc, leaving: dict[str, list[Step]], paths: Paths) -> Iterator[Trouble]:
    """Sets of items that lead round and round, with nothing that a viewer can choose to get out.

    The title key is a way out, but one that has to be known: where it is the only one, a person decides. So it is where
    the whole disc is one round without a choice, as in a foyer.
    """
    for ring in _rings(list(paths.came), leaving):
        inside = {id_: disc.by_id[id_] for id_ in ring}
        stops = any(way is not None and way.to is Lead.STOP for item in inside.values() for _, way in ways_of(item))
        out = [step for id_ in ring for step in leaving[id_] if step.to not in inside]
        choice = any(isinstance(item, Screen) and item.buttons for item in inside.values())
        whole = len(inside) == len(paths.came)
        if stops or any(step.by != TITLE_KEY for step in out) or (choice and (whole or disc.home in inside)):
            continue
        goes = "leads only to itself" if len(ring) == 1 else "lead only to each other"
        if out:
            goes += "; only the title key leads out"
        elif choice:
            goes += "; no way leads out"
        else:
            goes += ", without end and without anything to choose"
        first = min(ring, key=lambda id_: paths.distance[id_])
        yield Trouble(
            fault=Fault.WHEEL,
            item=first,
            says=f"{_few([item.name for item in inside.values()])} {goes}",
            way=paths.words(first),
            caution=bool(out) or (whole and not choice),
        )


def _few(names: Sequence[str]) -> str:
    shown = [*names[:3], f"{len(names) - 3} more"] if len(names) > 3 else list(names)
    return " and ".join([", ".join(shown[:-1]), shown[-1]] if len(shown) > 1 else shown)


def _rings(items: Sequence[str], leaving: dict[str, list[Step]]) -> list[list[str]]:
    """The strongly connected sets that lead to themselves, by the title key too, in the order of the plan.

    Two searches, one along the steps and one against them, each with a stack of its own.
    """
    order, seen = list[str](), set[str]()
    for start in items:
        stack = [(start, iter(leaving[start]))] if start not in seen else []
        seen.add(start)
        while stack:
            id_, ahead = stack[-1]
            next_ = next((step.to for step in ahead if step.to not in seen and step.by != TITLE_KEY), None)
            if next_ is None:
                order.append(id_)
                stack.pop()
            else:
                seen.add(next_)
                stack.append((next_, iter(leaving[next_])))
    against: dict[str, list[str]] = defaultdict(list)
    for id_ in items:
        for step in leaving[id_]:
            if step.by != TITLE_KEY:
                against[step.to].append(id_)
    found, taken = list[list[str]](), set[str]()
    for start in reversed(order):
        if start in taken:
            continue
        ring, waiting = list[str](), [start]
        taken.add(start)
        while waiting:
            id_ = waiting.pop()
            ring.append(id_)
            for before in against[id_]:
                if before not in taken:
                    taken.add(before)
                    waiting.append(before)
        if len(ring) > 1 or any(step.to == ring[0] and step.by != TITLE_KEY for step in leaving[ring[0]]):
            found.append(ring)
    return found


def _limits(disc: Disc) -> Iterator[Trouble]:
    kind = disc.kind
    titles = [item for item in disc.items if not isinstance(item, Screen)]
    if len(titles) > kind.titles:
        says = f"{len(titles)} clips and lists; a player knows {kind.titles} titles"
        yield Trouble(fault=Fault.LIMIT, item=titles[kind.titles].id, says=says)
    for item in disc.items:
        counts: tuple[tuple[int, int, str], ...] = ()
        if isinstance(item, Clip):
            counts = (
                (disc.chapters_of(item.id), kind.chapters, "chapters"),
                (len(item.sounds), kind.sounds, "sound tracks"),
                (item.texts, kind.texts, "text tracks"),
            )
        elif isinstance(item, Screen):
            counts = ((len(item.buttons), kind.buttons, "buttons"),)
        elif isinstance(item, PlayList):
            counts = ((len(item.parts), kind.chapters, "clips in the list"),)
        for count, most, what in counts:
            if count > most:
                says = f"{item.name}: {count} {what}; a player knows {most}"
                yield Trouble(fault=Fault.LIMIT, item=item.id, says=says)
