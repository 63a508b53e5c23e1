"""Capacity: the bytes of everything on a disc, and the bit rate with which the clips that have none fill it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from math import ceil

from brisk_core.errors import PlanRefused
from brisk_core.exact import spell_bit_rate, spell_bit_rate_exactly, spell_bytes
from brisk_core.facts import keys
from brisk_core.plan.bits import Coding, Programme, Sound, file_size, fit
from brisk_core.plan.disc.items import Clip, Disc, Item, Screen
from brisk_core.plan.disc.kinds import SECTOR
from brisk_core.plan.overhead import WRAPPERS

_STREAMS = {"mpeg-ps": "mpeg-ps", "mpeg-ts": "mpeg-ts"}  # files that go onto a disc as they are
_TEXT_BYTES = 3_000  # of a minute of a text track: pictures of text, by run length


@dataclass(frozen=True, slots=True, kw_only=True)
class Weight:
    """What an item takes of the disc."""

    item: Item
    bytes: int
    picture_rate: int | None  #: bits a second; None for a still picture
    filled: bool  #: was the bit rate worked out, so that the disc is filled?
    at_ceiling: bool = False  #: did it end at the most that the kind of disc gives, before the disc was full?
    says: tuple[str, ...]  #: what it goes beyond


@dataclass(frozen=True, slots=True, kw_only=True)
class Capacity:
    """What a disc holds and what is on it."""

    bytes: int  #: of the disc
    room: int  #: that may be used: whole sectors, without the reserve
    weights: tuple[Weight, ...]  #: of clips and screens; lists take none
    other: int  #: bytes of what stands beside them
    says: tuple[str, ...]

    @property
    def used(self) -> int:
        """Bytes of all."""
        return self.other + sum(one.bytes for one in self.weights)

    @property
    def left(self) -> int:
        """Bytes of the disc that stay free, the reserve among them; below 0 where it is too full."""
        return self.bytes - self.used


def weigh_disc(disc: Disc) -> Capacity:
    """Return the bytes of a disc's clips and screens; clips without a bit rate share what is left.

    They get the same bits a pixel times their weights, and never more than the ceiling of the kind of disc.
    """
    room = int(disc.bytes * (100 - disc.reserve) / 100) // SECTOR * SECTOR
    other = _sectors(disc.other_bytes)
    fixed = [_fixed(disc, item) for item in disc.items if isinstance(item, Screen | Clip) and not _is_open(item)]
    open_ = [clip for clip in disc.clips if _is_open(clip)]
    free = room - other - sum(one.bytes for one in fixed)
    filled, says = _fill(disc, open_, free) if open_ else ([], [])
    by_id = {one.item.id: one for one in (*fixed, *filled)}
    weights = tuple(by_id[item.id] for item in disc.items if item.id in by_id)
    found = Capacity(bytes=disc.bytes, room=room, weights=weights, other=other, says=tuple(says))
    return replace(found, says=(*found.says, *_of_all(found)))


def _of_all(found: Capacity) -> list[str]:
    if found.used <= found.room:
        return []
    over = found.used - found.bytes
    if over > 0:
        sectors = ceil(over / SECTOR)
        return [f"over the disc by {spell_bytes(over)} ({sectors:,} sector{'s' if sectors != 1 else ''})"]
    return [f"on the disc, but {spell_bytes(found.used - found.room)} of the reserve are used"]


def _is_open(item: Item) -> bool:
    """Is it a clip whose bit rate is to be worked out?"""
    return isinstance(item, Clip) and item.picture_rate is None and item.bytes is None


def _sectors(size: int) -> int:
    return ceil(size / SECTOR) * SECTOR


def _fixed(disc: Disc, item: Item) -> Weight:
    if isinstance(item, Screen):
        return _screen(disc, item)
    assert isinstance(item, Clip)  # noqa: S101 - there is no third kind that takes bytes
    rate = item.picture_rate or 0
    wrapper = item.planned[keys.WRAPPER_FORMAT]
    if item.bytes is not None and wrapper in _STREAMS:
        size = ceil(item.bytes * disc.kind.packet)
    else:
        size = _clip_size(disc, item, rate)
    return Weight(
        item=item, bytes=_sectors(size), picture_rate=rate, filled=False, says=tuple(_beyond(disc, item, rate))
    )


def _screen(disc: Disc, item: Screen) -> Weight:
    """A screen: its own bytes where they are known, else the buffer that must hold a still picture."""
    if item.seconds:
        rate = item.picture_rate or disc.kind.picture_ceiling // 2
        size = int(rate * item.seconds / 8 * disc.kind.packet)
        return Weight(item=item, bytes=_sectors(size), picture_rate=rate, filled=False, says=())
    size, most = item.bytes or disc.kind.still, disc.kind.still
    beyond = f"a still picture of {size:,} bytes, above the {most:,} that the buffer of a player holds"
    says = (beyond,) if size > most else ()
    return Weight(item=item, bytes=_sectors(size), picture_rate=None, filled=False, says=says)


def programme_of(clip: Clip) -> Programme:
    """Return a clip as the plan of bits knows it."""
    texts = int(clip.texts * clip.seconds / 60 * _TEXT_BYTES)
    sounds = tuple(one for one in clip.sounds if one.bit_rate > 1)
    return Programme(
        name=clip.name,
        frames=clip.frames,
        rate=clip.rate,
        size=clip.size,
        weight=clip.weight,
        sounds=sounds,
        text_bytes=texts,
    )


def coding_of(disc: Disc) -> Coding:
    """Return how clips are coded on a disc."""
    assert disc.kind.wrapper in WRAPPERS  # noqa: S101 - of our own tables
    return Coding(wrapper=disc.kind.wrapper, codec=disc.kind.codec, group=disc.kind.group)


def _clip_size(disc: Disc, clip: Clip, rate: int) -> int:
    return ceil(file_size(programme_of(clip), rate, coding_of(disc)) * disc.kind.packet)


def sound_rate(clip: Clip) -> int:
    """Return the bits a second of all sound tracks of a clip together."""
    return sum(sound.bit_rate * sound.tracks for sound in clip.sounds)


def ceiling_of(disc: Disc, clip: Clip) -> int:
    """Return the bits a second that the picture of a clip may have: by itself, and together with its sound."""
    return max(min(disc.kind.picture_ceiling, disc.kind.whole_ceiling - sound_rate(clip)), 0)


def _fill(disc: Disc, clips: Sequence[Clip], free: int) -> tuple[list[Weight], list[str]]:
    """Share the free bytes: clips that would go above their ceiling stay at it, and the others get what is over."""
    room = int(Fraction(free) / disc.kind.packet) - SECTOR * len(clips)  # each may fill up its last sector
    says: list[str] = []
    try:
        programmes = [programme_of(one) for one in clips]
        most = [ceiling_of(disc, one) for one in clips]
        found = fit(room, programmes, coding_of(disc), reserve=Fraction(0), most=most)
        rates = {one.id: share.picture_rate for one, share in zip(clips, found.shares, strict=True)}
    except PlanRefused as refused:
        says.append(f"there is no room for the clips without a bit rate: {refused}")
        rates = dict.fromkeys((one.id for one in clips), 0)
    weights = [
        Weight(
            item=one,
            bytes=_sectors(_clip_size(disc, one, rates[one.id])),
            picture_rate=rates[one.id],
            filled=True,
            at_ceiling=0 < ceiling_of(disc, one) <= rates[one.id],
            says=tuple(_beyond(disc, one, rates[one.id])),
        )
        for one in clips
    ]
    return weights, says


def _beyond(disc: Disc, clip: Clip, rate: int) -> list[str]:
    """What a clip goes beyond of what the disc can be read with."""
    kind, sound = disc.kind, sound_rate(clip)
    found = []
    peak = max(rate, clip.peak_rate or 0)
    if peak > kind.picture_ceiling:
        most = spell_bit_rate_exactly(kind.picture_ceiling)
        found.append(f"picture of {spell_bit_rate(peak)}, above the {most} that a disc of this kind gives")
    if peak + sound > kind.whole_ceiling:
        count, most = len(clip.sounds), spell_bit_rate_exactly(kind.whole_ceiling)
        tracks = f"{count} sound track{'s take' if count != 1 else ' takes'} {spell_bit_rate(sound)}"
        found.append(f"picture and sound of {spell_bit_rate_exactly(peak + sound)} together, above {most}: {tracks}")
    return found


def cost_of_plain_sound(disc: Disc, clip: Clip, sound: Sound) -> tuple[int, Fraction]:
    """Return what plain samples of 16 bit would cost instead of a coded track: more bytes, and the share of all that a
    disc can be read with.
    """
    plain = Sound.pcm(channels=sound.channels, bits=16, sample_rate=sound.sample_rate)
    more = ceil((plain.bit_rate - sound.bit_rate) * clip.seconds / 8)
    return more, Fraction(plain.bit_rate, disc.kind.whole_ceiling)
