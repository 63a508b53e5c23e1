"""Caption files beside some renders: right ones in three formats, and one with faults of its own."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

#: Start and end in seconds, and the lines.
RIGHT: tuple[tuple[str, str, str], ...] = (
    ("0.40", "1.88", "The canal before the lamps."),
    ("2.00", "3.40", "Lamp twelve was always late."),
    ("3.60", "5.00", "Nobody asked\nwho lit it."),
    ("5.80", "7.60", "By dusk they all burn."),
)
#: One over the other, too long and too fast, letters of another code, and past the end of a shorter edit.
FAULTY: tuple[tuple[str, str, str], ...] = (
    ("0.40", "2.20", "The canal before the lamps."),
    ("2.00", "3.40", "Lamp twelve was always late, and its keeper knew it well."),
    ("3.60", "5.00", "At the caf\u00c3\u00a9 nobody asked\nwho lit it."),
    ("6.60", "8.40", "By dusk they all burn."),
)
_TEXTS = {"en": RIGHT, "faulty": FAULTY}
#: Name of the file, and which texts it holds.
CAPTIONS: dict[str, str] = {
    "OLP_LAMPLIGHTERS_PEBBLE_WIDE_V08.en.srt": "en",
    "OLP_LAMPLIGHTERS_PEBBLE_WIDE_V09.en.srt": "faulty",
    "OLP_LAMPLIGHTERS_PEBBLE_TALL_V04.en.vtt": "en",
    "OLP_LAMPLIGHTERS_MERROW_HD50I_V06.stl": "en",
}
_STL_RATE, _STL_START = 25, 10 * 3600  # frames a second, and seconds at which the programme begins


def write_captions(folder: Path) -> None:
    """Write every caption file."""
    writers = {".srt": _subrip, ".vtt": _webvtt, ".stl": _stl}
    for name, texts in CAPTIONS.items():
        path = folder / name
        path.write_bytes(writers[path.suffix](_TEXTS[texts]))


def _stamp(seconds: str, mark: str) -> str:
    thousandths = int(Fraction(seconds) * 1000)
    whole, rest = divmod(thousandths, 1000)
    return f"{whole // 3600:02}:{whole // 60 % 60:02}:{whole % 60:02}{mark}{rest:03}"


def _subrip(texts: tuple[tuple[str, str, str], ...]) -> bytes:
    blocks = [
        f"{number}\n{_stamp(start, ',')} --> {_stamp(end, ',')}\n{words}\n"
        for number, (start, end, words) in enumerate(texts, 1)
    ]
    return "\n".join(blocks).encode()


def _webvtt(texts: tuple[tuple[str, str, str], ...]) -> bytes:
    blocks = [f"{_stamp(start, '.')} --> {_stamp(end, '.')}\n{words}\n" for start, end, words in texts]
    return ("WEBVTT\nLanguage: en\n\n" + "\n".join(blocks)).encode()


def _stl(texts: tuple[tuple[str, str, str], ...]) -> bytes:
    """Write EBU-STL by the fields of EBU Tech 3264: a general block, then one block a text."""
    general = bytearray(b" " * 1024)
    for at, value in (
        (0, b"437"), (3, b"STL25.01"), (11, b"1"), (12, b"00"), (14, b"09"), (16, b"The Lamplighters' Canal"),
        (238, b"%05d" % len(texts)), (243, b"%05d" % len(texts)), (248, b"001"), (251, b"40"), (253, b"23"),
        (255, b"1"), (256, b"10000000"), (272, b"1"), (273, b"1"),
    ):  # fmt: skip
        general[at : at + len(value)] = value
    data = bytes(general)
    for number, (start, end, words) in enumerate(texts):
        field = words.replace("\n", "\x8a").encode("latin-1").ljust(112, b"\x8f")
        head = bytes([0]) + number.to_bytes(2, "little") + bytes([0xFF, 0]) + _label(start) + _label(end)
        data += head + bytes([20, 2, 0]) + field
    return data


def _label(seconds: str) -> bytes:
    frames = int((Fraction(seconds) + _STL_START) * _STL_RATE)
    whole, rest = divmod(frames, _STL_RATE)
    return bytes([whole // 3600, whole // 60 % 60, whole % 60, rest])
