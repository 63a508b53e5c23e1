"""Sound in hops of a tenth of a second: what every sound meter builds on.

A hop's numbers depend on its own samples and on the tenth of a second before it, never on more: the response of the
weighting filter has fallen below 10⁻⁹ by then and is cut off. So two segments join exactly, wherever they are cut.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.clicks import REACH, strongest_click

HOPS = 10  #: hops a second
FINE = 20  #: finer steps of a hop: 5 ms each
_AT_ONCE = 50  # hops measured together
_LOUDEST = 1e6  # times full scale, 120 dB over it
#: Sample value from which a sample is at the rail: one step of 16 bits below full scale.
_RAIL = 1 - 2 / 32768
_RAIL_RUN = 3  # samples in a row
_NOTHING = 1.5 / 32768  # size that 16 bits dithered leave of nothing
#: Samples of nothing beside an edge, and samples of the sound that begins or ends there.
_EDGE_NOTHING, _BESIDE_EDGE = 24, 240
#: What the first sample, and those of the first part of a second, have of their largest where sound is cut off; after
#: a quarter of a millisecond a fade of one millisecond has a quarter.
_HARD, _HARD_SOON, _SOON = 0.15, 0.4, 4000
_HEARD = 0.003  # of full scale: least size of a sound of which a hard edge is told
_OVERSAMPLING, _TAPS = 4, 12  # ITU-R BS.1770-5, annex 2

Samples = NDArray[np.float32]  #: (channels, samples), full scale is 1


def k_weighting(sample_rate: int) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Return the K-weighting filter as two second-order sections, each b0, b1, b2, a1, a2 (ITU-R BS.1770-5, annex 1).

    The standard prints coefficients for 48 kHz; these are the analogue filters behind them, brought to any rate.
    """
    shelf_hz, shelf_gain, shelf_q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
    pass_hz, pass_q = 38.13547087602444, 0.5003270373238773
    k = math.tan(math.pi * shelf_hz / sample_rate)
    vh = 10 ** (shelf_gain / 20)
    vb = vh**0.4996667741545416
    a0 = 1 + k / shelf_q + k * k
    shelf = (
        (vh + vb * k / shelf_q + k * k) / a0,
        2 * (k * k - vh) / a0,
        (vh - vb * k / shelf_q + k * k) / a0,
        2 * (k * k - 1) / a0,
        (1 - k / shelf_q + k * k) / a0,
    )
    k = math.tan(math.pi * pass_hz / sample_rate)
    a0 = 1 + k / pass_q + k * k
    return shelf, (1.0, -2.0, 1.0, 2 * (k * k - 1) / a0, (1 - k / pass_q + k * k) / a0)


@lru_cache(maxsize=8)
def _weighting_response(sample_rate: int, length: int) -> tuple[int, NDArray[np.complex128]]:
    """Return a transform length and the transform of the filter's first ``length`` samples of response."""
    values = [1.0] + [0.0] * (length - 1)
    for b0, b1, b2, a1, a2 in k_weighting(sample_rate):
        x1 = x2 = y1 = y2 = 0.0
        for at, x in enumerate(values):
            y = b0 * x + b1 * x1 + b2 * x2 - a1 * y1 - a2 * y2
            x1, x2, y1, y2 = x, x1, y, y1
            values[at] = y
    size = 1 << (3 * length - 1).bit_length()
    return size, np.fft.rfft(values, size)


def _oversampler() -> NDArray[np.float32]:
    """A windowed sinc for fourfold oversampling, ``(taps, phases)``; the taps of a phase stand in reverse order."""
    count = _OVERSAMPLING * _TAPS
    place = (np.arange(count) - (count - 1) / 2) / _OVERSAMPLING
    taps = np.sinc(place) * np.kaiser(count, 5.0)
    taps *= _OVERSAMPLING / taps.sum()
    return np.ascontiguousarray(taps.reshape(_TAPS, _OVERSAMPLING)[::-1], np.float32)


_OVERSAMPLER = _oversampler()


def hop_dtype(channels: int) -> np.dtype[Any]:
    """Fields of the row of one hop, each with an entry for every channel."""
    per = (channels,)
    return np.dtype([
        ("energy", "f8", per), ("square", "f8", per), ("sum", "f8", per), ("peak", "f4", per), ("true_peak", "f4", per),
        ("fine", "u1", (channels, FINE)), ("steps", "f4", (channels, FINE)),
        ("clipped", "u2", per), ("click", "f4", per), ("click_at", "u2", per), ("hard", "u4", per),
        ("cross", "f8"), ("apart", "f4"), ("length", "u4"),
    ])  # fmt: skip


