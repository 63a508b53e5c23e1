"""Where a first look is taken: at even distances over the whole length, fewer where pictures are large."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import av

MOST_PICTURES, FEWEST_PICTURES = 240, 40
_SAMPLES = 1920 * 1080  # of a picture of which so many are looked at
BURSTS, BURST = 12, 8  #: places at which pictures in a row are looked at, and how many they are
SOUNDS, SOUND_S = 60, 0.4  #: places at which sound is heard, and for how long
_LONGEST_WAIT = 600  # packets that may pass before a picture comes


def even_places(duration: float, count: int) -> list[float]:
    """Return so many seconds, each in the middle of its stretch."""
    return [(at + 0.5) * duration / count for at in range(count)]


def picture_count(size: tuple[int, int]) -> int:
    """Return at how many key pictures of a size is looked."""
    share = _SAMPLES / max(size[0] * size[1], 1)
    return round(min(max(MOST_PICTURES * share, FEWEST_PICTURES), MOST_PICTURES))


def pictures_from(container: Any, stream: Any, second: float, start: float, count: int = 1) -> Iterator[Any]:
    """Yield pictures in a row from the random access point before a place, ``second`` after ``start``; none where they
    cannot be decoded. One picture is decoded alone, without those that depend on it.
    """
    try:
        container.seek(int((start + second) / stream.time_base), stream=stream, backward=True)
        given, begun = 0, False
        for waited, packet in enumerate(container.demux(stream)):
            if waited > _LONGEST_WAIT or packet.dts is None:
                return
            begun = begun or packet.is_keyframe  # without an index a seek lands anywhere
            if not begun:
                continue
            for frame in packet.decode():
                yield frame
                given += 1
                if given == count:
                    return
            if count == 1:
                for frame in stream.codec_context.decode(None):
                    yield frame
                    return
    except (av.FFmpegError, ValueError, IndexError, UnicodeDecodeError):
        return
    finally:
        if stream.codec_context is not None:
            stream.codec_context.flush_buffers()
