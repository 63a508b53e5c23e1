"""Pictures of a file beside the pictures of the master that they should show."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from dataclasses import dataclass

from brisk_core.frames import Film, Still, stills


@dataclass(frozen=True, slots=True, kw_only=True)
class Pair:
    """A picture of the file and the one of the master."""

    own: Still
    other: Still


def paired(
    file: Film, master: Film, wanted: Iterable[tuple[int, int]], widest: int, *, colour: bool = False
) -> Iterator[Pair]:
    """Yield pairs of pictures, file frame and master frame, in ascending order of the file's; those that cannot be
    decoded are left out. Each file's next picture is decoded while a pair is looked at.
    """
    for piece in _rising(sorted(set(wanted))):
        with (
            closing(_Walk(file, [one for one, _ in piece], widest, colour=colour)) as own,
            closing(_Walk(master, [two for _, two in piece], widest, colour=colour)) as others,
        ):
            for frame, place in piece:
                one, other = own.at(frame), others.at(place)
                if one is not None and other is not None:
                    yield Pair(own=one, other=other)


def _rising(wanted: Sequence[tuple[int, int]]) -> list[list[tuple[int, int]]]:
    """Pairs in ascending order of the file's frames, in pieces along which the master's ascend as well."""
    pieces: list[list[tuple[int, int]]] = []
    for frame, place in wanted:
        if pieces and pieces[-1][-1][1] <= place:
            pieces[-1].append((frame, place))
        else:
            pieces.append([(frame, place)])
    return pieces


class _Walk:
    """Pictures in ascending order, asked for in ascending order; the next one is decoded meanwhile.

    Each file has one thread of its own: decoders that share their work among more take a fifth longer in all.
    """

    def __init__(self, film: Film, numbers: Sequence[int], widest: int, *, colour: bool) -> None:
        self._pictures = stills(film, numbers, widest, colour=colour, threads=1)
        self._pool = ThreadPoolExecutor(1)
        self._following = self._pool.submit(next, self._pictures, None)
        self._at: Still | None = None

    def at(self, number: int) -> Still | None:
        """Return a picture by its number, ``None`` where it cannot be decoded."""
        while self._at is None or self._at.number < number:
            following = self._following.result()
            if following is None:
                return None
            self._at = following
            self._following = self._pool.submit(next, self._pictures, None)
        return self._at if self._at.number == number else None

    def close(self) -> None:
        """Close the file."""
        self._pool.shutdown()
        self._pictures.close()
