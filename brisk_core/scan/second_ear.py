"""A second decoder that listens along, for codecs whose first one takes whatever its arithmetic coder makes of a
damaged packet. The reference decoder of VP8 and VP9 checks its headers, tiles and padding, and refuses. It also decodes
the alpha that lies beside a picture in Matroska (a block addition of the same codec), which the first one leaves out.
"""

from __future__ import annotations

from typing import Any

import av

_MOST_BESIDE = 64  # pictures with alpha that wait for the first decoder
_OTHERS = {"vp9": "libvpx-vp9", "vp8": "libvpx"}  #: by the codec's name in the library


class SecondEar:
    """Decodes the packets of a stream once more, and says which of them it refuses.

    From a refused packet to the next random access point it is not asked: what it would say comes from the same damage.
    """

    def __init__(self, decoder: str, extradata: bytes | None) -> None:
        self._decoder = decoder
        self._extradata = extradata
        self._context: Any = None  # none until a random access point
        self._beside: dict[int, Any] = {}  # pictures with alpha, by their times

    @classmethod
    def of(cls, context: Any) -> SecondEar | None:
        """Return one for the codec of a context, ``None`` where the library has no other decoder."""
        decoder = _OTHERS.get(context.codec.canonical_name)
        if decoder is None or decoder == context.name or decoder not in av.codec.codecs_available:
            return None
        return cls(decoder, context.extradata)

    def refuses(self, packet: Any) -> bool:
        """Decode a packet; return whether the decoder cannot."""
        if packet.is_keyframe and self._context is None:
            self._context = av.codec.CodecContext.create(self._decoder, "r")
            self._context.thread_count = 1
            self._context.extradata = self._extradata
        if self._context is None or not packet.size:
            return False
        try:
            frames = self._context.decode(packet)
        except (av.FFmpegError, ValueError):
            self._context = None
            return True
        for frame in frames:
            if frame.pts is not None and any(component.is_alpha for component in frame.format.components):
                self._beside[frame.pts] = frame
        while len(self._beside) > _MOST_BESIDE:
            del self._beside[next(iter(self._beside))]
        return False

    def with_alpha(self, time: int) -> Any:
        """Return the picture of a time, in ticks of its track, with the alpha beside it; ``None`` for none."""
        return self._beside.pop(time, None)
