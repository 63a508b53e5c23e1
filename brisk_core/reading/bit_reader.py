"""A reader of bits, for the headers of coded streams."""

from __future__ import annotations

from brisk_core.errors import CoreError


class BitsEnded(CoreError):
    """A header ended before all its fields were read, or holds a number no standard allows."""


class BitReader:
    """Reads fields from the most significant bit on (ITU-T H.264, 7.2 and 9.1)."""

    def __init__(self, data: bytes) -> None:
        self._value = int.from_bytes(data, "big")
        self._length = len(data) * 8
        self.position = 0  #: bits read so far

    def bits(self, count: int) -> int:
        """Return the next ``count`` bits as an unsigned number; raises ``BitsEnded`` past the end."""
        end = self.position + count
        if end > self._length:
            raise BitsEnded(f"the header ends at bit {self._length}; expected {count} more bits at bit {self.position}")
        self.position = end
        return (self._value >> (self._length - end)) & ((1 << count) - 1)

    def flag(self) -> bool:
        """Return the next bit."""
        return bool(self.bits(1))

    def skip(self, count: int) -> None:
        """Pass over ``count`` bits."""
        self.bits(count)

    def unsigned(self) -> int:
        """Return the next unsigned Exp-Golomb code, ue(v)."""
        zeros = 0
        while not self.bits(1):
            zeros += 1
            if zeros > 32:
                raise BitsEnded(f"met a code of more than 32 leading zeros at bit {self.position}")
        return (1 << zeros) - 1 + self.bits(zeros)

    def signed(self) -> int:
        """Return the next signed Exp-Golomb code, se(v)."""
        code = self.unsigned()
        return (code + 1) // 2 if code % 2 else -(code // 2)

    @property
    def left(self) -> int:
        """Bits not yet read."""
        return self._length - self.position
