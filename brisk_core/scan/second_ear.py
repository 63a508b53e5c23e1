"""A second decoder that listens along, for codecs whose first one takes whatever its arithmetic coder makes of a
damaged packet. The reference decoder of VP8 and VP9 checks its headers, tiles and padding, and refuses.
"""

from __future__ import annotations

from typing import Any

import av

_OTHERS = {"vp9": "libvpx-vp9", "vp8": "libvpx"}  #: by the codec's name in the library


class SecondEar:
    """Decodes the packets of a stream once more, and says which of them it refuses.

    From a refused packet to the next random access point it is not asked: what it would say comes from the same damage.
    """

    def __init__(self, decoder: str, extradata: bytes | None) -> None:
        self._decoder = decoder
        self._extradata = extradata
        self._context: Any = None  # none until a random access point

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
            self._context.decode(packet)
        except (av.FFmpegError, ValueError):
            self._context = None
            return True
        return False
