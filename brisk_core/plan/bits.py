"""Bits: the picture bit rate that fits under a cap, the size that a bit rate makes, the length that a size holds.

Nothing is measured here: sizes are those of the streams that are planned and of the wrapper around them
(``brisk_core.plan.overhead``), in exact numbers. Forward and backward are the same computation, so they agree.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from math import ceil, isqrt

from brisk_core.errors import PlanRefused
from brisk_core.exact import spell_bit_rate, spell_bytes, spell_seconds, spell_size
from brisk_core.plan.overhead import WRAPPERS, Stream, wrapped_size

RESERVE = Fraction(2)  #: percent of a cap that is kept free
_MOST_RATE = 10**12  # bits a second that no plan goes above
#: Samples in a coded frame of sound: ISO/IEC 14496-3, ATSC A/52, ISO/IEC 11172-3 (layers II and III), RFC 6716 (20 ms),
#: RFC 9639 (its usual block).
FRAME_SAMPLES = {"aac": 1024, "ac3": 1536, "eac3": 1536, "mp2": 1152, "mp3": 1152, "opus": 960, "flac": 4608}
INTRA = ("prores", "vc3", "mjpeg", "ffv1", "jpeg2000", "uncompressed")  #: codecs whose every picture stands alone


@dataclass(frozen=True, slots=True, kw_only=True)
class Sound:
    """Tracks of sound of one kind."""

    codec: str  #: as the registry names it, "pcm" for plain samples
    bit_rate: int  #: bits a second of one track
    tracks: int = 1
    channels: int = 2  #: of one track
    sample_rate: int = 48_000

    @classmethod
    def pcm(cls, *, channels: int, bits: int, sample_rate: int = 48_000, tracks: int = 1) -> Sound:
        """Plain samples: their bit rate is what they are."""
        rate = channels * bits * sample_rate
        return cls(codec="pcm", bit_rate=rate, tracks=tracks, channels=channels, sample_rate=sample_rate)


@dataclass(frozen=True, slots=True, kw_only=True)
class Programme:
    """A file that is planned, without the bit rate of its picture."""

    name: str
    frames: int
    rate: Fraction
    size: tuple[int, int]
    weight: Fraction = Fraction(1)  #: bits a pixel over those of the others
    sounds: tuple[Sound, ...] = ()
    text_bytes: int = 0  #: of text tracks

    @property
    def seconds(self) -> Fraction:
        """Its length."""
        return self.frames / self.rate

    @property
    def pixels_a_second(self) -> Fraction:
        """Pixels that are coded in a second."""
        return self.size[0] * self.size[1] * self.rate


@dataclass(frozen=True, slots=True, kw_only=True)
class Coding:
    """How all files of a plan are coded and wrapped."""

    wrapper: str = "mp4"
    codec: str = "avc"
    group: Fraction = Fraction(2)  #: seconds between random access points
    reorders: bool = True  #: are pictures coded in another order than they are shown?


@dataclass(frozen=True, slots=True, kw_only=True)
class Share:
    """What one file gets."""

    programme: Programme
    picture_rate: int  #: bits a second
    size: int  #: bytes of the file
    overhead: int  #: bytes of it that the wrapper adds

    @property
    def bits_a_pixel(self) -> Fraction:
        """Bits of the picture over its pixels."""
        return self.picture_rate / self.programme.pixels_a_second


@dataclass(frozen=True, slots=True, kw_only=True)
class Fit:
    """The greatest bit rates with which files fit together under a cap."""

    cap: int  #: bytes
    room: int  #: bytes of the cap that may be used
    shares: tuple[Share, ...]

    @property
    def size(self) -> int:
        """Bytes of all files together."""
        return sum(share.size for share in self.shares)

    @property
    def left(self) -> int:
        """Bytes of the cap that stay free, the reserve among them."""
        return self.cap - self.size


def streams_of(programme: Programme, picture_rate: int | Fraction, coding: Coding) -> list[Stream]:
    """Return the streams of a planned file."""
    seconds = programme.seconds
    intra = coding.codec in INTRA
    groups = programme.frames if intra else min(ceil(seconds / coding.group), programme.frames)
    picture = Stream(
        kind="picture",
        codec=coding.codec,
        packets=programme.frames,
        size=picture_rate * seconds / 8,
        seconds=seconds,
        random_access=groups,
        reorders=coding.reorders and not intra,
    )
    sounds = [_sound_stream(sound, programme) for sound in programme.sounds for _ in range(sound.tracks)]
    texts = []
    if programme.text_bytes:
        size = Fraction(programme.text_bytes)
        texts = [Stream(kind="text", codec="text", packets=ceil(seconds / 3), size=size, seconds=seconds)]
    return [picture, *sounds, *texts]


def _sound_stream(sound: Sound, programme: Programme) -> Stream:
    seconds, samples = programme.seconds, FRAME_SAMPLES.get(sound.codec)
    packets = ceil(seconds * sound.sample_rate / samples) if samples else programme.frames
    return Stream(
        kind="sound",
        codec=sound.codec,
        packets=packets,
        size=sound.bit_rate * seconds / 8,
        seconds=seconds,
    )


def file_size(programme: Programme, picture_rate: int | Fraction, coding: Coding) -> int:
    """Return the bytes of a planned file. Raises ``PlanRefused`` for what cannot be planned."""
    _check(programme, coding)
    if not 0 <= picture_rate <= _MOST_RATE:
        raise PlanRefused(f"met a picture bit rate of {picture_rate} bit/s; expected 0 to {_MOST_RATE}")
    return wrapped_size(coding.wrapper, streams_of(programme, picture_rate, coding))


def fit(
    cap: int,
    programmes: Sequence[Programme],
    coding: Coding,
    *,
    reserve: Fraction = RESERVE,
    most: Sequence[int | None] = (),
) -> Fit:
    """Return the greatest picture bit rates with which all files fit under a cap of bytes, at equal bits a pixel.

    Shares go by pixels, rate, length and weight. ``reserve`` is the percent of the cap that stays free. ``most`` are
    bit rates that files do not go above, in their order; the others get what those leave. Raises ``PlanRefused`` when
    sound, texts and wrappers alone are too large, and for what cannot be planned.
    """
    if not programmes:
        raise PlanRefused("there is nothing to plan; expected at least one programme")
    if not 0 <= reserve < 100:
        raise PlanRefused(f"met a reserve of {float(reserve):g} %; expected 0 up to less than 100")
    if cap <= 0:
        raise PlanRefused(f"met a cap of {cap} bytes; expected more than none")
    for programme in programmes:
        _check(programme, coding)
    room = int(cap * (100 - reserve) / 100)
    without = sum(file_size(one, 0, coding) for one in programmes)
    if without > room:
        raise PlanRefused(
            f"sound, texts and wrapper alone take {spell_bytes(without)}; {spell_bytes(room)} may be used"
        )
    ceilings = list(most) or [None] * len(programmes)
    rates: dict[int, int] = {}  # by place
    while len(rates) < len(programmes):
        waiting = [at for at in range(len(programmes)) if at not in rates]
        taken = sum(file_size(programmes[at], rate, coding) for at, rate in rates.items())
        found = _equal_shares(room - taken, [programmes[at] for at in waiting], coding)
        high = {
            at: ceiling
            for at, rate in zip(waiting, found, strict=True)
            if (ceiling := ceilings[at]) is not None and rate >= ceiling
        }
        rates |= high or dict(zip(waiting, found, strict=True))
    shares = tuple(share_of(one, rates[at], coding) for at, one in enumerate(programmes))
    return Fit(cap=cap, room=room, shares=shares)


def _equal_shares(room: int, programmes: Sequence[Programme], coding: Coding) -> list[int]:
    """The greatest picture bit rates with which files fit into some bytes, at equal bits a pixel by their weights."""
    largest = max(one.pixels_a_second * one.weight for one in programmes)

    def rates(top: int) -> list[int]:
        return [int(top * one.pixels_a_second * one.weight / largest) for one in programmes]

    def size(top: int) -> int:
        return sum(file_size(one, rate, coding) for one, rate in zip(programmes, rates(top), strict=True))

    return rates(_greatest(lambda rate: size(rate) <= room))


def share_of(programme: Programme, rate: int, coding: Coding) -> Share:
    """Return what a planned file takes with a picture bit rate; raises ``PlanRefused`` for what cannot be planned."""
    size = file_size(programme, rate, coding)
    payload = sum((stream.size for stream in streams_of(programme, rate, coding)), Fraction(0))
    return Share(programme=programme, picture_rate=rate, size=size, overhead=size - int(payload))


def longest(cap: int, programme: Programme, picture_rate: int, coding: Coding, *, reserve: Fraction = RESERVE) -> int:
    """Return how many frames of a programme fit under a cap with a picture bit rate, 0 where not even one does."""
    room = int(cap * (100 - reserve) / 100)
    _check(programme, coding)
    return _greatest(
        lambda frames: not frames or file_size(replace(programme, frames=frames), picture_rate, coding) <= room,
        most=10**9,
    )


def _greatest(holds: Callable[[int], bool], most: int = _MOST_RATE) -> int:
    """Return the greatest whole number up to ``most`` that holds; what holds for one holds for all below it."""
    low, high = 0, most
    while low < high:
        middle = (low + high + 1) // 2
        if holds(middle):
            low = middle
        else:
            high = middle - 1
    return low


def _check(programme: Programme, coding: Coding) -> None:
    met: list[tuple[bool, str]] = [
        (coding.wrapper in WRAPPERS, f"met wrapper {coding.wrapper!r}; expected one of {', '.join(WRAPPERS)}"),
        (coding.group > 0, "a group of pictures has no length; expected more than 0 s"),
        (programme.frames > 0, f"{programme.name} has {programme.frames} frames; expected at least one"),
        (programme.rate > 0, f"{programme.name} has no frame rate; expected more than 0"),
        (min(programme.size) > 0, f"{programme.name} is {spell_size(programme.size)}; expected a size in pixels"),
        (programme.weight > 0, f"{programme.name} has no weight; expected more than 0"),
        (
            programme.text_bytes >= 0,
            f"{programme.name} has {programme.text_bytes} bytes of texts; expected none or more",
        ),
        *(
            (
                sound.bit_rate > 0 and sound.tracks > 0 and sound.sample_rate > 0,
                f"the {sound.codec} sound of {programme.name} has no bit rate, track or sample rate; expected each",
            )
            for sound in programme.sounds
        ),
    ]
    wrong = [says for right, says in met if not right]
    if wrong:
        raise PlanRefused("; ".join(wrong))


def ways_up(cap: int, share: Share, least: int, coding: Coding, *, reserve: Fraction = RESERVE) -> list[str]:
    """Return what would bring a picture to a least bit rate under the same cap: a shorter file, fewer pictures, smaller
    ones. Each as a sentence's part; empty where the rate is reached.
    """
    programme = share.programme
    if share.picture_rate >= least:
        return []
    found: list[str] = []
    frames = longest(cap, programme, least, coding, reserve=reserve)
    if frames:
        found.append(f"{spell_seconds(frames / programme.rate)} of it would fit at {spell_bit_rate(least)}")
    lack = Fraction(share.picture_rate, least)
    if share.picture_rate:
        keep = ceil(1 / lack)
        found.append(f"with 1 picture in {keep} kept, each would have as many bits")
        scale = isqrt(int(lack * 10**8)) / 10_000
        across, down = (max(int(side * scale) // 8 * 8, 8) for side in programme.size)
        found.append(f"at {spell_size((across, down))}, each pixel would")
    return found
