"""Timecode: labels of frames, to frame counts and back (SMPTE ST 12-1)."""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction

from brisk_core.errors import ValueRefused
from brisk_core.exact.rates import spell_rate

_TEXT = re.compile(r"(\d{1,2}):(\d{1,2}):(\d{1,2})([:;.,])(\d{1,3})")
_HOURS = 24


def nominal_frames(rate: Fraction) -> int:
    """Return the whole frames that a timecode second counts: 24 for 24000/1001, 30 for 30000/1001, 25 for 25."""
    return max(1, round(rate))


def _dropped_each_minute(rate: Fraction) -> int:
    """Labels left out at most minutes in drop-frame counting: 2 for every 30 counted (ST 12-1, 5.2.2)."""
    base = nominal_frames(rate)
    if rate != Fraction(base * 1000, 1001) or base % 30:
        raise ValueRefused(
            f"met drop-frame timecode at {spell_rate(rate)} frames a second; "
            "drop-frame counting exists only for 30000/1001, 60000/1001 and their multiples"
        )
    return base // 15


@dataclass(frozen=True, slots=True, kw_only=True)
class Timecode:
    """A timecode label at a rate."""

    frames: int  #: frames since 00:00:00:00, at least 0 and below 24 h
    rate: Fraction  #: frames a second, exact
    drop: bool = False  #: drop-frame counting; only with rates of 30/1.001

    def __post_init__(self) -> None:
        if self.drop:
            _dropped_each_minute(self.rate)
        if not 0 <= self.frames < self.frames_of_day(self.rate, self.drop):
            raise ValueRefused(f"met frame {self.frames} as a timecode; expected at least 0 and less than 24 hours")

    @staticmethod
    def frames_of_day(rate: Fraction, drop: bool) -> int:
        """Return how many labels 24 hours hold."""
        base = nominal_frames(rate)
        whole = _HOURS * 3600 * base
        return whole - _HOURS * 54 * _dropped_each_minute(rate) if drop else whole

    @classmethod
    def parse(cls, text: str, rate: Fraction, *, drop: bool | None = None) -> Timecode:
        """Read ``HH:MM:SS:FF``, with ``;`` (or ``.`` or ``,``) before the frames for drop-frame.

        ``drop`` overrides what the separator says. Raises ``ValueRefused`` naming the part that is wrong, also for the
        labels that drop-frame counting leaves out.
        """
        match = _TEXT.fullmatch(text.strip())
        if not match:
            raise ValueRefused(f"met {text!r} as a timecode; expected HH:MM:SS:FF, such as 10:00:00:00")
        hours, minutes, seconds, frames = (int(match[i]) for i in (1, 2, 3, 5))
        is_drop = match[4] != ":" if drop is None else drop
        base = nominal_frames(rate)
        for part, met, limit in (
            ("hours", hours, _HOURS),
            ("minutes", minutes, 60),
            ("seconds", seconds, 60),
            ("frames", frames, base),
        ):
            if met >= limit:
                raise ValueRefused(
                    f"met {text!r} as a timecode at {spell_rate(rate)}: {met} {part}; expected 0 to {limit - 1}"
                )
        count = ((hours * 60 + minutes) * 60 + seconds) * base + frames
        if is_drop:
            dropped = _dropped_each_minute(rate)
            if seconds == 0 and frames < dropped and minutes % 10:
                raise ValueRefused(f"met {text!r}; drop-frame counting leaves this label out")
            total_minutes = hours * 60 + minutes
            count -= dropped * (total_minutes - total_minutes // 10)
        return cls(frames=count, rate=rate, drop=is_drop)

    def plus(self, frames: int) -> Timecode:
        """Return the label ``frames`` later, past midnight counting on from zero."""
        return Timecode(
            frames=(self.frames + frames) % self.frames_of_day(self.rate, self.drop), rate=self.rate, drop=self.drop
        )

    def __str__(self) -> str:
        count, base = self.frames, nominal_frames(self.rate)
        if self.drop:
            dropped = _dropped_each_minute(self.rate)
            minute = 60 * base - dropped
            ten_minutes = 10 * minute + dropped
            tens, rest = divmod(count, ten_minutes)
            count += 9 * dropped * tens
            if rest >= 60 * base:
                count += dropped * (1 + (rest - 60 * base) // minute)
        seconds, frames = divmod(count, base)
        minutes, seconds = divmod(seconds, 60)
        hours, minutes = divmod(minutes, 60)
        width = max(2, len(str(base - 1)))
        return f"{hours:02}:{minutes:02}:{seconds:02}{';' if self.drop else ':'}{frames:0{width}}"
