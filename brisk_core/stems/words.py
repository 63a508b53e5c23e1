"""What is said of stems, and their JSON."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.facts import Held, Sentence
from brisk_core.stems.explaining import Stretch, named
from brisk_core.stems.measure import LIMIT_LOSSY, StemFound, StemsFound
from brisk_core.stems.ways import ADDS_UP, FLOOR

STEMS_SCHEMA = "brisk-sentry/stems/1"
_MOST_COLUMNS = 1200  # of the lane
_LATE = 0.5 / 48_000  # seconds; more than half a sample
_SAID = 0.05  # ms; less is said in samples
_LOUDER, _MUCH_LOUDER, _GREATLY_LOUDER = 0.1, 0.5, 6.5  # dB: said; a fault though little is left; beside other faults
_MENDS = 6.0  # dB by which moving and levelling must bring the rest down to be told as the reason


def tell_stems(found: StemsFound, limit: float | None = None) -> Held:
    """Say whether stems add up to their mix; ``limit`` is in dB under the mix, that of the house without it."""
    allowed = _allowed(found, limit)
    enough, explained = found.residual <= allowed, _is_explained(found)
    said = _said_together(found, _of_stems(found, allowed))
    told = [Sentence(says=says, frame=None, fault=True) for says in (_of_mix(found),) if says]
    told += [Sentence(says=says, frame=None, fault=fault) for says, fault in said]
    told += [_of_stretch(stretch) for stretch in found.stretches]
    faults = [one for one in told if one.fault]
    if not enough and found.residual_fitted > allowed and not explained:
        left = _beside_the_mix(found.residual_fitted)
        after = "With every stem moved and levelled as it fits best, " if faults else "With the stems as they are, "
        says = (
            f"{after}{left} is left, most of it at {found.worst:.1f} s ({found.worst_level:.0f} dBFS): "
            "a stem is missing, or the mix was worked on after it was summed."
        )
        told.append(Sentence(says=says, frame=None, fault=True))
    elif not enough and not explained and found.residual - found.residual_fitted >= _MENDS:
        says = f"Mended so, {_beside_the_mix(found.residual_fitted)} would be left."
        told.append(Sentence(says=says, frame=None, fault=False))
    return Held(
        right=enough and not faults,
        required=f"at least {-allowed:.0f} dB under the mix",
        found=f"{_beside_the_mix(found.residual)} left",
        sentences=tuple(told),
        remedy="Export mix and stems again from one session, from one start, with the same processing on all of them.",
    )


def _beside_the_mix(rest: float) -> str:
    """How loud what is left is beside the mix; ``rest`` in dB."""
    if abs(rest) < 0.05:  # which is said as 0.0 dB
        return "as much as the mix"
    return f"{abs(rest):.1f} dB {'over' if rest > 0 else 'under'} the mix"


def _said_together(found: StemsFound, said: list[list[tuple[str, bool]]]) -> list[tuple[str, bool]]:
    """What is said of stems, once where it is the same of every stem that sounds: then it may be the mix."""
    sounding = [
        [(says.removeprefix(f"{stem.name} "), fault) for says, fault in one]
        for stem, one in zip(found.stems, said, strict=True)
        if stem.level > FLOOR + 20
    ]
    every = [one for one in sounding[0] if all(one in other for other in sounding[1:])] if len(sounding) > 2 else []
    rest = [
        (says, fault)
        for stem, one in zip(found.stems, said, strict=True)
        for says, fault in one
        if (says.removeprefix(f"{stem.name} "), fault) not in every
    ]
    return [(f"Every stem {says}", fault) for says, fault in every] + rest


def _allowed(found: StemsFound, limit: float | None) -> float:
    """What may be left, in dB under the mix."""
    return limit if limit is not None else LIMIT_LOSSY if found.lossy else ADDS_UP


def _is_explained(found: StemsFound) -> bool:
    """Is something said that bends the levels of all stems?"""
    return bool(found.stretches or _of_mix(found)) or any(map(_oddity, found.stems))


def _of_mix(found: StemsFound) -> str:
    """What is wrong with the mix itself, as a sentence; "" for nothing."""
    if found.mix_level <= FLOOR + 20:
        return "The mix is silent."
    if found.is_mono:
        return "Both channels of the mix hold the same sound, and those of its stems do not: the mix was made mono."
    lacks = f"The mix has nothing in its {named(found.lacking)}" if found.lacking else ""
    return f"{lacks}, where its stems have sound." if lacks else ""


def _of_stems(found: StemsFound, allowed: float) -> list[list[tuple[str, bool]]]:
    """What is said of each stem, and whether it is a fault."""
    if _of_mix(found):
        return [_of_stem(stem, True, levelled=False)[:1] if stem.level <= FLOOR + 20 else [] for stem in found.stems]
    enough, levelled = found.residual <= allowed, not _is_explained(found)
    return [_of_stem(stem, enough, levelled=levelled) for stem in found.stems]


def _of_stretch(stretch: Stretch) -> Sentence:
    start, end = f"{stretch.start:.2f}", f"{stretch.end:.2f}"
    return Sentence(says=f"From {start} to {end} s {stretch.says}.", frame=None, fault=True)


def _oddity(stem: StemFound) -> str:
    """What is wrong with a stem besides its delay, level and polarity, as the end of a sentence; "" for nothing."""
    if stem.same_as:
        return f"holds the same sound as {stem.same_as}"
    if stem.channels:
        return stem.channels
    if stem.speed:
        percent = abs(float(stem.speed) - 1) * 100
        return f"runs {percent:.1f} % {'faster' if stem.speed > 1 else 'slower'} than in the mix"
    if motion := stem.motion:
        before, after = _delay(motion.before), _delay(motion.after)
        if motion.slips_at is None:
            return f"drifts: it is {before} at the start and {after} at the end"
        return f"is {before} at first and {after} from about {motion.slips_at:.0f} s on"
    return ""


def _of_stem(stem: StemFound, enough: bool, *, levelled: bool) -> list[tuple[str, bool]]:
    """What is said of one stem, and whether it is a fault.

    ``enough`` where what is left is below the limit; not ``levelled`` where levels are bent by something else that is
    said, and only great ones are told.
    """
    if stem.level <= FLOOR + 20:
        return [(f"{stem.name} is silent.", False)]
    if odd := _oddity(stem):
        return [(f"{stem.name} {odd}.", True)]
    if not stem.heard:
        return [(f"{stem.name} is not in the mix.", True)]
    told = []
    if abs(stem.late) > _LATE:
        word = "late" if stem.late > 0 else "early"
        far = abs(stem.late) * 1000
        much = f"{far:.1f} ms" if far >= _SAID else _counted(round(far * 48))
        told.append((f"{stem.name} comes {much} {word}.", True))
    if abs(stem.gain) > (_LOUDER if levelled else _GREATLY_LOUDER):
        word = "louder" if stem.gain > 0 else "quieter"
        fault = not enough or abs(stem.gain) > _MUCH_LOUDER
        told.append((f"{stem.name} is {abs(stem.gain):.1f} dB {word} than in the mix.", fault))
    if stem.turned:
        told.append((f"{stem.name} is inverted in polarity.", True))
    return told


def _counted(samples: int) -> str:
    return "1 sample" if samples == 1 else f"{samples} samples"


def _delay(samples: int) -> str:
    if abs(samples) < 3:  # which is said as 0.0 ms
        return "in place"
    return f"{abs(samples) / 48:.1f} ms {'late' if samples > 0 else 'early'}"


def stems_document(found: StemsFound, limit: float | None = None) -> dict[str, Any]:
    """Return the JSON of schema ``brisk-sentry/stems/1``, with what is said; levels in dB, times in seconds."""
    held = tell_stems(found, limit)
    return {
        "schema": STEMS_SCHEMA,
        "right": held.right,
        "found": held.found,
        "required": held.required,
        "says": [one.says for one in held.sentences],
        "remedy": held.remedy,
        "length": round(found.length, 3),
        "lossy": found.lossy,
        "mix_level": round(found.mix_level, 2),
        "residual": round(found.residual, 2),
        "residual_fitted": round(found.residual_fitted, 2),
        "worst": {"at": round(found.worst, 2), "level": round(found.worst_level, 2)},
        "stems": [
            {
                "name": stem.name,
                "level": round(stem.level, 2),
                "heard": stem.heard,
                "odd": _oddity(stem),
                "late_ms": round(stem.late * 1000, 3),
                "gain": round(stem.gain, 2),
                "turned": stem.turned,
                "fine": None if _of_mix(found) else not any(fault for _, fault in said),
            }
            for stem, said in zip(found.stems, _of_stems(found, _allowed(found, limit)), strict=True)
        ],
        "lane": _lane(found.series),
    }


def _lane(series: NDArray[np.float32]) -> list[list[float]]:
    """Return the levels along time in so many columns at most, the greatest of each."""
    count = min(len(series), _MOST_COLUMNS)
    edges = np.arange(count) * len(series) // count
    columns = np.maximum.reduceat(series, edges, axis=0)
    return [[round(float(one), 1) for one in row] for row in columns]
