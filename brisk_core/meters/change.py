"""Change from picture to picture: shot cuts, repeated pictures, freezes and the cadence they make.

Coders never repeat a picture exactly, so a repeat is judged against its neighbourhood and in blocks: where the pictures
around it change, it does not, anywhere. A still shot is not a run of repeats; it is a freeze when it has no life at all
(grain is life). Drawings held for two or three pictures over a standing ground are animation, not repeats.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.picture import Picture
from brisk_core.meters.rows import Rows
from brisk_core.meters.spans import neighbours, runs

_TOP_SHARE = 0.02  # of the blocks, those that change most, whose mean is the change of a picture
_CHANGED = 2.0  # mean 8-bit steps a block changes by before it counts as changed

_REPEAT_SHARE = 0.3  # change of a repeated picture over that of the pictures beside it, at most
#: Mean change of all blocks up to which a coder touches up a repeat. A camera that stands for a moment has grain.
_REPEAT_MEAN, _REPEAT_OF_MEAN = 1.25, 0.22  # 8-bit steps, or share of the change of the pictures beside it
_UNEVEN = 1.4  # change of the busiest blocks over that of all, which grain does not reach
_LIVELY = 1.2  # least change (8-bit steps in the busiest blocks) of the pictures beside a repeat
_STILL, _STILL_CELL = 1.5, 5.0  # change of the busiest blocks and cell up to which a coder may touch up a picture
_LIFE = 0.35  # usual change of all blocks in a picture that stands: a coder is soon done, grain goes on
_FADED = 1.5  # 8-bit steps by which the mean may drift in a picture that stands
FREEZE_S = 0.5  # default length from which standing still is a freeze
_WHOLE = 0.4  # share of blocks that change when all of a picture moves: its flat parts do not
_PART = 0.5  # share of blocks below which a change is part of the picture: a drawing that moves over a ground
_HELD = 0.3  # share of repeats around a picture from which drawings are held
_REACH = 12  # pictures looked at before and after

_CUT_HISTOGRAM = 0.22  # share of the small picture's samples that change their level
_CUT_UNLIKE = 0.7  # loss of correlation from which the structure is another, whatever the levels
_CUT_LEAST_UNLIKE = 0.15  # loss of correlation that a jump of levels needs beside it, over the usual loss
_CUT_OVER, _CUT_FLOOR = 1.6, 0.1  # times the usual change, and added to it
_CUT_LEVELS, _CUT_LEAST_LEVELS = 2.0, 0.004  # times the usual change of levels, and added to it
_CUT_RESTLESS = 0.3  # usual loss of correlation from which the levels must change too
_CUT_LEAP, _CUT_LEAST_LEAP = 3.0, 1.0  # times the usual change of the blocks, and 8-bit steps added to it
_CUT_LEAP_LEVELS, _CUT_LEAST_LEAP_LEVELS = 5.0, 0.02  # times the usual change of levels, and added to it
_CUT_LEAP_UNLIKE = 0.35  # loss of correlation that goes with such a leap
_CUT_OTHER, _CUT_STEADY = 0.5, 0.05  # loss of correlation of another picture, and the usual one in a steady shot
_CUT_COLOUR, _CUT_COLOUR_OVER = 12.0, 5.0  # change of colour, 8-bit steps, and times the usual
_FADE_STEPS, _FADE_OVER = 3, 1.5  # steps of a fade, and times them that the one to nothing may change
_FADE_LEVELS, _FADE_UNLIKE = 0.1, 0.5  # share of samples that each step changes, and loss of correlation it may have
_EMPTY, _FADED_OF = 0.5, 0.9  # 8-bit steps of a flat picture's texture; texture over that of the next step of a fade
_COMES_OVER = 2.5  # times the steps that follow, up to which the first is one of them: coders give it more
_CUT_REACH = 4  # pictures before and after that are the usual


class ChangeMeter:
    """How much a picture differs from the one before, in bands, in cells, in its histogram and its structure."""

    name = "change"
    row = np.dtype(
        [("mean", "f2"), ("top", "f2"), ("cell", "f2"), ("share", "f2"), ("levels", "f2"), ("likeness", "f2"),
         ("colour", "f2"), ("texture", "f2")]
    )  # fmt: skip
    looks_back = True

    def measure(self, now: Picture, before: Sequence[Picture]) -> tuple[Any, ...]:
        """Return mean change, that of the busiest blocks, of the busiest cell, share of changed blocks, histogram,
        similarity, change of colour, and the standard deviation of the picture itself in coarse cells.

        Changes are in 8-bit steps; the histogram's is a share of the samples, similarity a correlation from -1 to 1.
        """
        texture = float(now.coarse.std())
        if not before:
            return (*(np.nan,) * 7, texture)
        previous = before[-1]
        blocks = now.against(previous).changed.ravel()
        count = max(1, round(len(blocks) * _TOP_SHARE))
        busiest = np.partition(blocks, len(blocks) - count)[-count:]
        cells = cv2.absdiff(now.small, previous.small)
        return (
            float(blocks.mean()),
            float(busiest.mean()),
            float(cells.max()),
            float(np.mean(blocks > _CHANGED)),
            float(np.abs(now.histogram - previous.histogram).sum() / 2),
            _likeness(now.coarse, previous.coarse),
            _colour_change(now, previous),
            texture,
        )


def _colour_change(now: Picture, previous: Picture) -> float:
    """Return the mean change of blue and red difference together, 8-bit steps; 0 for pictures without colour."""
    one, other = now.small_chroma, previous.small_chroma
    if one is None or other is None or one[0].shape != other[0].shape:
        return 0.0
    return sum(float(cv2.mean(cv2.absdiff(a, b))[0]) for a, b in zip(one, other, strict=True))


def _likeness(one: NDArray[np.float32], other: NDArray[np.float32]) -> float:
    """Return the correlation of two pictures inside their bars, which are alike in all pictures; two flat ones are
    alike.
    """
    lit = np.maximum(one, other) > _UNLIT
    lines, columns = np.flatnonzero(lit.any(axis=1)), np.flatnonzero(lit.any(axis=0))
    if not len(lines):
        return 1.0
    inside = slice(lines[0], lines[-1] + 1), slice(columns[0], columns[-1] + 1)
    one, other = one[inside].ravel(), other[inside].ravel()
    a, b = one - one.mean(), other - other.mean()
    energies = float(a @ a), float(b @ b)
    if max(energies) < _FLAT * a.size:
        return 1.0
    return float(a @ b) / max(float(np.sqrt(energies[0] * energies[1])), 1e-6)


_UNLIT = 24.0  # 8-bit value up to which a cell may be a bar
_FLAT = 1.0  # mean square of the steps from the mean, below which a picture has no structure


def mean_change(rows: Rows, cuts: NDArray[np.intp]) -> float | None:
    """Return the mean change of luma from one picture to the next in 8-bit steps, first pictures of shots left out;
    ``None`` where no picture follows another.
    """
    change = rows["mean"].astype(np.float64)
    change[cuts] = np.nan
    told = change[~np.isnan(change)]
    return float(told.mean()) if len(told) else None


def changes_whole(rows: Rows) -> NDArray[np.bool_]:
    """Return at which pictures more than parts of them change, from the one before and to the one after."""
    whole = rows["share"].astype(np.float64) >= _WHOLE
    return np.asarray(whole & np.append(whole[1:], False), np.bool_)


def find_cuts(rows: Rows) -> NDArray[np.intp]:
    """Return the first pictures of shots, the first picture of the file not counted.

    A cut is a jump in levels or structure that stands out from the change around it. A flash jumps and jumps back, so
    the picture after it is like the one before it: two jumps within a few pictures, both of them without loss of
    structure.
    """
    if len(rows) < 2:
        return np.zeros(0, np.intp)
    levels = np.nan_to_num(rows["levels"].astype(np.float64))
    unlike = np.nan_to_num(1 - rows["likeness"].astype(np.float64))
    moved = np.nan_to_num(rows["mean"].astype(np.float64))
    unlike[_comes_or_goes(rows["texture"].astype(np.float64), moved)] = 0
    score = levels + unlike
    usual_unlike, usual, most = _usual(unlike), _usual(score), neighbours(score, _CUT_REACH)
    leads = score >= np.nan_to_num(np.where(np.isnan(most), 0, most).max(axis=1))
    other_levels = levels > _CUT_LEVELS * _usual(levels) + _CUT_LEAST_LEVELS
    strong = (unlike > _CUT_UNLIKE) | ((levels > _CUT_HISTOGRAM) & (unlike > _CUT_LEAST_UNLIKE))
    # Two shots of one place and one light: neither levels nor structure jump far, but everything changes at once.
    # Within bars all of it is smaller, so it is held against what is usual.
    leaps = (moved > _CUT_LEAP * _usual(moved) + _CUT_LEAST_LEAP) & (
        levels > _CUT_LEAP_LEVELS * _usual(levels) + _CUT_LEAST_LEAP_LEVELS
    )
    strong |= leaps & (unlike > _CUT_LEAP_UNLIKE)
    # In a picture with wide bars less of it changes, but its structure is another one where it hardly ever is.
    strong |= (unlike > _CUT_OTHER) & (usual_unlike < _CUT_STEADY) & other_levels
    # Where motion alone makes pictures unlike, structure does not tell a cut from a longer step.
    stands_out = (
        (other_levels | (usual_unlike < _CUT_RESTLESS))
        & (unlike > usual_unlike + _CUT_LEAST_UNLIKE)
        & (score > _CUT_OVER * usual + _CUT_FLOOR)
    )
    # Two flat pictures of one brightness differ in their colour alone.
    colour = np.nan_to_num(rows["colour"].astype(np.float64))
    most_colour = np.nan_to_num(neighbours(colour, _CUT_REACH)).max(axis=1)
    recoloured = (colour > _CUT_COLOUR) & (colour > _CUT_COLOUR_OVER * _usual(colour) + 1) & (colour > most_colour)
    cuts = strong & stands_out & leads
    fades = (levels > _FADE_LEVELS) & (unlike < _FADE_UNLIKE)
    for at in np.flatnonzero(cuts).tolist():
        cuts[at] = not _ends_a_fade(at, fades, moved)
    return np.flatnonzero(cuts | recoloured)


def _comes_or_goes(texture: NDArray[np.float64], moved: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Return at which pictures something begins to come up on a flat picture, or is gone: a title that fades in or out.

    Between a flat picture and another the likeness says nothing. What comes up goes on to, by steps like the first.
    """
    found = np.zeros(len(texture), np.bool_)
    flat = np.nan_to_num(texture, nan=np.inf) <= _EMPTY
    for at in (np.flatnonzero(flat[1:] != flat[:-1]) + 1).tolist():
        comes = flat[at - 1]
        there = texture[at : at + _FADE_STEPS] if comes else texture[max(at - _FADE_STEPS, 0) : at][::-1]
        steps = moved[at + 1 : at + _FADE_STEPS] if comes else moved[max(at - _FADE_STEPS + 1, 0) : at]
        if len(there) == _FADE_STEPS and (there[:-1] < _FADED_OF * there[1:]).all():
            found[at] = moved[at] < _COMES_OVER * float(np.median(steps))
    return found


