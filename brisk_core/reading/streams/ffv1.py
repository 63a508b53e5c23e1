"""Configuration record and slice header of FFV1 (RFC 9043, 3.8, 4.2 and 4.6), which are range coded."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction

from brisk_core.facts import FieldOrder, Scan
from brisk_core.reading.bit_reader import BitsEnded
from brisk_core.reading.streams.coded_header import CodedHeader

_STATES = 32  # of one symbol (3.8.1.2)
_HIGHEST_STATE = 248
_SCAN = {
    1: (Scan.INTERLACED, FieldOrder.TOP),
    2: (Scan.INTERLACED, FieldOrder.BOTTOM),
    3: (Scan.PROGRESSIVE, None),
}  # picture_structure, 4.6.5
_CHROMA = {(0, 0): "4:4:4", (1, 0): "4:2:2", (1, 1): "4:2:0", (2, 0): "4:1:1"}
_RGB, _OWN_TRANSITIONS = 1, 2  # colorspace_type, coder_type


def _default_transitions() -> list[int]:
    """Return default_state_transition (3.8.1.4): the chance of a one rises by a twentieth of what is missing to 1."""
    one = 1 << 32
    factor = one // 20

    def raised(chance: int) -> int:
        return chance + (((one - chance) * factor + (one >> 1)) >> 32)

    found = [0] * 256
    last, chance = 0, one >> 1
    for _ in range(128):
        state = max((256 * chance + (one >> 1)) >> 32, last + 1)
        if last and state <= _HIGHEST_STATE:
            found[last] = state
        chance, last = raised(chance), state
    for state in range(256 - _HIGHEST_STATE, _HIGHEST_STATE + 1):
        if not found[state]:
            following = (256 * raised((state * one + 128) >> 8) + (one >> 1)) >> 32
            found[state] = min(max(following, state + 1), _HIGHEST_STATE)
    return found


class RangeDecoder:
    """The range decoder (3.8.1)."""

    def __init__(self, data: bytes, transitions: list[int] | None = None) -> None:
        if len(data) < 2:
            raise BitsEnded(f"met {len(data)} bytes of range coded data; expected at least 2")
        self._data = data
        self._at = 2
        self._range, self._low = 0xFF00, int.from_bytes(data[:2], "big")
        self.set_transitions(transitions or _DEFAULT)

    def set_transitions(self, transitions: list[int]) -> None:
        """Use other state transitions from here on."""
        self._after_one = transitions
        self._after_zero = [0] + [(256 - transitions[256 - state]) & 255 for state in range(1, 256)]

    def bit(self, states: list[int], index: int) -> bool:
        """Return the next bit in the context of a state, which moves on."""
        state = states[index]
        upper = (self._range * state) >> 8
        self._range -= upper
        is_one = self._low >= self._range
        if is_one:
            self._low -= self._range
            self._range = upper
        states[index] = (self._after_one if is_one else self._after_zero)[state]
        if self._range < 0x100:
            if self._at > len(self._data) + 2:
                raise BitsEnded("range coded data ends inside a header")
            self._range <<= 8
            self._low = self._low << 8 | (self._data[self._at] if self._at < len(self._data) else 0)
            self._at += 1
        return is_one

    def symbol(self, states: list[int], *, signed: bool = False) -> int:
        """Return the next number (3.8.1.2); raises ``BitsEnded`` for one of more than 31 bits."""
        if self.bit(states, 0):
            return 0
        exponent = 0
        while self.bit(states, 1 + min(exponent, 9)):
            exponent += 1
            if exponent > 31:
                raise BitsEnded("met a range coded number of more than 31 bits")
        number = 1
        for index in range(exponent - 1, -1, -1):
            number = number * 2 + self.bit(states, 22 + min(index, 9))
        return -number if signed and self.bit(states, 11 + min(exponent, 10)) else number


_DEFAULT = _default_transitions()


@dataclass(frozen=True, slots=True, kw_only=True)
class Configuration:
    """What a configuration record says."""

    header: CodedHeader
    transitions: list[int]
    planes: int  #: quantization tables named in a slice header

    def parse_frame(self, data: bytes) -> CodedHeader:
        """Return the header with scan and pixel aspect by the first slice of a frame (4.6)."""
        decoder = RangeDecoder(data)
        decoder.bit([128], 0)
        decoder.set_transitions(self.transitions)
        states = [128] * _STATES
        for _ in range(4 + self.planes):
            decoder.symbol(states)
        scan, order = _SCAN.get(decoder.symbol(states), (None, None))
        across, down = decoder.symbol(states), decoder.symbol(states)
        return replace(
            self.header,
            scan=scan,
            field_order=order,
            pixel_aspect=Fraction(across, down) if 0 < across < 65536 and 0 < down < 65536 else None,
        )


def parse_configuration(record: bytes) -> Configuration:
    """Read a configuration record of version 3 or later (4.2); raises ``BitsEnded`` when it makes no sense."""
    decoder = RangeDecoder(record)
    states = [128] * _STATES
    version = decoder.symbol(states)
    if not 3 <= version <= 4:
        raise BitsEnded(f"met version {version} in an FFV1 configuration record; expected 3 or 4")
    micro = decoder.symbol(states)
    coder = decoder.symbol(states)
    transitions = _DEFAULT
    if coder == _OWN_TRANSITIONS:
        deltas = [decoder.symbol(states, signed=True) for _ in range(1, 256)]
        transitions = [0] + [(_DEFAULT[index] + delta) & 255 for index, delta in enumerate(deltas, 1)]
    space, depth = decoder.symbol(states), decoder.symbol(states)
    has_chroma = decoder.bit(states, 0)
    shifts = (decoder.symbol(states), decoder.symbol(states))
    alpha = decoder.bit(states, 0)
    across, down = decoder.symbol(states) + 1, decoder.symbol(states) + 1
    if depth > 16 or across > 256 or down > 256:
        raise BitsEnded(f"met {depth} bits and {across} × {down} slices in an FFV1 configuration record")
    return Configuration(
        header=CodedHeader(
            place="configuration record and first slice (RFC 9043, 4.2 and 4.6)",
            profile=f"version {version}.{micro}",
            chroma="4:4:4" if space == _RGB else _CHROMA.get(shifts) if has_chroma else "4:0:0",
            bit_depth=depth or 8,
            alpha="present" if alpha else "none",
            slices=across * down,
        ),
        transitions=transitions,
        planes=2 + alpha,
    )
