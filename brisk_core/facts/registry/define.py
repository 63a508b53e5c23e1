"""How a characteristic is written down, and the closed sets of values that several share."""

from __future__ import annotations

from brisk_core.facts.characteristic import Characteristic, Group, JudgedBy, Stage, Witness
from brisk_core.facts.kinds import Kind

_LETTERS = {"D": Witness.DECLARED, "C": Witness.CODED, "O": Witness.OBSERVED}
WRAPPERS = (
    "mp4", "mov", "mxf-op1a", "mxf-opatom", "mxf-other", "mpeg-ts", "mpeg-ps", "matroska", "webm", "avi", "wav",
    "other",
)  # fmt: skip
CODECS = (
    "avc", "hevc", "mpeg2", "mpeg1", "mpeg4", "prores", "vc3", "ffv1", "jpeg2000", "mjpeg", "raw", "v210", "vp8", "vp9",
    "av1", "dv", "other",
)  # fmt: skip
CHROMAS = ("4:0:0", "4:1:1", "4:2:0", "4:2:2", "4:4:4")
CADENCES = ("none", "2:2", "3:2", "4:1 repeat", "irregular")
KINDS_OF_WORK = (
    "drama", "documentary", "talk", "sport", "stage", "drawn-film", "screen-recording", "titles", "still-pictures",
)  # fmt: skip
SHIFTS = ("none", "squeezed", "squeezed-twice", "stretched", "stretched-twice")


def define(
    id_: str,
    label: str,
    group: Group,
    kind: Kind,
    witnesses: str,
    definition: str,
    *,
    standard: str = "",
    unit: str = "",
    choices: tuple[str, ...] = (),
    per_track: bool = False,
    stage: Stage = Stage.PACKETS,
    judged_by: JudgedBy = JudgedBy.ALL,
) -> Characteristic:
    """Return a characteristic; ``witnesses`` names those who can speak by their letters D, C and O."""
    return Characteristic(
        id=id_,
        label=label,
        group=group,
        kind=kind,
        witnesses=frozenset(_LETTERS[letter] for letter in witnesses),
        definition=definition,
        stage=stage,
        standard=standard,
        unit=unit,
        choices=choices,
        per_track=per_track,
        judged_by=judged_by,
    )
