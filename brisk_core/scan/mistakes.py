"""Signatures of known mistakes, put into sentences: what a person would say who has seen it before."""

from __future__ import annotations

from fractions import Fraction
from typing import TYPE_CHECKING

from brisk_core.exact import spell_rate
from brisk_core.facts import FactsBuilder, Scan, keys
from brisk_core.facts.mistakes import ENLARGED, ENLARGED_ACROSS, PROGRESSIVE_AS_FIELDS, PULLDOWN
from brisk_core.meters.enlargement import STANDARD_LINES, Enlarged, of_most

if TYPE_CHECKING:
    from brisk_core.scan.conclude import PictureVerdicts

_SHIFTS = {
    "squeezed": "Full range was mapped to narrow once too often; blacks turn grey.",
    "squeezed-twice": "Full range was mapped to narrow twice too often.",
    "stretched": "Levels are stretched: narrow range was blown up to full range, and shadows and lights are clipped.",
    "stretched-twice": "Levels are stretched twice: narrow range was blown up two times over; shadows are cut off.",
}
_UNTOLD_FULL = (
    "The samples fill the full range, but the file says narrow: levels were stretched once too often, or the range is "
    "flagged wrongly; shadows and lights are clipped when it is played."
)
_ENLARGED = 0.93  # of a side, below which a picture counts as enlarged
_NEAR_LINES = 0.04
_SAME_SHAPE = 0.02  # difference of the shares of width and height that a picture of the frame's shape fills
_MOST_TOLD = 3


def picture_mistakes(builder: FactsBuilder, verdicts: PictureVerdicts) -> tuple[str, ...]:
    """Return a sentence for each signature that is found."""
    found = [*_of_rate(verdicts), *_of_order(verdicts), *_of_fields(builder, verdicts), *_of_shape(verdicts)]
    if verdicts.range.shift in _SHIFTS:
        found.insert(0, _SHIFTS[str(verdicts.range.shift)])
    elif verdicts.range.range == "full" and not verdicts.full:
        found.insert(0, _UNTOLD_FULL)
    return tuple(found)


def _of_rate(verdicts: PictureVerdicts) -> list[str]:
    rate, source = verdicts.rate, verdicts.motion.source_rate
    if source is not None:
        return [
            f"{spell_rate(rate)} was made from {spell_rate(source)} frames a second by blending neighbours: "
            "moving edges are double."
        ]
    if verdicts.steadiness.cadence == "2:2":
        return [f"Every picture is shown twice: {spell_rate(rate)} was made from {spell_rate(rate / 2)} by doubling."]
    if verdicts.steadiness.cadence == "4:1 repeat":
        return [
            f"One picture of five is a repeat: {spell_rate(rate)} was made from {spell_rate(rate * Fraction(4, 5))}."
        ]
    return []


def _of_order(verdicts: PictureVerdicts) -> list[str]:
    swaps = verdicts.motion.swaps
    sentences = [
        f"Frames {start} and {start + 1} stand in each other's place: motion goes back for one frame."
        for start, _ in swaps[:_MOST_TOLD]
    ]
    if len(swaps) > _MOST_TOLD:
        sentences.append(f"{len(swaps) - _MOST_TOLD} more pairs of frames stand in each other's place.")
    return sentences


def _of_fields(builder: FactsBuilder, verdicts: PictureVerdicts) -> list[str]:
    found = verdicts.fields
    said = builder.told(keys.PICTURE_SCAN)
    order = builder.told(keys.PICTURE_FIELD_ORDER)
    sentences = []
    if found.scan == Scan.PULLDOWN_3_2:
        sentences.append(PULLDOWN.says())
    if found.scan == Scan.INTERLACED and said == Scan.PROGRESSIVE:
        sentences.append("Fields are woven into a stream that is coded as progressive: every player shows combs.")
    if found.order and order and found.order != order and found.scan == Scan.INTERLACED:
        sentences.append(
            f"The field order is turned: coded {order} first, but the {found.order} field is earlier; motion judders."
        )
    if found.scan == Scan.PROGRESSIVE and said == Scan.INTERLACED:
        sentences.append(PROGRESSIVE_AS_FIELDS.says())
    return sentences


def _of_shape(verdicts: PictureVerdicts) -> list[str]:
    sentences = []
    if verdicts.area.bars == "all" and verdicts.area.area:
        sentences.append(_of_frame(verdicts.area.area, verdicts.size))
    height = verdicts.size[1]
    most = of_most(verdicts.enlarged, verdicts.count)
    if most is not None:
        sentences.append(_of_all(most, verdicts.size))
    elif verdicts.detail and verdicts.progressive and verdicts.detail[1] < _ENLARGED * height:
        sentences.append(ENLARGED.says(lines=_likely(verdicts.detail[1])))
    partly = [one for one in verdicts.enlarged if one is not most]
    sentences.extend(_of_shot(one, verdicts.size) for one in partly[:_MOST_TOLD])
    if len(partly) > _MOST_TOLD:
        sentences.append(f"{len(partly) - _MOST_TOLD} more stretches were enlarged.")
    return sentences


def _of_all(enlarged: Enlarged, size: tuple[int, int]) -> str:
    if enlarged.factor == 1:
        return ENLARGED_ACROSS.says(samples=round(size[0] / enlarged.across))
    return ENLARGED.says(lines=round(size[1] / enlarged.factor))


def _of_shot(shot: Enlarged, size: tuple[int, int]) -> str:
    where = f"Frames {shot.start} to {shot.end - 1} were enlarged"
    if shot.factor == 1:
        return f"{where} sideways from about {round(size[0] / shot.across)} samples a line."
    return f"{where} from about {round(size[1] / shot.factor)} lines."


def _of_frame(area: tuple[int, int, int, int], size: tuple[int, int]) -> str:
    """Return what bars on all four sides mean: even ones around the right shape, or bars inside bars."""
    across, down = area[2] / size[0], area[3] / size[1]
    if abs(across - down) <= _SAME_SHAPE:
        share = f"{(across + down) * 50:.0f} %"
        return f"Bars on all four sides: the picture stands at {share} of its size and does not fill the frame."
    return "Bars on all four sides: letterbox inside pillarbox, the picture was fitted twice."


def _likely(lines: int) -> int:
    """The standard number of lines that is meant by the end of a spectrum, where one is near."""
    near = min(STANDARD_LINES, key=lambda one: abs(one - lines))
    return near if abs(near - lines) <= _NEAR_LINES * lines else lines
