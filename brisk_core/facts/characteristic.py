"""What a characteristic is: its group, its witnesses, what must be read before it can be observed, how it is judged."""

from __future__ import annotations

import enum
from dataclasses import dataclass, field

from brisk_core.facts.kinds import Kind


class Witness(enum.Enum):
    """Who says it."""

    DECLARED = "declared"  # the wrapper
    CODED = "coded"  # the stream's own headers
    OBSERVED = "observed"  # packets, pictures and samples


class Group(enum.Enum):
    """Groups of characteristics, in the order of the ribbon."""

    FILE = "File"
    WRAPPER = "Wrapper"
    PICTURE = "Picture"
    SCAN = "Scan, cadence"
    LEVELS = "Levels"
    BIT_RATE = "Bit rate"
    SOUND = "Sound"
    CAPTIONS = "Captions"
    TIMELINE = "Timeline"
    MASTER = "Master"


class Stage(enum.Enum):
    """What must be read before the observed witness can speak; the value is the reason given until then."""

    HEADERS = "the headers have not been read"
    PACKETS = "the packets have not been read"
    PICTURES = "the pictures have not been scanned"
    SAMPLES = "the sound has not been scanned"
    WHOLE = "the checksum has not been taken"
    CHECK = "this is known in a check only, not in an inspection"
    ORDER = "nobody has said it yet"  # of whoever orders the file, not of the file


class JudgedBy(enum.Enum):
    """Which witnesses a line of a spec is held against when it does not say."""

    ALL = "every witness that speaks"
    OBSERVED = "the observed witness"
    FIRST = "the first witness that speaks, in the order declared, coded, observed"


@dataclass(frozen=True, slots=True, kw_only=True)
class Characteristic:
    """One thing that can be known about a file."""

    id: str  #: stable; ``group.name``
    label: str  #: what the pages call it
    group: Group
    kind: Kind
    witnesses: frozenset[Witness]  #: who can speak at all
    definition: str  #: one sentence
    stage: Stage  #: what the observed witness needs
    standard: str = ""
    unit: str = ""  #: unit of plain numbers
    choices: tuple[str, ...] = ()  #: closed set of values, for kind CHOICE
    per_track: bool = False  #: a list in track order
    judged_by: JudgedBy = JudgedBy.ALL
    speakers: tuple[Witness, ...] = field(init=False)  #: who can speak, in the order declared, coded, observed

    def __post_init__(self) -> None:
        object.__setattr__(self, "speakers", tuple(witness for witness in Witness if witness in self.witnesses))
