"""The smaller copies that a site makes of what it is sent: scaled, thinned to its rate, coded anew by PyAV."""

from __future__ import annotations

from collections.abc import Iterator, Set
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

_MOST_RATE = 30  # pictures a second; of more, every second one is dropped
_SOUND_RATE = 48_000
_LATE = _SOUND_RATE // 5  # samples that late sound is late
_BITS_OF_SOUND = 96_000


@dataclass(frozen=True, slots=True)
class Rung:
    """One copy of the ladder."""

    height: int
    bit_rate: int  #: bit/s of its picture

    @property
    def label(self) -> str:
        """Return what it is called."""
        return f"{self.height}p"


LADDER = (Rung(180, 200_000), Rung(360, 700_000), Rung(720, 2_500_000), Rung(1080, 5_000_000))


def rungs_for(height: int) -> list[Rung]:
    """Return the copies that a file of some height gets, small ones first: never larger than itself, at least one."""
    own = Rung(height - height % 2, LADDER[0].bit_rate)
    return [rung for rung in LADDER if rung.height <= height] or [own]


def encode_copy(source: Path, path: Path, rung: Rung, faults: Set[str] = frozenset()) -> dict[str, Any]:
    """Write a copy as MP4 (AVC, AAC); return its size, rate, codec and bytes.

    ``faults``: ``levels`` narrows levels that are narrow already, ``late`` lets the sound come 200 ms late, ``wrong``
    turns the picture into another one.
    """
    old: Any
    new: Any
    with av.open(str(source)) as old, av.open(str(path), "w", options={"movflags": "+faststart"}) as new:
        pictures = old.streams.video[0]
        rate = Fraction(pictures.average_rate)
        step = 2 if rate > _MOST_RATE else 1
        shape = Fraction(pictures.width, pictures.height) * (pictures.sample_aspect_ratio or 1)
        width = round(rung.height * shape / 2) * 2
        out = new.add_stream("libx264", rate=rate / step)
        out.width, out.height, out.pix_fmt = width, rung.height, "yuv420p"
        out.bit_rate, out.options = rung.bit_rate, {"preset": "veryfast", "g": str(round(rate / step) * 2)}
        out.time_base = step / rate
        sound = old.streams.audio[0] if old.streams.audio else None
        heard = new.add_stream("aac", rate=_SOUND_RATE) if sound else None
        if heard is not None:
            heard.layout, heard.bit_rate = "stereo", _BITS_OF_SOUND
            _copy_sound(old, sound, new, heard, _LATE if "late" in faults else 0)
            old.seek(0)
        for number, picture in enumerate(_decoded(old, pictures)):
            if number % step:
                continue
            small = picture.reformat(width=width, height=rung.height, format="yuv420p", interpolation="BICUBIC")
            small = _spoilt(small, faults)
            small.pts, small.time_base = number // step, step / rate
            new.mux(out.encode(small))
        new.mux(out.encode(None))
    size = path.stat().st_size
    return {"width": width, "height": rung.height, "rate": str(rate / step), "codec": "avc", "bytes": size}


def _decoded(container: Any, stream: Any) -> Iterator[Any]:
    yield from container.decode(stream)


def _copy_sound(old: Any, sound: Any, new: Any, heard: Any, late: int) -> None:
    resampler = av.AudioResampler(format="fltp", layout="stereo", rate=_SOUND_RATE, frame_size=1024)
    at = late
    if late:
        _mux_sound(new, heard, np.zeros((2, late), np.float32), 0)
    for frame in old.decode(sound):
        if frame.pts is not None and frame.pts < 0:
            continue  # the lead-in of its coder
        for part in resampler.resample(frame):
            at = _mux_sound(new, heard, part.to_ndarray(), at)
    for part in resampler.resample(None):
        at = _mux_sound(new, heard, part.to_ndarray(), at)
    new.mux(heard.encode(None))


def _mux_sound(new: Any, heard: Any, samples: Any, at: int) -> int:
    frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples), format="fltp", layout="stereo")
    frame.sample_rate, frame.pts, frame.time_base = _SOUND_RATE, at, Fraction(1, _SOUND_RATE)
    new.mux(heard.encode(frame))
    return at + int(samples.shape[1])


def _spoilt(picture: Any, faults: Set[str]) -> Any:
    if not faults & {"levels", "wrong"}:
        return picture
    planes = picture.to_ndarray()
    luma = planes[: picture.height].astype(np.float32)
    if "levels" in faults:
        luma = luma * (219 / 255) + 16
    if "wrong" in faults:
        luma = 235 - luma[::-1] * 0.5 - np.linspace(0, 100, luma.shape[1])[None, :]
    planes[: picture.height] = np.clip(luma, 16, 235).astype(np.uint8)
    return av.VideoFrame.from_ndarray(planes, format="yuv420p")
