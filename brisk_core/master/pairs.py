"""Pictures of a file beside the pictures of the master that they should show."""

from __future__ import annotations

from collections.abc import Generator, Iterable, Iterator, Sequence
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
    decoded are left out. The next pair is decoded while one is looked at; two are held at a time.
    """
    pairs = _paired(file, master, wanted, widest, colour=colour)
    with closing(pairs), ThreadPoolExecutor(1) as pool:
        following = pool.submit(next, pairs, None)
        while (pair := following.result()) is not None:
            following = pool.submit(next, pairs, None)
            yield pair


def _paired(
    file: Film, master: Film, wanted: Iterable[tuple[int, int]], widest: int, *, colour: bool
) -> Generator[Pair, None, None]:
    """The pairs, both files walked side by side."""
    for piece in _rising(sorted(set(wanted))):
        with (
            closing(_Walk(stills(file, [one for one, _ in piece], widest, colour=colour))) as own,
            closing(_Walk(stills(master, [two for _, two in piece], widest, colour=colour))) as others,
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
    """Pictures in ascending order, asked for in ascending order."""

    def __init__(self, pictures: Generator[Still, None, None]) -> None:
        self._pictures = pictures
        self._at: Still | None = None

    def at(self, number: int) -> Still | None:
        """Return a picture by its number, ``None`` where it cannot be decoded."""
        while self._at is None or self._at.number < number:
            following = next(self._pictures, None)
            if following is None:
                return None
            self._at = following
        return self._at if self._at.number == number else None

    def close(self) -> None:
        """Close the file."""
        self._pictures.close()
