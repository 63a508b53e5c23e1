"""What changed between two versions of an edit."""

from __future__ import annotations

from dataclasses import dataclass
from difflib import SequenceMatcher

from brisk_core.edit.timeline import Shot, Timeline
from brisk_core.exact import spell_rate


@dataclass(frozen=True, slots=True, kw_only=True)
class EditChange:
    """One difference."""

    kind: str  #: added, removed, moved, trimmed, changed
    says: str
    start: int | None = None  #: frame of the newer timeline at which it shows, None for what is gone


def compare_edits(old: Timeline, new: Timeline) -> list[EditChange]:
    """Return what changed from one version of an edit to the next, settings first, then shots in time order."""
    found = _settings(old, new)
    before, after = old.shots(), new.shots()
    matcher = SequenceMatcher(
        a=[_what(old, shot) for shot in before], b=[_what(new, shot) for shot in after], autojunk=False
    )
    gone: list[Shot] = []
    come: list[Shot] = []
    for tag, first, last, begin, end in matcher.get_opcodes():
        if tag == "equal":
            for one, other in zip(before[first:last], after[begin:end], strict=True):
                found += _same_shot(one, other)
        else:
            gone += before[first:last]
            come += after[begin:end]
    for shot in come:
        moved = next((one for one in gone if _what(old, one) == _what(new, shot)), None)
        if moved is not None:
            gone.remove(moved)
            says = f"shot “{shot.name}” moved from {_label(old, moved.start)} to {_label(new, shot.start)}"
            found.append(EditChange(kind="moved", says=says, start=shot.start))
        else:
            says = f"shot “{shot.name}” is new at {_label(new, shot.start)}, {shot.length} frames"
            found.append(EditChange(kind="added", says=says, start=shot.start))
    found += [
        EditChange(
            kind="removed", says=f"shot “{shot.name}” at {_label(old, shot.start)} is gone, {shot.length} frames"
        )
        for shot in gone
    ]
    return found


def _what(timeline: Timeline, shot: Shot) -> tuple[str, str]:
    event = shot.event
    source = timeline.sources[event.source].name if event is not None and event.source is not None else ""
    return (source, shot.name)


def _label(timeline: Timeline, frame: int) -> str:
    return str(timeline.start.plus(frame)) if timeline.start else f"frame {frame}"


def _settings(old: Timeline, new: Timeline) -> list[EditChange]:
    pairs = (
        ("rate", spell_rate(old.rate), spell_rate(new.rate)),
        ("start", str(old.start), str(new.start)),
        ("length", f"{old.length} frames", f"{new.length} frames"),
        ("size", str(old.size), str(new.size)),
        ("scan", str(old.scan), str(new.scan)),
        ("sample rate", str(old.sample_rate), str(new.sample_rate)),
        ("lanes", str(len(old.lanes)), str(len(new.lanes))),
        ("marks", str(len(old.marks)), str(len(new.marks))),
    )
    return [
        EditChange(kind="changed", says=f"{name} was {before} and is {after}")
        for name, before, after in pairs
        if before != after
    ]


def _same_shot(one: Shot, other: Shot) -> list[EditChange]:
    if one.length != other.length:
        more = other.length - one.length
        frames = "1 frame" if abs(more) == 1 else f"{abs(more)} frames"
        says = f"shot “{other.name}” is {frames} {'longer' if more > 0 else 'shorter'}"
        return [EditChange(kind="trimmed", says=says, start=other.start)]
    begun = (one.event.source_start if one.event else None, other.event.source_start if other.event else None)
    if None not in begun and begun[0] != begun[1]:
        return [
            EditChange(kind="trimmed", says=f"shot “{other.name}” shows another part of its source", start=other.start)
        ]
    if one.event and other.event and one.event.speed != other.event.speed:
        now, then = (f"{float(event.speed) * 100:g} %" for event in (other.event, one.event))
        says = f"shot “{other.name}” runs at {now} and ran at {then}"
        return [EditChange(kind="changed", says=says, start=other.start)]
    return []
