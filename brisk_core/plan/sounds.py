"""Tracks of sound, as people type them into a plan."""

from __future__ import annotations

import re

from brisk_core.errors import ValueRefused
from brisk_core.exact import parse_bit_rate
from brisk_core.plan.bits import Sound

_CHANNELS = r"(?:\s+(?P<channels>\d{1,2})\s*ch(?:annels?)?)?"
_TRACKS = r"(?:\s*[x×]\s*(?P<tracks>\d{1,2}))?"
_CODED = re.compile(r"(?P<codec>[a-z0-9]+)\s+(?P<rate>\S+(?:\s*[kM]?b(?:it)?/s)?)" + _CHANNELS + _TRACKS)
_PCM = re.compile(r"pcm\s+(?P<bits>16|20|24|32)\s*bit" + _CHANNELS + _TRACKS)
_CODECS = ("aac", "ac3", "eac3", "mp2", "mp3", "opus", "vorbis", "flac", "dts", "pcm")


def read_sound(text: object) -> Sound:
    """Read tracks of sound from ``"aac 128 kb/s"``, ``"ac3 448 kb/s 6 channels x2"`` or ``"pcm 24 bit 2 channels"``.

    Raises ``ValueRefused``.
    """
    said = str(text).strip()
    if plain := _PCM.fullmatch(said):
        channels, tracks = int(plain["channels"] or 2), int(plain["tracks"] or 1)
        return Sound.pcm(channels=channels, bits=int(plain["bits"]), tracks=tracks)
    coded = _CODED.fullmatch(said)
    if coded and coded["codec"] in _CODECS[:-1]:
        return Sound(
            codec=coded["codec"],
            bit_rate=parse_bit_rate(coded["rate"]),
            tracks=int(coded["tracks"] or 1),
            channels=int(coded["channels"] or 2),
        )
    raise ValueRefused(
        f'met {said!r} as sound; expected a codec of {", ".join(_CODECS)} and its rate, such as "aac 128 kb/s", '
        '"ac3 448 kb/s x2" or "pcm 24 bit 2 channels"'
    )
