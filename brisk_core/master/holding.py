"""What a comparison found, as a judge needs it: required, found, sentences and remedy of every characteristic."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from brisk_core.exact import spell_rate
from brisk_core.facts import Held, Sentence
from brisk_core.master.foreign import LaidOtherwise
from brisk_core.master.frame_map import IN_PLACE, FrameMap
from brisk_core.master.geometry import Geometry, tell_geometry
from brisk_core.master.levels import LevelCurve, tell_levels
from brisk_core.master.shots import Journey, MasterShot, map_document, shot_name
from brisk_core.master.shotwise import (
    Shotwise,
    tell_patches,
    tell_sharpness,
    tell_shot_colours,
    tell_shot_levels,
)
from brisk_core.master.similarity import Similarity
from brisk_core.master.sound_verdict import SoundVerdict, tell_sound

_REMEDY_OF_COLOUR = (
    "Export again without a change of colour: see pixel format, looks and colour settings of the export."
)
_REMEDY_OF_MATRIX = "Export with one colour matrix, in the picture and in what the file says of it."
_REMEDY_OF_LEVELS = "Convert the range once only: let either the timeline or the export do it, not both."
_REMEDY_OF_SHOTS = "Look at the grade and the effects of these shots in the timeline, and export them again."
_REMEDY_OF_LIKENESS = "Raise the bit rate of the export, or encode in two passes; look at the worst frames first."
_REMEDY_OF_SHARPNESS = (
    "Switch off sharpening, in the export or over the timeline, unless it was ordered, and export again."
)
_REMEDY_OF_PARTS = (
    "Switch off what was laid over the picture (a logo, a timecode, captions, a mask), unless it was ordered, and "
    "export again."
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Holding:
    """Puts what was found of one file into what is held of it."""

    found: FrameMap
    by_cuts: bool  #: was it mapped by its cuts alone?
    ordered: tuple[int, int]  #: frames of the master, the second is the first after
    shots: Sequence[MasterShot]
    rate: Fraction  #: frames a second of the file
    aspects: tuple[Fraction, Fraction]  #: of the samples of file and master
    tracks: tuple[int, int]  #: of sound, of file and master
    shotwise: Shotwise | None  #: None where no pictures could be compared
    otherwise: Sequence[LaidOtherwise]

    def map(self, journey: Journey) -> Held:
        """Return what is held of the map."""
        start, end = self.ordered
        there = sum(row.file_start is not None for row in journey.shots if not row.outside)
        asked = sum(not row.outside for row in journey.shots)
        way = f", {spell_rate(self.rate)} made by {journey.way}" if journey.way else ""
        told = journey.sentences
        if self.by_cuts:
            says = "The frames were mapped by the cuts alone, because the picture is cut another way than the master's."
            told = (*told, Sentence(says=says, frame=None, fault=False))
        return Held(
            right=journey.right,
            required=f"frames {start} to {end} of the master",
            found=f"{there} of {asked} shots there{way}" if journey.right else f"{there} of {asked} shots there",
            document=map_document(self.found, journey) | {"by_cuts": self.by_cuts},
            sentences=told,
            remedy="Export again from the timeline that the master was made from, with the ordered range and its rate.",
        )

    def geometry(self, found: Geometry | None) -> Held:
        """Return what is held of how the master lies in the file."""
        if found is None:
            return Held(right=None, required="the picture of the master", found="too little detail to tell")
        sentences, words = tell_geometry(found, *self.aspects)
        for one in self.otherwise:
            middle = float(self.found.places[(one.start + one.end) // 2])
            shot = next((shot for shot in self.shots if shot.start <= middle < shot.end), None)
            where = f"In shot {shot_name(shot)}" if shot else f"From frame {one.start}"
            says = (
                f"{where} the picture lies otherwise than in the rest: {tell_geometry(one.geometry, *self.aspects)[1]}."
            )
            sentences = (*sentences, Sentence(says=says, frame=one.start, end=one.end, fault=True))
        return Held(
            right=not any(one.fault for one in sentences),
            required="the picture of the master",
            found=words + _other_shots(len(self.otherwise)),
            document=found.to_json(),
            sentences=sentences,
            remedy="Set size, pixel aspect and fitting of the export so that the shape of the master stays.",
        )

    def levels(self, curve: LevelCurve | None) -> Held:
        """Return what is held of levels and colour, of the whole and of single shots."""
        # Another matrix mixes colours into each other and into luma, in each shot by what is in it.
        alike = curve is None or curve.colours.converted is None
        found = self.shotwise.levels(self.shots) if self.shotwise and alike else []
        coloured = self.shotwise.colours(self.shots) if self.shotwise and alike else []
        shots = [*tell_shot_levels(found, shot_name), *tell_shot_colours(coloured, shot_name)]
        otherwise = len({one.shot.number for one in found} | {one.shot.number for one in coloured})
        if curve is None and not shots:
            return Held(right=None, required="the levels of the master", found="the pictures are too flat to tell")
        sentences, words = tell_levels(curve) if curve else ((), "too flat to tell as a whole")
        sentences = (*sentences, *shots)
        return Held(
            right=not any(one.fault for one in sentences),
            required="gain 1, offset 0",
            found=words + _other_shots(otherwise),
            document=curve
            and curve.to_json() | {"shots": [*(one.to_json() for one in found), *(one.to_json() for one in coloured)]},
            sentences=sentences,
            remedy=_remedy(curve, otherwise),
        )

    def similarity(self, found: Similarity | None) -> Held:
        """Return what is held of how like the master its pictures are, as wholes and in their parts."""
        if found is None:
            return Held(right=None, required="as the master", found="no pictures could be compared")
        # A picture that stands in another's place is a fault of the map, not of the coding.
        judged = found.without(set(np.flatnonzero(self.found.kinds != IN_PLACE).tolist()))
        worst = judged.worst[0]
        patches = self.shotwise.patches(self.shots) if self.shotwise else []
        softness, sharpness = (self.shotwise.softness, self.shotwise.sharpness) if self.shotwise else (None, None)
        document = found.to_json() | {
            "patches": [one.to_json() for one in patches],
            "softness": softness and round(softness, 3),
            "sharpness": sharpness and round(sharpness, 3),
        }
        says = f"SSIM {judged.mean:.3f}, worst {worst.ssim:.3f} at frame {worst.frame}; PSNR {document['psnr']:.1f} dB."
        sentence = Sentence(says=says, frame=worst.frame, fault=not judged.right)
        told = [*tell_patches(patches, shot_name), *tell_sharpness(softness, sharpness)]
        return Held(
            right=judged.right and not patches,
            required="SSIM at least 0.94, no picture below 0.85, nothing in it that the master does not have",
            found=f"SSIM {judged.mean:.3f}, worst {worst.ssim:.3f}" + _other_parts(len(patches)),
            document=document,
            sentences=(*told, sentence) if told else (sentence,),
            remedy=_remedy_of_likeness(bool(patches), sharper=sharpness is not None and judged.right),
            look=softness is not None or sharpness is not None,
        )

    def sound(self, found: SoundVerdict | None) -> Held:
        """Return what is held of the sound."""
        tracks = self.tracks
        required = "the sound of the master"
        if not tracks[0] and not tracks[1]:
            return Held(right=True, required="no sound, as the master", found="no sound")
        if not all(tracks):
            which = (
                "The file has no sound, the master has." if not tracks[0] else "The master has no sound, the file has."
            )
            sentence = Sentence(says=which, frame=0, fault=True)
            return Held(right=False, required=required, found="only one has sound", sentences=(sentence,))
        if found is None:
            return Held(right=None, required=required, found="the sound is too quiet to compare")
        sentences, words = tell_sound(found, self.rate)
        return Held(
            right=not any(one.fault for one in sentences),
            required=required,
            found=words,
            document=found.to_json(),
            sentences=sentences,
            remedy="Line up sound and picture in the timeline, check routing and sample rate, and export again.",
            look=found.look,
        )


def _remedy_of_likeness(parts: bool, *, sharper: bool) -> str:
    if parts:
        return _REMEDY_OF_PARTS
    return _REMEDY_OF_SHARPNESS if sharper else _REMEDY_OF_LIKENESS


def _other_shots(count: int) -> str:
    return f"; {count} shot{'s' if count > 1 else ''} otherwise" if count else ""


def _other_parts(count: int) -> str:
    return f", {count} part{'s' if count > 1 else ''} of the picture otherwise" if count else ""


def _remedy(curve: LevelCurve | None, otherwise: int) -> str:
    """What to do about levels and colour; ``otherwise`` shots lie otherwise than the rest."""
    if curve and curve.fault_of_colour:
        return _REMEDY_OF_MATRIX if curve.colours.is_of_matrix else _REMEDY_OF_COLOUR
    if curve and curve.colours.is_other and not curve.range_says:
        return _REMEDY_OF_COLOUR
    return _REMEDY_OF_SHOTS if otherwise and not (curve and curve.changed) else _REMEDY_OF_LEVELS
