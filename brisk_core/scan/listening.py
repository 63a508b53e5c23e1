"""Listening to a decoder: what it conceals it says, but only to those who ask."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import av.logging

#: What a decoder says of references that lie before the place where decoding began; there it is no fault of the file.
_OF_EARLIER = ("unref short failure", "co located POCs", "reference picture missing", "Missing reference", "mmco")
_alone = threading.Lock()  # the library has one list of messages for a process


def prepare(decoder: Any) -> None:
    """Have a decoder check the sums that the stream carries, in one thread: what several say cannot be told apart."""
    decoder.thread_count = 1
    decoder.options = {**decoder.options, "err_detect": "crccheck"}


class Listener:
    """Collects the complaints of decoders while packets are decoded, one packet at a time.

    Only decoders that work in the thread that asks, or whose threads rest between packets, may be listened to: the
    library's messages need the interpreter, which whoever closes a decoder holds.
    """

    def __init__(self, said: list[tuple[int, str, str]]) -> None:
        self._said = said

    def forget(self) -> None:
        """Leave out what was said until now."""
        self._said.clear()

    def complaints(self, *, earlier: bool = False) -> list[str]:
        """Return what was said since the last call; with ``earlier`` lost references do not count."""
        told = [message.strip() for _, _, message in self._said]
        self._said.clear()
        return [one for one in told if not (earlier and any(words in one for words in _OF_EARLIER))]


@contextmanager
def listening() -> Iterator[Listener]:
    """Give a listener for the errors of the decoding library; one part of a process listens at a time."""
    with _alone:
        level, repeats = av.logging.get_level(), av.logging.get_skip_repeated()
        av.logging.set_skip_repeated(False)
        av.logging.set_level(av.logging.ERROR)
        capture: Any = av.logging.Capture(local=False)
        try:
            with capture as said:
                yield Listener(said)
        finally:
            av.logging.set_level(level)
            av.logging.set_skip_repeated(repeats)
