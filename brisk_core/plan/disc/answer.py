"""The answer to a plan of a disc, of schema ``brisk-sentry/plan-disc/1``."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from fractions import Fraction
from typing import Any

from brisk_core.exact import spell_bit_rate, spell_bytes
from brisk_core.facts import keys
from brisk_core.plan.bits import Sound
from brisk_core.plan.disc.capacity import Capacity, Weight, cost_of_plain_sound, weigh_disc
from brisk_core.plan.disc.clips import Allowed, allowed, chapter_troubles, mixed_families
from brisk_core.plan.disc.document import DiscFile, read_disc
from brisk_core.plan.disc.items import Clip, Disc, PlayList, Screen
from brisk_core.plan.disc.navigation import Navigation, Trouble, navigate
from brisk_core.plan.disc.walk import Walked, walk_everything
from brisk_core.plan.sizes import too_few
from brisk_core.spec import Spec

PLAN_DISC_SCHEMA = "brisk-sentry/plan-disc/1"


def plan_disc(
    source: str | Mapping[str, Any], specs: Mapping[str, Spec], files: Mapping[str, DiscFile] | None = None
) -> dict[str, Any]:
    """Return what is known of a planned disc. ``specs`` are those of the shelf by id, ``files`` those that clips name.

    Raises ``PlanRefused`` with every mistake and its place.
    """
    return answer_disc(read_disc(source, files), specs)


def answer_disc(disc: Disc, specs: Mapping[str, Spec]) -> dict[str, Any]:
    """Return what is known of a disc that was read."""
    capacity, navigation, walked = weigh_disc(disc), navigate(disc), walk_everything(disc)
    tables = [specs[id_] for id_ in disc.kind.specs[disc.family] if id_ in specs]
    clips = [allowed(disc, clip, tables) for clip in disc.clips]
    faults = [
        *(_trouble(one) for one in navigation.troubles),
        *(_fault("over capacity", "", says) for says in capacity.says),
        *(_fault("too fast", one.item.id, f"{one.item.name}: {says}") for one in capacity.weights for says in one.says),
        *(_fault("few bits", id_, says, caution=True) for id_, says in _few_bits(disc, capacity)),
        *(_fault("not allowed", one.clip.id, f"{one.clip.name}: {_refusal(one)}") for one in clips if one.refused),
        *(_fault("mixed families", clip.id, says) for clip, says in mixed_families(disc)),
        *(_fault("chapter", clip.id, says) for clip in disc.clips for _, says in chapter_troubles(disc, clip)),
    ]
    wrong = [one for one in faults if not one["caution"]]
    return {
        "schema": PLAN_DISC_SCHEMA,
        "name": disc.name,
        "kind": disc.kind.id,
        "kind_name": disc.kind.name,
        "family": disc.family,
        "specs": [{"id": spec.id, "name": spec.name} for spec in tables],
        "met": not wrong,
        "untold": any(one.unknown and not one.refused for one in clips),
        "faults": faults,
        "capacity": _capacity(capacity),
        "clips": [_clip(disc, one) for one in clips],
        "map": _map(disc, navigation),
        "walked": _walked(walked),
        "says": _says(capacity, wrong),
    }


def _says(capacity: Capacity, wrong: Sequence[Mapping[str, Any]]) -> str:
    free = f"{spell_bytes(capacity.used)} of {spell_bytes(capacity.bytes)}"
    if wrong:
        return f"{len(wrong)} fault{'s' if len(wrong) != 1 else ''}; {free}"
    return f"every way leads on; {free}, {spell_bytes(capacity.left)} stay free"


def _trouble(one: Trouble) -> dict[str, Any]:
    return {**_fault(one.fault.value, one.item, one.says, caution=one.caution), "way": one.way}


def _fault(kind: str, item: str, says: str, *, caution: bool = False) -> dict[str, Any]:
    return {"kind": kind, "item": item, "says": says, "caution": caution, "way": ""}


def _few_bits(disc: Disc, capacity: Capacity) -> Iterator[tuple[str, str]]:
    """Planned clips with fewer bits than their codec takes for pictures in which little moves."""
    for one in capacity.weights:
        clip = one.item
        if isinstance(clip, Clip) and clip.bytes is None and one.picture_rate:
            codec = clip.planned[keys.PICTURE_CODEC] or disc.kind.codec
            if found := too_few(codec, one.picture_rate, clip.size, clip.rate):
                yield clip.id, f"{clip.name}: {found[0]}"


def _refusal(one: Allowed) -> str:
    said = "; ".join(f"{found.found} is not allowed, {found.required} is asked" for found in one.refused)
    if one.nearest is None:
        return said
    changes = "; ".join(reason.says for reason in one.nearest.reasons) or "as it is"
    return f"{said}; the nearest row is {one.nearest.picture.words} ({changes})"


def _capacity(capacity: Capacity) -> dict[str, Any]:
    return {
        "bytes": capacity.bytes,
        "room": capacity.room,
        "used": capacity.used,
        "left": capacity.left,
        "other": capacity.other,
        "fits": capacity.used <= capacity.room,
        "items": [_weight(one, capacity) for one in capacity.weights],
    }


def _weight(one: Weight, capacity: Capacity) -> dict[str, Any]:
    return {
        "item": one.item.id,
        "name": one.item.name,
        "kind": "screen" if isinstance(one.item, Screen) else "clip",
        "bytes": one.bytes,
        "share": round(one.bytes / capacity.bytes, 6),
        "picture_rate": one.picture_rate,
        "picture_rate_words": "" if one.picture_rate is None else spell_bit_rate(one.picture_rate),
        "filled": one.filled,
        "at_ceiling": one.at_ceiling,
    }


def _clip(disc: Disc, one: Allowed) -> dict[str, Any]:
    clip = one.clip
    costs = [(sound, *cost_of_plain_sound(disc, clip, sound)) for sound in clip.sounds if sound.codec != "pcm"]
    return {
        "item": clip.id,
        "name": clip.name,
        "file": clip.file,
        "frames": clip.frames,
        "rate": str(clip.rate),
        "chapters": [{"frame": chapter.frame, "name": chapter.name} for chapter in clip.chapters],
        "spec": one.spec.id if one.spec else None,
        "allowed": None if one.spec is None or (one.unknown and not one.refused) else not one.refused,
        "refused": [{"line": found.line.id, "says": found.says} for found in one.refused],
        "unknown": [{"line": found.line.id, "label": found.line.label, "says": found.says} for found in one.unknown],
        "plain_sound": [_cost(*one) for one in costs],
    }


def _cost(sound: Sound, more: int, share: Fraction) -> dict[str, Any]:
    """What plain sound would cost instead of a coded track."""
    percent = f"{float(share) * 100:.1f} % of all that the disc can be read with"
    says = (
        f"plain 16 bit instead of {sound.codec} {spell_bit_rate(sound.bit_rate)}: {spell_bytes(more)} more, {percent}"
    )
    return {"codec": sound.codec, "more_bytes": more, "share": round(float(share), 4), "says": says}


def _map(disc: Disc, navigation: Navigation) -> dict[str, Any]:
    """Items in layers by their distance from the start, and the ways between them."""
    last = max(navigation.paths.distance.values(), default=0) + 1  # what is not reached stands in a layer of its own
    rows: dict[int, int] = {}
    items = []
    for item in sorted(disc.items, key=lambda one: navigation.paths.distance.get(one.id, last)):
        layer = navigation.paths.distance.get(item.id, last)
        row = rows[layer] = rows.get(layer, -1) + 1
        kind = "clip" if isinstance(item, Clip) else "list" if isinstance(item, PlayList) else "screen"
        items.append({"item": item.id, "name": item.name, "kind": kind, "layer": layer, "row": row})
    lists = [(item.id, part.clip) for item in disc.items if isinstance(item, PlayList) for part in item.parts]
    return {
        "items": items,
        "steps": [{"from": step.come_from, "by": step.by, "to": step.to} for step in navigation.steps],
        "plays": [{"list": id_, "clip": clip} for id_, clip in dict.fromkeys(lists) if clip in disc.by_id],
    }


def _walked(walked: Walked) -> dict[str, Any]:
    return {
        "places": walked.places,
        "ways": walked.ways,
        "ends": [{"item": end.item, "by": end.by} for end in walked.ends],
        "unseen": list(walked.unseen),
    }
