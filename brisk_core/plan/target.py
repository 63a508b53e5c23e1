"""Target: what the other side makes of a file, or of a render that is planned, by the ladder of its spec.

One sentence for each: what becomes of what is sent, as which copies it is shown and after how long, which frames are
left out; and the copy that a viewer's screen needs.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from brisk_core.exact import parse_size, spell_size
from brisk_core.facts import Inspection, keys
from brisk_core.plan.render import read_renders
from brisk_core.plan.words import Reader
from brisk_core.spec import Spec
from brisk_core.spec.ladder import FRAMES_LEFT_OUT, REFUSED, SCALED, Ladder, LadderCopy, Rung

TARGET_SCHEMA = "brisk-sentry/plan-target/1"
SCREEN = (1920, 1080)  #: of a viewer, where none is named
_LARGEST_SCREEN = 16_384
_SAYS = {
    "kept": "kept as it is",
    "scaled": "scaled to {size}",
    "frames left out": "every second frame left out",
    "wrapped anew": "wrapped anew",
    "encoded anew": "encoded anew",
}
_MINUTE, _HOUR, _DAY = 60, 3600, 86_400


@dataclass(frozen=True, slots=True, kw_only=True)
class Shown:
    """A copy as a viewer gets it."""

    copy: LadderCopy
    size: tuple[int, int]
    rate: Fraction
    left_out: Fraction  #: frames a second that the file has and the copy has not
    delay: Fraction | None  #: seconds
    is_learnt: bool  #: was the delay learnt from hand-offs?


def plan_target(
    asked: Mapping[str, Any],
    spec: Spec | None,
    files: Sequence[tuple[str, Inspection]] = (),
    learnt: Mapping[str, float] | None = None,
) -> dict[str, Any]:
    """Return what becomes of each file and of each planned render of ``asked["renders"]`` at the place of a spec.

    ``learnt`` holds seconds after which copies of this place played before, by their labels. Raises ``PlanRefused``
    with every mistake and its place.
    """
    reader = Reader()
    reader.only("plan", asked, ("renders", "screen"))
    ladder = spec.ladder if spec else None
    if spec is None:
        reader.note("spec", "met none; expected one that holds a ladder")
    elif ladder is None:
        reader.note("spec", f"met {spec.id}, which holds no ladder; expected a spec that says what becomes of a file")
    screen = reader.take("screen", _screen, asked.get("screen") or SCREEN, SCREEN)
    planned = read_renders(reader, asked, beside=bool(files))
    reader.refuse()
    assert spec is not None  # noqa: S101 - else it was refused
    assert ladder is not None  # noqa: S101
    rows = [_row(name, one, ladder, learnt or {}, screen, planned=False) for name, one in files]
    rows += [_row(name, one, ladder, learnt or {}, screen, planned=True) for name, one in planned]
    return {
        "schema": TARGET_SCHEMA,
        "asked": dict(asked),
        "spec": {"id": spec.id, "name": spec.name, "source": spec.source},
        "screen": list(screen),
        "rows": rows,
    }


def _screen(value: object) -> tuple[int, int]:
    size = value if isinstance(value, tuple) else parse_size(value)
    return min(size[0], _LARGEST_SCREEN), min(size[1], _LARGEST_SCREEN)


def _row(
    name: str,
    inspection: Inspection,
    ladder: Ladder,
    learnt: Mapping[str, float],
    screen: tuple[int, int],
    *,
    planned: bool,
) -> dict[str, Any]:
    rung, unknown = ladder.chosen(inspection)
    row: dict[str, Any] = {
        "name": name,
        "planned": planned,
        "outcomes": list(rung.outcomes) if rung else None,
        "why": rung.why if rung else "",
        "copies": [],
        "screen_copy": None,
        "screen_says": "",
    }
    if rung is None:
        return row | {"says": f"Not known: {unknown}."}
    if REFUSED in rung.outcomes:
        return row | {"says": f"Refused: {_small(rung.why) or _because(rung)}."}
    size, shape = inspection[keys.PICTURE_SIZE], inspection[keys.PICTURE_DISPLAY_ASPECT]
    sent = inspection[keys.PICTURE_FRAME_RATE]
    if size is None or shape is None or sent is None:
        missing = "size" if size is None else "shape" if shape is None else "frame rate"
        return row | {"says": f"{_happens(rung, '')}; its copies are not known: its {missing} is not."}
    kept = _kept_lines(rung, ladder, size, shape)
    rate = sent / 2 if FRAMES_LEFT_OUT in rung.outcomes else sent
    shown = [_shown(copy, kept, shape, rate, sent, learnt) for copy in copies_for(ladder, kept)]
    copy, says = screen_needs(shown, screen, shape)
    return row | {
        "says": _sentence(rung, spell_size((_even(kept * shape), kept)), shown, sent),
        "copies": [_told(one) for one in shown],
        "screen_copy": copy,
        "screen_says": says,
    }


def _even(value: Fraction) -> int:
    return round(value / 2) * 2


def _kept_lines(rung: Rung, ladder: Ladder, size: tuple[int, int], shape: Fraction) -> int:
    """Return the lines of what is kept: of a picture that is scaled, those of the next smaller copy that is not it."""
    if SCALED not in rung.outcomes:
        return size[1]
    smaller = [
        one.lines for one in ladder.copies if one.lines <= size[1] and (_even(one.lines * shape), one.lines) != size
    ]
    return max(smaller, default=size[1])


def copies_for(ladder: Ladder, lines: int) -> list[LadderCopy]:
    """Return the copies that are made of a picture, small ones first: none larger than itself, at least one."""
    return [one for one in ladder.copies if one.lines <= lines] or list(ladder.copies[:1])


def _shown(
    copy: LadderCopy, kept: int, shape: Fraction, rate: Fraction, sent: Fraction, learnt: Mapping[str, float]
) -> Shown:
    while copy.rate_at_most and rate > copy.rate_at_most:
        rate /= 2
    lines = min(copy.lines, kept)
    known = learnt.get(copy.label)
    return Shown(
        copy=copy,
        size=(max(_even(lines * shape), 2), lines),
        rate=rate,
        left_out=sent - rate,
        delay=copy.delay if known is None else Fraction(round(known)),
        is_learnt=known is not None,
    )


def _happens(rung: Rung, size: str) -> str:
    said = [_SAYS[one].format(size=size or "a smaller size") for one in rung.outcomes]
    return _large(_listed(said))


def _because(rung: Rung) -> str:
    """Return the conditions of a row in words."""
    said = [f"{one.characteristic.label.lower()} {one.required()}" for one in rung.when]
    return " and ".join(said) or "nothing that the ladder takes fits it"


def _small(text: str) -> str:
    """A reason as the rest of a sentence."""
    text = text.removesuffix(".")
    return text[:1].lower() + text[1:] if text[1:2].islower() or text[1:2] == " " else text


def _large(text: str) -> str:
    return text[:1].upper() + text[1:]


def _sentence(rung: Rung, size: str, shown: Sequence[Shown], sent: Fraction) -> str:
    parts = [_happens(rung, size)]
    if shown:
        by_delay: dict[str, list[str]] = {}
        for one in shown:
            by_delay.setdefault(spell_delay(one.delay), []).append(one.copy.label)
        parts.append("shown as " + ", ".join(f"{_listed(labels)} {delay}" for delay, labels in by_delay.items()))
    for left in sorted({one.left_out for one in shown if one.left_out}):
        of = [one.copy.label for one in shown if one.left_out == left]
        where = "" if len(of) == len(shown) else f" of {_listed(of)}"
        parts.append(f"{_frames(left)} of {_frames(sent)} frames a second are left out{where}")
    return "; ".join(parts) + "."


def _listed(words: Sequence[str]) -> str:
    return " and ".join([", ".join(words[:-1]), words[-1]] if len(words) > 1 else words)


def _frames(rate: Fraction) -> str:
    return f"{float(rate):.5g}"


def spell_delay(seconds: Fraction | None) -> str:
    """Return such as "at once", "after about 40 seconds", "after about 30 minutes"; "some time later" for ``None``."""
    if seconds is None:
        return "some time later"
    if seconds < 1:
        return "at once"
    size, name = next(
        (size, name)
        for size, name in ((_DAY, "day"), (_HOUR, "hour"), (_MINUTE, "minute"), (1, "second"))
        if seconds >= 2 * size or seconds == size or size == 1
    )
    count = round(seconds / size)
    return f"after about {count} {name}{'' if count == 1 else 's'}"


def screen_needs(shown: Sequence[Shown], screen: tuple[int, int], shape: Fraction) -> tuple[str | None, str]:
    """Return the label of the copy that a viewer's screen needs, and what that means, in a sentence.

    That is the smallest copy with as many lines as the picture takes on the screen, else the largest, enlarged.
    """
    if not shown:
        return None, ""
    lines = min(Fraction(screen[1]), screen[0] / shape)
    enough = [one for one in shown if one.size[1] >= lines]
    of = f"A screen of {spell_size(screen)}"
    if enough:
        label = enough[0].copy.label
        return label, f"{of} needs {label}."
    largest = shown[-1]
    return largest.copy.label, f"{of} enlarges {largest.copy.label} {float(lines / largest.size[1]):.3g} times."


def _told(one: Shown) -> dict[str, Any]:
    return {
        "label": one.copy.label,
        "size": list(one.size),
        "rate": str(one.rate),
        "rate_words": _frames(one.rate),
        "codec": one.copy.codec,
        "bit_rate": one.copy.bit_rate,
        "delay_s": float(one.delay) if one.delay is not None else None,
        "delay_words": spell_delay(one.delay),
        "learnt": one.is_learnt,
        "left_out": str(one.left_out),
    }
