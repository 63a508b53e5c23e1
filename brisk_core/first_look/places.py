"""Where a first look is taken: at even distances over the whole length, fewer where pictures are large."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import av

MOST_PICTURES, FEWEST_PICTURES = 240, 40
_SAMPLES = 1920 * 1080  # of a picture of which so many are looked at
BURSTS, BURST = 12, 8  #: places at which pictures in a row are looked at, and how many they are
SOUNDS, SOUND_S = 60, 0.4  #: places at which sound is heard, and for how long
#: What the library raises for what it cannot read.
UNREADABLE = (av.FFmpegError, ValueError, IndexError, OverflowError)
_LONGEST_WAIT = 600  # packets that may pass before a picture comes


def even_places(duration: float, count: int) -> list[float]:
    """Return so many seconds, each in the middle of its stretch."""
    return [(at + 0.5) * duration / count for at in range(count)]


def picture_count(size: tuple[int, int]) -> int:
    """Return at how many key pictures of a size is looked."""
    share = _SAMPLES / max(size[0] * size[1], 1)
    return round(min(max(MOST_PICTURES * share, FEWEST_PICTURES), MOST_PICTURES))


def packets_from(container: Any, stream: Any, second: float, start: float) -> Iterator[Any]:
    """Yield packets from the random access point before a place on, ``second`` after ``start``, if there is one."""
    container.seek(int((start + second) / stream.time_base), stream=stream, backward=True)
    begun = False
    for waited, packet in enumerate(container.demux(stream)):
        if waited > _LONGEST_WAIT or packet.dts is None:
            return
        begun = begun or packet.is_keyframe  # without an index a seek lands anywhere
        if begun:
            yield packet


def key_picture(container: Any, stream: Any, second: float, start: float, known: int | None) -> tuple[Any, int | None]:
    """Decode the picture of the random access point before a place alone, without those that depend on it.

    Returns it and the time of its packet; ``None`` and that time where it is the one of ``known``, twice ``None`` where
    there is none that can be decoded.
    """
    try:
        packet = next(packets_from(container, stream, second, start), None)
        if packet is None:
            return None, None
        if known is not None and packet.dts == known:
            return None, known
        frames = [*packet.decode(), *stream.codec_context.decode(None)]
        return (frames[0], packet.dts) if frames else (None, None)
    except UNREADABLE:
        return None, None
    finally:
        stream.codec_context.flush_buffers()


def pictures_in_a_row(container: Any, stream: Any, second: float, start: float, count: int) -> Iterator[Any]:
    """Yield pictures from the random access point before a place on, as many as can be decoded."""
    given = 0
    try:
        for packet in packets_from(container, stream, second, start):
            for frame in packet.decode():
                yield frame
                given += 1
                if given == count:
                    return
    except UNREADABLE:
        return
    finally:
        stream.codec_context.flush_buffers()
