"""A few seconds around a place as a small copy that every browser plays, with sound and the timecode in the picture."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from PIL import Image, ImageDraw, ImageFont

from brisk_core.errors import UnreadableFile
from brisk_core.frames.find import exact_frames
from brisk_core.packets import load_series
from brisk_core.reading import Source, open_container
from brisk_core.reading.shown import frame_aspect, shown_size, to_image
from brisk_core.whole_file import written_whole

WIDEST = 640  #: samples
MOST_SECONDS = 12
_SOUND_RATE = 48000
_LETTERS = 18
_OPTIONS = {"deadline": "realtime", "cpu-used": "8", "b": "1800000", "g": "25"}


def write_clip(
    source: Source, series_path: Path, first: int, count: int, rate: Fraction, label: Callable[[int], str], path: Path
) -> int:
    """Write frames ``first`` to ``first + count`` with their sound as WebM; return how many pictures were written.

    ``label`` gives the text that is put into each picture. Raises ``UnreadableFile`` when no picture can be decoded.
    """
    series = load_series(series_path)
    count = min(count, len(series) - first, round(MOST_SECONDS * rate))
    pts = series.presented_pts()
    start = int(pts[first]) * series.time_base
    path.parent.mkdir(parents=True, exist_ok=True)
    written = 0
    with written_whole(path) as unfinished, av.open(str(unfinished), "w", format="webm") as target:
        picture: Any = None
        sound = _sound_stream(source, target)
        for number, frame in exact_frames(source, series_path, range(first, first + count)):
            size = shown_size(frame.width, frame.height, frame_aspect(frame), WIDEST)
            size = size[0] // 2 * 2, size[1] // 2 * 2
            if picture is None:
                picture = target.add_stream("libvpx", rate=rate)
                picture.width, picture.height = size
                picture.pix_fmt = "yuv420p"
                picture.options = dict(_OPTIONS)
                picture.codec_context.time_base = 1 / rate
            image = to_image(frame, size)
            _write(image, label(number))
            out = av.VideoFrame.from_ndarray(np.asarray(image), format="rgb24")
            out.pts, out.time_base = number - first, 1 / rate
            target.mux(picture.encode(out))
            written += 1
        if picture is None:
            raise UnreadableFile("no picture of this stretch can be decoded")
        target.mux(picture.encode(None))
        if sound is not None:
            _copy_sound(source, target, sound, start, start + count / rate)
    return written


def _write(image: Image.Image, text: str) -> None:
    draw = ImageDraw.Draw(image)
    font = ImageFont.load_default(_LETTERS)
    box = draw.textbbox((0, 0), text, font=font)
    left, top = 8, image.height - _LETTERS - 12
    draw.rectangle((left - 4, top - 2, left + box[2] + 4, top + box[3] + 4), fill=(0, 0, 0))
    draw.text((left, top), text, font=font, fill=(255, 255, 255))


def _sound_stream(source: Source, target: Any) -> Any:
    with open_container(source) as container:
        if not container.streams.audio:
            return None
    stream = target.add_stream("libopus", rate=_SOUND_RATE)
    stream.layout = "stereo"
    return stream


def _copy_sound(source: Source, target: Any, stream: Any, start: Fraction, end: Fraction) -> None:
    """Encode the first track between two times in seconds; a place that cannot be decoded stays silent."""
    resampler = av.AudioResampler(format="flt", layout="stereo", rate=_SOUND_RATE)
    with open_container(source) as container:
        track: Any = container.streams.audio[0]
        container.seek(max(int((start - 1) / track.time_base), 0), stream=track, backward=True)
        try:
            frame: Any
            for frame in container.decode(track):
                time = float(frame.pts * frame.time_base) if frame.pts is not None else float(start)
                if time >= end:
                    break
                if time + frame.samples / frame.sample_rate <= start:
                    continue
                for out in resampler.resample(frame):
                    out.pts = max(round((time - float(start)) * _SOUND_RATE), 0)
                    out.time_base = Fraction(1, _SOUND_RATE)
                    target.mux(stream.encode(out))
        except (av.FFmpegError, ValueError):
            pass
        target.mux(stream.encode(None))
