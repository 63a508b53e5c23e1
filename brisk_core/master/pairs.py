"""Pictures of a file beside the pictures of the master that they should show."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from brisk_core.frames import Film, Still, stills

_AT_ONCE = 64  # pairs held in memory; a longer run spares decoding from the random access point before it again


@dataclass(frozen=True, slots=True, kw_only=True)
class Pair:
    """A picture of the file and the one of the master."""

    own: Still
    other: Still


def paired(
    file: Film, master: Film, wanted: Sequence[tuple[int, int]], widest: int, *, colour: bool = False
) -> Iterator[Pair]:
    """Yield pairs of pictures, file frame and master frame, in ascending order of the file's; those that cannot be
    decoded are left out. The master's pictures are walked beside the file's, so few are held at a time.
    """
    wanted = sorted(set(wanted))
    for at in range(0, len(wanted), _AT_ONCE):
        some = wanted[at : at + _AT_ONCE]
        others = {still.number: still for still in stills(master, [two for _, two in some], widest, colour=colour)}
        own = {still.number: still for still in stills(file, [one for one, _ in some], widest, colour=colour)}
        for frame, other in some:
            if frame in own and other in others:
                yield Pair(own=own[frame], other=others[other])
