"""Messages that AVC and HEVC share: the encoder's own note, and how stereo pictures are packed (Annex D of both)."""

from __future__ import annotations

import re
from dataclasses import dataclass

from brisk_core.facts import FactsBuilder, keys
from brisk_core.reading.bit_reader import BitReader, BitsEnded
from brisk_core.reading.streams.avc import sei_messages, unescape

_UNREGISTERED, _PACKING = 5, 45  # payload types (H.264, D.1.1)
_IDENTIFIER = 16  # bytes before the text of a note
_SHORTEST, _LONGEST = 8, 2000  # characters of a note
_PRINTABLE = re.compile(rb"[\x20-\x7e\t\r\n]+")
#: frame_packing_arrangement_type (table D-8).
_ARRANGEMENTS = {
    0: "checkerboard", 1: "column by column", 2: "row by row", 3: "side by side", 4: "top and bottom",
    5: "frame by frame", 7: "tiles",
}  # fmt: skip
_FIRST_VIEW = {1: "left first", 2: "right first"}  # content_interpretation_type


@dataclass(slots=True)
class Messages:
    """What the messages met so far say; the first of each kind counts."""

    note: str | None = None
    packing: str | None = None

    def take(self, unit: bytes, header: int) -> None:
        """Look at a unit of messages whose own header has ``header`` bytes."""
        for kind, body in sei_messages(unescape(unit[header:])):
            if kind == _UNREGISTERED and self.note is None:
                self.note = _note(body[_IDENTIFIER:])
            elif kind == _PACKING and self.packing is None:
                self.packing = _packing(body)

    def say(self, builder: FactsBuilder) -> None:
        """Record both as coded."""
        with builder.at("user data message, unregistered (H.264, D.1.7; H.265, D.2.7)"):
            builder.coded(keys.PICTURE_ENCODER_NOTE, self.note)
        with builder.at("frame packing arrangement message (H.264, D.1.26; H.265, D.2.16)"):
            builder.coded(keys.PICTURE_STEREO_PACKING, self.packing)


def _note(body: bytes) -> str | None:
    """Return the text of a note; other data than text are none."""
    text = body.rstrip(b"\0")
    if not len(text) >= _SHORTEST or not _PRINTABLE.fullmatch(text):
        return None
    return " ".join(text.decode("ascii").split())[:_LONGEST]


def _packing(body: bytes) -> str | None:
    """Return the arrangement of two views in a picture, ``None`` where the message takes one back (D.2.26)."""
    try:
        reader = BitReader(body)
        reader.unsigned()
        if reader.flag():
            return None
        arrangement = _ARRANGEMENTS.get(reader.bits(7))
        reader.skip(1)
        first = _FIRST_VIEW.get(reader.bits(6))
    except BitsEnded:
        return None
    return f"{arrangement}, {first}" if arrangement and first else arrangement
