"""What the decoding library tells of a container: everything that no own reader of this package reads yet."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from fractions import Fraction
from typing import Any

import av
from av.container import InputContainer

from brisk_core.errors import UnreadableFile, ValueRefused
from brisk_core.exact import Timecode
from brisk_core.reading.source import Source

#: Demuxers that may open a file. Play lists and the like, which would open further files or addresses, are not here.
_FORMATS = (
    "mov,mp4,m4a,3gp,3g2,mj2,matroska,webm,mxf,mpegts,mpeg,mpegvideo,avi,wav,w64,h264,hevc,obu,ivf,aac,ac3,eac3,mp3,"
    "flac,ogg,dv,gxf,aiff,m4v,vc1,dnxhd,flv,asf,yuv4mpegpipe"
)

_CODECS = {
    "h264": "avc",
    "hevc": "hevc",
    "mpeg2video": "mpeg2",
    "mpeg1video": "mpeg1",
    "mpeg4": "mpeg4",
    "prores": "prores",
    "dnxhd": "vc3",
    "ffv1": "ffv1",
    "jpeg2000": "jpeg2000",
    "mjpeg": "mjpeg",
    "rawvideo": "raw",
    "v210": "v210",
    "dvvideo": "dv",
    "vp8": "vp8",
    "vp9": "vp9",
    "av1": "av1",
    "libdav1d": "av1",
}
_CAPTION_DATA = ("cc_dec", "eia_608")  # the library's names of line 21
_PCM = re.compile(r"pcm_(?:[suf])(\d+)\w*|pcm_(bluray|dvd)")


@contextmanager
def open_container(source: Source) -> Iterator[InputContainer]:
    """Open a file with the decoding library, which may read nothing but it; raises ``UnreadableFile``."""
    options = {"format_whitelist": _FORMATS, "protocol_whitelist": "file"}
    file = None if source.local_path else source.open()
    try:
        container: Any = av.open(
            file or f"file:{source.local_path}",
            container_options=options,
            metadata_errors="replace",
        )
    except (av.FFmpegError, ValueError, IndexError, MemoryError, OSError) as error:
        raise UnreadableFile(f"no wrapper that is known opens it ({_reason(error)})") from error
    try:
        yield container
    finally:
        container.close()
        if file:
            file.close()


def is_caption_data(stream: Any) -> bool:
    """Is this a track of line-21 pairs, which the library calls text?"""
    return stream.type == "subtitle" and bool(stream.codec_context) and stream.codec_context.name in _CAPTION_DATA


def text_tracks(container: InputContainer) -> list[Any]:
    """Return the tracks of text or of pictures of text, those of caption data left out."""
    return [stream for stream in container.streams.subtitles if not is_caption_data(stream)]


def picture_start(container: Any) -> Fraction:
    """Return when the first picture track starts, in seconds; 0 for what starts before zero and without a picture."""
    video = container.streams.video
    if not video or video[0].start_time is None:
        return Fraction(0)
    return max(Fraction(video[0].start_time * video[0].time_base), Fraction(0))


def _reason(error: Exception) -> str:
    return str(getattr(error, "strerror", None) or error).split(":")[0].strip().lower() or type(error).__name__


def picture_codec(name: str) -> str:
    """Return the registry's name of a picture codec."""
    return _CODECS.get(name, "other")


def sound_codec(name: str) -> str:
    """Return the plain name of a sound codec: every linear PCM is ``pcm``."""
    if name.startswith("pcm_"):
        return "pcm"
    return {"libopus": "opus", "mp3float": "mp3", "libvorbis": "vorbis"}.get(name, name)


def plain_codec(kind: str, name: str) -> str:
    """Return the plain name of a stream's codec, by the library's kind of stream."""
    return picture_codec(name) if kind == "video" else sound_codec(name) if kind == "audio" else name


def pcm_bits(name: str) -> int | None:
    """Return the sample depth in a PCM codec's name."""
    match = _PCM.fullmatch(name)
    return int(match[1]) if match and match[1] else None


def pixel_facts(context: Any) -> tuple[str | None, int | None, str | None]:
    """Return chroma subsampling, bit depth and alpha of a picture stream's pixel format."""
    pixels = context.format
    if pixels is None:
        return None, None, None
    depth = max(component.bits for component in pixels.components)
    alpha = "present" if any(component.is_alpha for component in pixels.components) else "none"
    if pixels.is_rgb or len(pixels.components) < 3:
        return ("4:4:4" if pixels.is_rgb else "4:0:0"), depth, alpha
    across, down = 16 // pixels.chroma_width(16), 16 // pixels.chroma_height(16)
    return {(1, 1): "4:4:4", (2, 1): "4:2:2", (2, 2): "4:2:0", (4, 1): "4:1:1"}.get((across, down)), depth, alpha


def start_timecode(container: InputContainer, rate: Fraction | None) -> Timecode | None:
    """Return the start timecode in the metadata of the container or of its streams, ``None`` for none."""
    if rate is None:
        return None
    for metadata in (container.metadata, *(stream.metadata for stream in container.streams)):
        if text := metadata.get("timecode"):
            try:
                return Timecode.parse(text, rate)
            except ValueRefused:
                continue
    return None


def layout_name(context: Any) -> str | None:
    """Return the loudspeaker layout of a sound stream, ``None`` where it is not known."""
    name = str(getattr(context.layout, "name", "") or "")
    if not name or "channels" in name:
        return {1: "mono", 2: "stereo"}.get(context.channels)
    return name.split("(")[0]