def _ends_a_fade(at: int, fades: NDArray[np.bool_], moved: NDArray[np.float64]) -> bool:
    """Is it the last step of a fade into nothing, or the first out of it? Structure goes or comes with a step that is
    like the others, which change all levels and no structure.
    """
    for beside in (slice(max(at - _FADE_STEPS, 0), at), slice(at + 1, at + 1 + _FADE_STEPS)):
        steps = moved[beside]
        if len(steps) == _FADE_STEPS and fades[beside].all() and moved[at] < _FADE_OVER * float(np.median(steps)):
            return True
    return False


def _usual(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the median of the pictures around each picture."""
    return _quiet_median(neighbours(values, _CUT_REACH))


@dataclass(frozen=True, slots=True, kw_only=True)
class Steadiness:
    """Repeats, freezes and cadence of a file."""

    repeats: tuple[tuple[int, int], ...]  #: half-open, the pictures that show the previous one again
    freezes: tuple[tuple[int, int], ...]  #: half-open, from the picture that stays on
    cadence: str | None  #: none, 2:2, 4:1 repeat, irregular; None without enough motion
    says: str  #: why the cadence cannot be told
    stands: bool = False  #: nothing in the whole file moves: a still, a locked shot, or a freeze


def judge_steadiness(
    rows: Rows,
    cuts: NDArray[np.intp],
    freeze_frames: int,
    light: NDArray[Any] | None = None,
    steps: NDArray[np.float64] | None = None,
) -> Steadiness:
    """Find repeats, and freezes of at least ``freeze_frames`` pictures.

    ``light`` is the mean of each picture in 8-bit steps: a slow fade changes no picture by much, but all of them.
    ``steps`` is by how many samples the busiest part of each picture has moved, NaN where that is not sure: a coder of
    few bits goes on changing a picture that stands.
    """
    top = np.nan_to_num(rows["top"].astype(np.float64), nan=np.inf)
    cell = np.nan_to_num(rows["cell"].astype(np.float64), nan=np.inf)
    top[cuts] = cell[cuts] = np.inf
    mean = rows["mean"].astype(np.float64)
    usual_top, usual_cell, usual_mean = (_moving_level(values, cuts) for values in (top, cell, mean))
    # Where much moves, a coder leaves more behind; and a random access point may come in between.
    still = (top <= np.maximum(_STILL, _CALM * usual_top)) & (cell <= np.maximum(_STILL_CELL, _CALM * usual_cell))
    popped = (top <= _POP * usual_top) & np.isfinite(top)
    stills = [
        (start - 1, end)
        for start, end in runs(still, bridge=popped, most_bridged=1)
        if end - start + 1 >= freeze_frames
        and np.median(mean[start:end]) <= max(_LIFE, _CALM * usual_mean[start])
        and (light is None or abs(float(light[end - 1]) - float(light[start - 1])) <= _FADED)
    ]
    freezes = tuple(span for span in stills if _was_alive(rows, cuts, span))
    if steps is not None:
        freezes = _with_restless(rows, cuts, steps, freezes, freeze_frames)
    if light is not None:
        top, cell = (_without_flashes(values, light) for values in (top, cell))
    repeated = _repeated(rows, top, cell)
    lasting = np.zeros(len(rows), np.bool_)
    for start, end in stills:
        lasting[start:end] = True
    repeated &= ~lasting
    repeated &= ~_held_drawings(rows, repeated)
    moving = int(np.count_nonzero((top > _LIVELY) & np.isfinite(top)) + np.count_nonzero(repeated))
    cadence = _cadence(repeated, moving) if moving >= _LEAST_MOVING else None
    says = "" if cadence else f"not enough motion: {moving} of {len(rows)} pictures move"
    stands = not freezes and sum(end - start for start, end in stills) >= _ALL * len(rows)
    return Steadiness(repeats=tuple(runs(repeated)), freezes=freezes, cadence=cadence, says=says, stands=stands)


_CALM, _POP = 0.1, 0.3  # of the change of the shot's moving pictures
_MOVING_SHARE = 0.75  # quantile of the change in a shot that stands for its moving pictures


def _moving_level(values: NDArray[np.float64], cuts: NDArray[np.intp]) -> NDArray[np.float64]:
    """Return for each picture how much the moving pictures of its shot change."""
    found = np.zeros(len(values))
    for start, end in itertools.pairwise([0, *cuts.tolist(), len(values)]):
        inside = values[start + 1 : end]
        known = inside[np.isfinite(inside)]
        found[start:end] = float(np.quantile(known, _MOVING_SHARE)) if len(known) else 0.0
    return found


_LEAST_MOVING = 10
_ALL = 0.9  # of the pictures that stand, from which nothing in the file moves


def _was_alive(rows: Rows, cuts: NDArray[np.intp], span: tuple[int, int]) -> bool:
    """Does the shot of a still stretch move outside it, or have a life that ends with it?

    A title, a still or a locked camera stands from cut to cut, and a coder may take its grain away for a while; a
    freeze stops something that moved.
    """
    inside = _shot_around((span[0] + span[1]) // 2, cuts, len(rows))
    outside = inside.copy()
    outside[span[0] + 1 : span[1] + 1] = False
    if np.count_nonzero(outside) < _FEWEST_ALIVE:
        return False
    cell, top, mean = (np.nan_to_num(rows[name].astype(np.float64)) for name in ("cell", "top", "mean"))
    moves = np.count_nonzero(outside & ((cell > _ALIVE_CELL) | (top > _ALIVE_TOP)))
    if moves >= _FEWEST_ALIVE and _stops_at_once(top, inside, span):
        return True
    dead, alive = np.quantile(mean[span[0] + 1 : span[1]], 0.75) <= _DEAD, np.quantile(mean[outside], 0.25)
    return bool(dead and alive >= _GRAIN_ALIVE and _stops_at_once(mean, inside, span))


def _shot_around(at: int, cuts: NDArray[np.intp], count: int) -> NDArray[np.bool_]:
    """Return which pictures are of the shot of one, but for its first, which changes from another shot."""
    edges = np.array([0, *cuts, count])
    after = int(np.searchsorted(edges, at, side="right"))
    inside = np.zeros(count, np.bool_)
    inside[edges[after - 1] + 1 : edges[after]] = True
    return inside


def _with_restless(
    rows: Rows,
    cuts: NDArray[np.intp],
    steps: NDArray[np.float64],
    freezes: tuple[tuple[int, int], ...],
    freeze_frames: int,
) -> tuple[tuple[int, int], ...]:
    """Add the stretches in which motion stops from one picture to the next while the coder still changes them."""
    top, mean = (np.nan_to_num(rows[name].astype(np.float64)) for name in ("top", "mean"))
    stands = steps < _STANDS
    stands[cuts] = False
    found = []
    for start, end in runs(stands, bridge=np.isnan(steps) | (steps < 2 * _STANDS), most_bridged=2):
        inside = _shot_around(start, cuts, len(rows))
        if end - start + 1 < freeze_frames or any(start <= one and other <= end for one, other in freezes):
            continue
        before = [at for at in range(start - 1, start - _EASES, -1) if at >= 0 and inside[at]]
        moved = [at for at in before if steps[at] > _MOVED]
        # It has to stop from full speed, not to come to rest.
        if len(moved) < max(_FEWEST_ALIVE, len(before) // 2) or moved[0] < start - 2 or not _is_full(steps, moved):
            continue
        calmer = all(
            float(np.median(values[start:end])) < _CALMER * float(np.median(values[moved])) for values in (top, mean)
        )
        if calmer:
            found.append((start - 1, end))
    kept = [one for one in freezes if not any(start <= one[0] and one[1] <= end for start, end in found)]
    return tuple(sorted((*kept, *found)))


_STANDS, _MOVED = 0.3, 0.8  # samples of a step that are none, and that are motion
_CALMER = 0.5  # of the change of pictures that move


def _stops_at_once(change: NDArray[np.float64], inside: NDArray[np.bool_], span: tuple[int, int]) -> bool:
    """Does motion stop from one picture to the next before a still stretch? A move that was drawn or made by hand comes
    to rest. Where the shot begins with the stretch, its motion has to begin at once.
    """
    first = int(np.flatnonzero(inside)[0])
    if span[0] <= first:
        return _is_full(change, [at for at in range(span[1], span[1] + _EASES) if at < len(change) and inside[at]])
    return any(
        change[last + 1] <= _FALLS * change[last]
        and _is_full(change, [at for at in range(last, last - _EASES, -1) if at >= first])
        for last in range(max(span[0] - _SETTLES, first), span[0] + 1)
    )


def _is_full(change: NDArray[np.float64], beside: Sequence[int]) -> bool:
    """Is the first of some changes like those that go on from it?"""
    if len(beside) < _FEWEST_ALIVE:
        return False
    usual = max(float(np.median(change[list(beside)])), _GRAIN_ALIVE)
    return float(change[beside[0]]) >= _AT_ONCE * usual


_FEWEST_ALIVE = 3  # pictures
_ALIVE_CELL, _ALIVE_TOP = 6.5, 5.0  # change of the busiest cell and blocks that grain and its coding do not reach
_EASES, _AT_ONCE = 10, 0.6  # pictures beside a still stretch, and share of their change with which motion stops
_FALLS, _SETTLES = 0.25, 12  # change after motion stopped over that before; pictures in which a coder settles
_DEAD, _GRAIN_ALIVE = 0.02, 0.6  # mean change of pictures that are the same, and of those with grain


def _without_flashes(change: NDArray[np.float64], light: NDArray[Any]) -> NDArray[np.float64]:
    """Return the change of each picture, less the light that goes on or off there: as much as those beside it have."""
    leaps = np.abs(np.diff(light.astype(np.float64), prepend=light[:1]))
    flashes = leaps > _FLASH + _FLASH_OVER * _quiet_median(neighbours(leaps, _LONGEST_HOLD))
    beside = neighbours(np.where(flashes, np.nan, change), 1)
    least = np.where(np.isnan(beside), np.inf, beside).min(axis=1)
    return np.where(flashes & np.isfinite(change), np.minimum(change, least), change)


def _repeated(rows: Rows, top: NDArray[np.float64], cell: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Pictures that change far less than the pictures on both sides, in blocks and in cells; short holds of up to
    three.
    """
    count = len(rows)
    found = np.zeros(count, np.bool_)
    around = neighbours(np.where(np.isfinite(top), top, np.nan), _LONGEST_HOLD)
    liveliest = np.where(np.isnan(around), 0.0, around).max(axis=1, initial=0)
    mean = rows["mean"].astype(np.float64)
    usual = _quiet_median(neighbours(mean, _LONGEST_HOLD))
    # Grain changes all of a picture alike; a coder that touches one up begins where it shows most.
    touched_up = (mean <= _REPEAT_OF_MEAN * usual) & (top >= _UNEVEN * mean)
    quiet = (mean <= _REPEAT_MEAN) | touched_up
    # Where few pictures move at all, a coder that touches up a still one looks like a small motion.
    beside = neighbours(top, _REACH)
    known = np.isfinite(beside)
    lively = np.count_nonzero(known & (beside >= _LIVELY), axis=1) >= _MOST_LIVELY * known.sum(axis=1)
    least = np.where(lively, _LIVELY, _TOUCHED_UP)
    for at in np.flatnonzero(quiet & (liveliest >= least) & (top < _REPEAT_SHARE * liveliest)):
        found[at] = _stands_out(top, cell, int(at), float(least[at]))
    return found


def _stands_out(top: NDArray[np.float64], cell: NDArray[np.float64], at: int, least: float) -> bool:
    for length in range(1, _LONGEST_HOLD + 1):
        for first in range(max(at - length + 1, 1), at + 1):
            end = first + length
            if end >= len(top) or first < 2:
                continue
            sides = min(top[first - 1], top[end]), min(cell[first - 1], cell[end])
            if sides[0] < least or not np.isfinite(top[end]):
                continue
            if (top[first:end] < _REPEAT_SHARE * sides[0]).all() and (
                cell[first:end] < np.maximum(_REPEAT_SHARE * sides[1], _CELL_NOISE)
            ).all():
                return True
    return False


_LONGEST_HOLD = 3
_CELL_NOISE = 0.6
_MOST_LIVELY, _TOUCHED_UP = 0.4, 4.0  # of the pictures around; change of the busiest blocks that coders do not reach
_FLASH, _FLASH_OVER = 6.0, 4.0  # 8-bit steps that the mean leaps by, and times what it does around


def _held_drawings(rows: Rows, repeated: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Repeats among many others where what changes is only a part of the picture."""
    around = neighbours(repeated.astype(np.float64), _REACH)
    share = np.nan_to_num(rows["share"].astype(np.float64))
    changed = neighbours(np.where(repeated, np.nan, share), _REACH)
    there = np.maximum(np.count_nonzero(~np.isnan(around), axis=1), 1)
    many = np.nan_to_num(around).sum(axis=1) / there > _HELD
    partial = _quiet_median(changed) < _PART
    return np.asarray(repeated & many & partial, np.bool_)


def _quiet_median(values: NDArray[np.float64]) -> NDArray[np.float64]:
    filled = np.where(np.isnan(values).all(axis=1, keepdims=True), 0.0, values)
    return np.asarray(np.nanmedian(filled, axis=1), np.float64)


def _cadence(repeated: NDArray[np.bool_], moving: int) -> str:
    """Return the name of the pattern that repeats make."""
    count = int(np.count_nonzero(repeated))
    if count <= max(2, _RARE * moving):
        return "none"
    places = np.flatnonzero(repeated)
    steps = np.diff(places)
    for step, name in ((2, "2:2"), (5, "4:1 repeat")):
        if np.mean(steps == step) > _REGULAR and count >= _REGULAR * moving / step:
            return name
    return "irregular"


_RARE = 0.02
_REGULAR = 0.7
