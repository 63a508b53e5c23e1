"""What all picture meters have in common: each measures a picture against the few before it and keeps one row a
picture.

A row depends on the picture and on at most ``HISTORY`` pictures before it, never on more. So rows of two segments
join exactly: only the first rows of the later segment are measured anew, against the last pictures of the previous.
What a file *is* is decided at the end, over the joined rows.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.picture import PICTURE_ARRAYS, Picture

HISTORY = 2  #: pictures before a picture that a meter may look at

Rows = NDArray[Any]  #: structured array, one row a picture, in presentation order


class PictureMeter(Protocol):
    """A meter of pictures."""

    name: str
    row: np.dtype[Any]  #: fields of one row
    looks_back: bool  #: does a row depend on the pictures before?

    def measure(self, now: Picture, before: Sequence[Picture]) -> tuple[Any, ...]:
        """Return the row of ``now``; ``before`` holds the pictures just before it, the nearest last, none after a
        break.
        """


class MeterRows:
    """The rows of several meters over one segment; ``join`` puts two segments together."""

    def __init__(self, meters: Sequence[PictureMeter]) -> None:
        self.meters = tuple(meters)
        self._rows = {meter.name: bytearray() for meter in self.meters}
        self._first: list[Picture | None] = []  # the first pictures, reduced; None for one that is missing
        self._last: list[Picture] = []  # the last pictures, reduced
        self._count = 0
        self._leading = 0  # missing pictures before the first one

    def __len__(self) -> int:
        return self._count

    def take(self, picture: Picture) -> None:
        """Measure the next picture; its planes are let go of."""
        before = _of_same_size(self._last, picture)
        for meter in self.meters:
            self._rows[meter.name] += np.array([meter.measure(picture, before)], meter.row).tobytes()
        picture.let_go()
        if self._count < HISTORY:
            self._first.append(picture)
        self._last = [*self._last, picture][-HISTORY:]
        self._count += 1

    def skip(self) -> None:
        """Keep a row for a picture that could not be decoded: as the previous one, without any comparison."""
        for meter in self.meters:
            rows, size = self._rows[meter.name], meter.row.itemsize
            row = np.frombuffer(bytes(rows[-size:]), meter.row).copy() if rows else np.zeros(1, meter.row)
            if meter.looks_back:
                row = np.zeros(1, meter.row)
                for name in meter.row.names or ():
                    if meter.row[name].kind == "f":
                        row[name] = np.nan
            rows += row.tobytes()
        if self._leading == self._count:
            self._leading += 1
        self._count += 1
        self._last = []
        if self._count <= HISTORY:
            self._first.append(None)

    def join(self, later: MeterRows) -> None:
        """Append the segment that follows."""
        self._fill_leading(later)
        for at, picture in enumerate(later._first):
            if picture is None:
                continue
            before = _of_same_size([*self._last, *later._first[:at]][-HISTORY:], picture)
            for meter in self.meters:
                if meter.looks_back:
                    size = meter.row.itemsize
                    row = np.array([meter.measure(picture, before)], meter.row).tobytes()
                    later._rows[meter.name][at * size : (at + 1) * size] = row
        for name, rows in self._rows.items():
            rows += later._rows[name]
        if self._count < HISTORY:
            self._first = [*self._first, *later._first][:HISTORY]
        self._last = [*self._last, *later._last][-HISTORY:] if len(later._last) == later._count else later._last
        if self._leading == self._count:
            self._leading += later._leading
        self._count += later._count

    def _fill_leading(self, later: MeterRows) -> None:
        """Give missing pictures at the start of a segment the row of the last picture before it."""
        for meter in self.meters:
            if not meter.looks_back and self._count:
                size = meter.row.itemsize
                later._rows[meter.name][: later._leading * size] = self._rows[meter.name][-size:] * later._leading

    def to_arrays(self) -> dict[str, NDArray[Any]]:
        """Return everything that ``from_arrays`` needs, as arrays by name."""
        arrays: dict[str, NDArray[Any]] = {
            f"rows_{name}": np.frombuffer(bytes(rows), np.uint8) for name, rows in self._rows.items()
        }
        arrays["count"] = np.array([self._count, self._leading])
        for name, pictures in (("head", self._first), ("tail", self._last)):
            arrays[f"{name}s"] = np.array([picture is not None for picture in pictures], np.bool_)
            for at, picture in enumerate(pictures):
                if picture is not None:
                    arrays |= {f"{name}{at}_{key}": value for key, value in picture.to_arrays().items()}
        return arrays

    def from_arrays(self, arrays: Mapping[str, NDArray[Any]]) -> None:
        """Take over what ``to_arrays`` gave."""
        self._rows = {meter.name: bytearray(arrays[f"rows_{meter.name}"].tobytes()) for meter in self.meters}
        self._count, self._leading = arrays["count"].tolist()
        head, tail = (
            [
                Picture.from_arrays({key: arrays[f"{name}{at}_{key}"] for key in PICTURE_ARRAYS}) if there else None
                for at, there in enumerate(arrays[f"{name}s"].tolist())
            ]
            for name in ("head", "tail")
        )
        self._first = head
        self._last = [picture for picture in tail if picture is not None]

    def last(self, name: str) -> Any:
        """Return the last row of one meter."""
        dtype = next(one.row for one in self.meters if one.name == name)
        return np.frombuffer(self._rows[name], dtype, 1, len(self._rows[name]) - dtype.itemsize)[0].copy()

    def rows(self, name: str) -> Rows:
        """Return the rows of one meter."""
        meter = next(one for one in self.meters if one.name == name)
        return np.frombuffer(bytes(self._rows[name]), meter.row)


def _of_same_size(pictures: Sequence[Picture | None], now: Picture) -> list[Picture]:
    """The pictures just before ``now`` that have its size: where the size changes, nothing can be compared."""
    kept: list[Picture] = []
    for picture in reversed(pictures):
        if picture is None or picture.size != now.size:
            break
        kept.insert(0, picture)
    return kept
