"""Characters of line-21 captions by their codes, after the parity bit is taken off (CTA-608-E, 8.3 and annex B)."""

from __future__ import annotations

_OTHER = {
    0x2A: "á", 0x5C: "é", 0x5E: "í", 0x5F: "ó", 0x60: "ú", 0x7B: "ç", 0x7C: "÷", 0x7D: "Ñ", 0x7E: "ñ", 0x7F: "█",
}  # fmt: skip
#: One byte each, 0x20 to 0x7F.
STANDARD = {code: _OTHER.get(code, chr(code)) for code in range(0x20, 0x80)}
#: Second byte of a pair that begins with 0x11: 0x30 to 0x3F; the tenth is a space that lets the picture through.
SPECIAL = dict(zip(range(0x30, 0x40), "®°½¿™¢£♪à\u00a0èâêîôû", strict=True))
#: Second byte of a pair that begins with 0x12 and 0x13: 0x20 to 0x3F; each takes the place of the character before it.
EXTENDED = {
    0x12: dict(zip(range(0x20, 0x40), "ÁÉÓÚÜü‘¡*'—©℠•“”ÀÂÇÈÊËëÎÏïÔÙùÛ«»", strict=True)),
    0x13: dict(zip(range(0x20, 0x40), "ÃãÍÌìÒòÕõ{}\\^_|~ÄäÖöß¥¤¦ÅåØø┌┐└┘", strict=True)),
}