class SoundMeter:
    """Measures one track. ``start`` is the number of the first sample, from the first of the track."""

    def __init__(self, sample_rate: int, channels: int, start: int = 0) -> None:
        self.sample_rate, self.channels = sample_rate, channels
        self._dtype = hop_dtype(channels)
        self._warm = max(sample_rate // HOPS, REACH + 1)
        self._start = start
        self._rows = bytearray()
        self._hop = self._first_hop(start)  # number of the next hop
        self._first = self._hop
        self._pending = np.zeros((channels, 0), np.float32)
        self._pending_at = start
        self._waiting: list[Samples] = []  # not in ``_pending`` yet
        self._count = start  # number of the sample after the last taken
        self._head: list[Samples] = []  # everything up to the first hop that could be measured
        self._head_left = self._bound(self._hop) - start

    def _bound(self, hop: int) -> int:
        return hop * self.sample_rate // HOPS

    def _first_hop(self, start: int) -> int:
        """The first hop that begins at the start of the track, or that has enough before it."""
        if not start:
            return 0
        hop = -(-(start + self._warm) * HOPS // self.sample_rate)
        while self._bound(hop) < start + self._warm:
            hop += 1
        return hop

    def take(self, samples: Samples) -> None:
        """Take the next samples, ``(channels, count)``; what no sound can be is held to bounds."""
        if samples.size and not float(np.abs(samples).max()) <= _LOUDEST:  # no number is not, either
            samples = np.nan_to_num(samples).clip(-_LOUDEST, _LOUDEST)
        if self._head_left > 0:
            self._head.append(samples[:, : self._head_left].copy())
            self._head_left -= samples.shape[1]
        self._waiting.append(samples)
        self._count += samples.shape[1]
        if self._count >= self._bound(self._hop + _AT_ONCE):
            self._measure()

    def _gather(self) -> int:
        """Bring what waits into one piece; return the number of the sample after the last."""
        if self._waiting:
            self._pending = np.concatenate([self._pending, *self._waiting], axis=1)
            self._waiting = []
        return self._count

    def _measure(self) -> None:
        end = self._gather()
        hop = self._hop
        last = hop
        while self._bound(last + 1) + _TAPS + REACH + 1 <= end:  # what follows a hop closely is looked at too
            last += 1
        rows = [self._row(one) for one in range(hop, last)]
        self._rows += b"".join(rows)
        self._hop = last
        keep = max(self._bound(last) - self._warm, self._pending_at)
        self._pending = self._pending[:, keep - self._pending_at :].copy()
        self._pending_at = keep

    def _row(self, hop: int, *, final: bool = False) -> bytes:
        begin, end = self._bound(hop), self._bound(hop + 1)
        if final:
            end = min(end, self._count)
        at = begin - self._pending_at
        lead = min(self._warm, at)
        own = self._pending[:, at : end - self._pending_at]
        row = np.zeros(1, self._dtype)
        one = row[0]
        length = own.shape[1]
        wide = self._pending[:, at - lead : end - self._pending_at].astype(np.float64)
        count, response = _weighting_response(self.sample_rate, self._warm)
        weighted = np.fft.irfft(np.fft.rfft(wide, count, axis=1) * response, count, axis=1)[:, lead : wide.shape[1]]
        exact = wide[:, lead:]
        energy = weighted * weighted
        one["energy"] = energy.sum(axis=1)
        if length:
            one["steps"] = np.add.reduceat(energy, np.arange(FINE) * length // FINE, axis=1)
        one["square"] = (exact * exact).sum(axis=1)
        one["sum"] = exact.sum(axis=1)
        size = np.abs(own)
        one["peak"] = size.max(axis=1, initial=0)
        one["true_peak"] = np.maximum(self._true_peak(at, end - self._pending_at), one["peak"])
        one["fine"] = _fine_levels(size)
        one["clipped"] = self._clipped(at, end - self._pending_at)
        one["click"], one["click_at"] = self._click(at, end - self._pending_at)
        one["hard"] = self._hard_edges(at, end - self._pending_at)
        if self.channels > 1:
            one["cross"] = (exact[0] * exact[1]).sum()
            one["apart"] = np.abs(own[0] - own[1]).max(initial=0)
        one["length"] = length
        return row.tobytes()

    def _true_peak(self, begin: int, end: int) -> NDArray[np.float32]:
        part = self._padded(begin - _TAPS // 2, end + _TAPS // 2 - 1)
        windows = np.lib.stride_tricks.sliding_window_view(part, _TAPS, axis=1)
        between = np.abs(windows @ _OVERSAMPLER)
        return np.asarray(between.max(axis=(1, 2), initial=0), np.float32)

    def _padded(self, begin: int, end: int) -> Samples:
        """Pending samples from ``begin`` to ``end``, silence where there are none."""
        count = self._pending.shape[1]
        inside = self._pending[:, max(begin, 0) : min(end, count)]
        if begin >= 0 and end <= count:
            return inside
        silence = (
            np.zeros((self.channels, max(-begin, 0)), np.float32),
            np.zeros((self.channels, max(end - count, 0)), np.float32),
        )
        return np.concatenate([silence[0], inside, silence[1]], axis=1)

    def _clipped(self, begin: int, end: int) -> NDArray[np.int64]:
        """Samples that end a run of three at the rail."""
        part = np.abs(self._padded(begin - _RAIL_RUN + 1, end)) >= _RAIL
        run = part[:, _RAIL_RUN - 1 :].copy()
        for back in range(1, _RAIL_RUN):
            run &= part[:, _RAIL_RUN - 1 - back : part.shape[1] - back]
        return np.asarray(run.sum(axis=1), np.int64)

    def _click(self, begin: int, end: int) -> tuple[list[float], list[int]]:
        """The strength and the place of the strongest click of each channel."""
        part = self._padded(begin - REACH - 1, end + REACH + 1)
        found = [strongest_click(channel, REACH + 1, REACH + 1 + end - begin) for channel in part]
        return [strength for strength, _ in found], [at for _, at in found]

    def _hard_edges(self, begin: int, end: int) -> NDArray[np.uint32]:
        """In which finer steps sound begins or ends from one sample to the next, beside nothing: by channel, a bit for
        each step, the lowest for the first.
        """
        found = np.zeros(self.channels, np.uint32)
        size = np.abs(self._padded(begin - _BESIDE_EDGE, end + _BESIDE_EDGE))
        sounds = size > _NOTHING
        if end <= begin or int(np.count_nonzero(~sounds)) < _EDGE_NOTHING:
            return found
        counts = np.cumsum(sounds, axis=1, dtype=np.int32)
        own = slice(_BESIDE_EDGE, _BESIDE_EDGE + end - begin)
        first, last, soon = own.start, own.stop, max(self.sample_rate // _SOON, 1)
        before = counts[:, first - 1 : last - 1] - counts[:, first - 1 - _EDGE_NOTHING : last - 1 - _EDGE_NOTHING]
        after = counts[:, first + _EDGE_NOTHING : last + _EDGE_NOTHING] - counts[:, own]
        for channel, at in np.argwhere(sounds[:, own] & ((before == 0) | (after == 0))).tolist():
            place = first + at
            beside = size[channel, place : place + _BESIDE_EDGE]
            if before[channel, at]:
                beside = size[channel, at + 1 : place + 1][::-1]  # from where it ends
            largest = max(float(beside.max()), _HEARD)
            if beside[0] > _HARD * largest or beside[:soon].max() > _HARD_SOON * largest:
                found[channel] |= np.uint32(1 << (at * FINE // (end - begin)))
        return found

    def join(self, later: SoundMeter) -> None:
        """Append the segment that follows; it must begin where this one ends."""
        for samples in later._head:
            self.take(samples)
        self._gather()
        later._gather()
        if len(later) or later._hop > later._first:
            self._measure_until(later._first)
            self._rows += later._rows
            self._hop = later._hop
            self._pending, self._pending_at, self._count = later._pending, later._pending_at, later._count
        elif (more := later._pending.shape[1] - sum(part.shape[1] for part in later._head)) > 0:
            self.take(later._pending[:, -more:])

    def _measure_until(self, hop: int) -> None:
        while self._hop < hop:
            self._rows += self._row(self._hop)
            self._hop += 1

    def __len__(self) -> int:
        return self._hop - self._first

    @property
    def samples(self) -> int:
        """Samples taken, from the start of the track."""
        return self._count

    def rows(self) -> NDArray[Any]:
        """Return the rows of all hops, the last one shorter when the track ends inside it."""
        end = self._gather()
        tail = []
        hop = self._hop
        while self._bound(hop) < end:
            tail.append(self._row(hop, final=True))
            hop += 1
        return np.frombuffer(bytes(self._rows) + b"".join(tail), self._dtype)


def _fine_levels(size: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Largest size in each finer step: 0 for digital nothing, else 255 + twice the level in dBFS, at least 1."""
    bounds = np.linspace(0, size.shape[1], FINE + 1).astype(np.intp)[:-1]
    if size.shape[1] < FINE:
        bounds = np.minimum(bounds, max(size.shape[1] - 1, 0))
    largest = np.maximum.reduceat(size, bounds, axis=1) if size.shape[1] else np.zeros((len(size), FINE))
    with np.errstate(divide="ignore"):
        levels = np.clip(np.round(255 + 40 * np.log10(largest)), 1, 255)
    return np.where(largest > 0, levels, 0).astype(np.uint8)


def fine_level(dbfs: float) -> int:
    """Return the fine level of a level in dBFS."""
    return int(np.clip(round(255 + 2 * dbfs), 1, 255))


def layout_weights(names: Sequence[str]) -> NDArray[np.float64]:
    """Return the weight of each channel by its name (ITU-R BS.1770-5, annex 1 and table 4): surround 1.41, LFE none."""
    return np.array([_WEIGHTS.get(name.upper(), 1.0) for name in names])


_WEIGHTS = {"LFE": 0.0, "LFE2": 0.0, "BL": 1.41, "BR": 1.41, "SL": 1.41, "SR": 1.41, "BC": 1.0}
