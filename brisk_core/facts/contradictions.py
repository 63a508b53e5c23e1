"""Where the three witnesses contradict each other: each sentence names who says what."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from typing import Any

from brisk_core.exact import Timecode, spell_rate_exactly
from brisk_core.facts import keys
from brisk_core.facts.characteristic import Characteristic, Stage, Witness
from brisk_core.facts.inspection import FactsBuilder
from brisk_core.facts.keys import Key
from brisk_core.facts.kinds import Kind, Scan, spell
from brisk_core.facts.registry import REGISTRY

_WORDS = {
    Witness.DECLARED: "the wrapper says",
    Witness.CODED: "the stream codes",
    Witness.OBSERVED: "the file shows",
}
#: Compared between wrapper and stream only: what is observed is another quantity, such as bits really used.
_HEADERS_ONLY: set[Key[Any]] = {keys.PICTURE_BIT_DEPTH, keys.SOUND_BIT_DEPTH, keys.SOUND_CHANNELS}
#: Compared between all that speak.
_COMPARED: tuple[Key[Any], ...] = (
    keys.PICTURE_CODEC, keys.PICTURE_PROFILE, keys.PICTURE_LEVEL, keys.PICTURE_TIER, keys.PICTURE_SIZE,
    keys.PICTURE_PIXEL_ASPECT, keys.PICTURE_DISPLAY_ASPECT, keys.PICTURE_FRAME_RATE, keys.PICTURE_RATE_MODE,
    keys.PICTURE_FRAME_COUNT, keys.PICTURE_CHROMA, keys.PICTURE_BIT_DEPTH, keys.PICTURE_ALPHA, keys.PICTURE_PRIMARIES,
    keys.PICTURE_TRANSFER, keys.PICTURE_MATRIX, keys.PICTURE_SCAN, keys.PICTURE_FIELD_ORDER, keys.PICTURE_RANGE,
    keys.WRAPPER_DURATION, keys.WRAPPER_START_TIMECODE, keys.SOUND_CODEC, keys.SOUND_SAMPLE_RATE, keys.SOUND_CHANNELS,
    keys.SOUND_BIT_DEPTH,
)  # fmt: skip
_SHAPE_TOLERANCE = Fraction(3, 100)  # two ways to state the shape of standard definition pixels differ by 2.6 %
_DURATION_TOLERANCE = Fraction(1, 4)  # seconds: sound ends up to a packet later than the pictures
_FRAME_TOLERANCE = 1
_PULLDOWN = {Fraction(4, 5), Fraction(5, 4)}
_STANDARD_WIDTH = 720
_SHOWN_LINES = {608: (576,), 512: (480, 486)}  # by the lines that are coded
_SCANNED = (Stage.PICTURES, Stage.SAMPLES)


def _agree(builder: FactsBuilder, key: Key[Any], first: Any, second: Any) -> bool:
    if REGISTRY[key.id].per_track:
        return all(one == other for one, other in zip(first, second, strict=False) if None not in (one, other))
    if REGISTRY[key.id].kind is Kind.RATIO:
        return bool(abs(first - second) <= second * _SHAPE_TOLERANCE)
    special = _SPECIAL.get(key)
    return bool(first == second) or (special is not None and special(builder, first, second))


def _agree_on_duration(builder: FactsBuilder, first: Fraction, second: Fraction) -> bool:
    longer = builder.said(Witness.OBSERVED, keys.TIMING_SOUND_LENGTH_DIFFERENCE) or Fraction(0)
    return any(abs(first - end) <= _DURATION_TOLERANCE for end in (second, second + longer))


def _agree_on_timecode(_: FactsBuilder, first: Timecode, second: Timecode) -> bool:
    """A writer that was given no timecode stamps zeros, which proves nothing."""
    return not first.frames or not second.frames or str(first) == str(second)


def _agree_on_count(builder: FactsBuilder, first: int, second: int) -> bool:
    offsets = builder.said(Witness.DECLARED, keys.WRAPPER_EDIT_OFFSET) or ()
    return any(offset < 0 for offset in offsets if offset is not None) or abs(first - second) <= _FRAME_TOLERANCE


def _agree_on_rate(builder: FactsBuilder, first: Fraction, second: Fraction) -> bool:
    """Film whose stream asks for pulldown has four frames where it shows five (ISO/IEC 13818-2, 6.3.10)."""
    pulldown = builder.said(Witness.CODED, keys.PICTURE_SCAN) == Scan.PULLDOWN_3_2
    return pulldown and {first / second, second / first} == _PULLDOWN


def _agree_on_scan(_: FactsBuilder, first: Scan, second: Scan) -> bool:
    """Pictures that are to be shown with pulldown are whole frames each."""
    return {first, second} == {Scan.PROGRESSIVE, Scan.PULLDOWN_3_2}


def _agree_on_size(_: FactsBuilder, first: tuple[int, int], second: tuple[int, int]) -> bool:
    """Masters of standard definition may code lines of blanking above the picture that is shown (ST 386, 5.3)."""
    shown, coded = sorted((first, second), key=lambda size: size[1])
    return shown[0] == coded[0] == _STANDARD_WIDTH and shown[1] in _SHOWN_LINES.get(coded[1], ())


_SPECIAL: dict[Key[Any], Callable[[FactsBuilder, Any, Any], bool]] = {
    keys.WRAPPER_DURATION: _agree_on_duration,
    keys.WRAPPER_START_TIMECODE: _agree_on_timecode,
    keys.PICTURE_FRAME_COUNT: _agree_on_count,
    keys.PICTURE_FRAME_RATE: _agree_on_rate,
    keys.PICTURE_SCAN: _agree_on_scan,
    keys.PICTURE_SIZE: _agree_on_size,
}


def find_contradictions(builder: FactsBuilder) -> dict[str, str]:
    """Return the characteristics whose witnesses contradict each other, by id, with a sentence for each.

    What only the scan of the pictures shows is left out: it is judged by lines of its own.
    """
    variable = builder.said(Witness.OBSERVED, keys.PICTURE_RATE_MODE) == "variable"
    found = {}
    for key in _COMPARED:
        characteristic = REGISTRY[key.id]
        said = {witness: builder.said(witness, key) for witness in Witness}
        if key in _HEADERS_ONLY or characteristic.stage in _SCANNED or (key == keys.PICTURE_FRAME_RATE and variable):
            said[Witness.OBSERVED] = None
        spoken = [(witness, value) for witness, value in said.items() if value is not None]
        pairs = [(one, other) for index, one in enumerate(spoken) for other in spoken[index + 1 :]]
        if all(_agree(builder, key, one[1], other[1]) for one, other in pairs):
            continue
        words = ", ".join(f"{_WORDS[witness]} {_spell(characteristic, value)}" for witness, value in spoken)
        found[key.id] = f"{characteristic.label.lower()}: {words}"
    return found


def _spell(characteristic: Characteristic, value: Any) -> str:
    return (
        spell_rate_exactly(value)
        if characteristic.kind is Kind.RATE
        else spell(characteristic.kind, characteristic.per_track, value, characteristic.unit)
    )
