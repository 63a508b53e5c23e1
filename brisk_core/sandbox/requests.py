"""What can be asked of a child, and the type of each answer. All fields are as JSON has them; paths are texts."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any, ClassVar, Generic, Self, TypeVar

from brisk_core.facts import Depth

Answer = TypeVar("Answer", covariant=True)
Document = dict[str, Any]  # of a schema of ours


@dataclass(frozen=True, slots=True, kw_only=True)
class Request(Generic[Answer]):
    """One request; ``Answer`` is what ``run`` returns for it."""

    verb: ClassVar[str]  #: the name of the class in small letters
    kinds: ClassVar[dict[str, type[Request[Any]]]] = {}  #: every request, by its verb
    written: ClassVar[tuple[str, ...]] = ()  #: fields that name files which the child writes
    kept_in: ClassVar[tuple[str, ...]] = ()  #: fields that name folders which it writes into
    measures: ClassVar[bool] = False  #: does its child measure pictures, whatever it is asked?

    def __init_subclass__(cls) -> None:
        cls.verb = re.sub(r"(?<=[a-z])(?=[A-Z])", "_", cls.__name__).lower()
        Request.kinds[cls.verb] = cls  # the newest: a class with slots is made twice

    def to_json(self) -> Document:
        """Return the fields."""
        return asdict(self)

    @classmethod
    def from_json(cls, fields: Document) -> Self:
        """Return the request that ``to_json`` gave the fields of."""
        return cls(**fields)

    def measures_pictures(self) -> bool:
        """Does its child measure pictures, by loops that the server has at hand?"""
        return self.measures

    def reads(self) -> Iterator[str]:
        """Yield the files of others that the child may read: whole paths of this machine, without links on the way."""
        return self._paths(_OF_OTHERS)

    def knows(self) -> Iterator[str]:
        """Yield the files of ours that the child may read: what was measured before."""
        return self._paths(_OURS)

    def fetches(self) -> Iterator[str]:
        """Yield the addresses of files in other stores, of which the child is given ranges."""
        return (text for text in self._texts(_OF_OTHERS) if "://" in text and not text.startswith(("/", "file://")))

    def _paths(self, names: tuple[str, ...]) -> Iterator[str]:
        paths = (text.removeprefix("file://") for text in self._texts(names))
        return (path for path in paths if path.startswith("/"))

    def _texts(self, names: tuple[str, ...]) -> Iterator[str]:
        for name, value in self.to_json().items():
            if name not in (*self.written, *self.kept_in):
                yield from _texts(name, value, names)


#: Fields that name files, in requests and in what they hold.
_OF_OTHERS = ("url", "path")
_OURS = ("series_path", "scan_path", "sound_path", "pictures")
_DOCUMENTS = ("document", "inspection", "hints")  # of ours, in which no path is meant


def _texts(name: str, value: Any, names: tuple[str, ...]) -> Iterator[str]:
    if isinstance(value, Mapping):
        if name not in _DOCUMENTS:
            for inner, one in value.items():
                yield from _texts(inner, one, names)
    elif isinstance(value, list | tuple):
        for one in value:
            yield from _texts(name, one, names)
    elif name in names and isinstance(value, str):
        yield value


@dataclass(frozen=True, slots=True, kw_only=True)
class Walls(Request[Document]):
    """Which walls stand around a child.

    ``reach`` is a port of this machine that it tries to reach, ``probe`` a file that it tries to read.
    """

    reach: int | None = None
    probe: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Digest(Request[str]):
    """The XXH3-128 digest of a file in hexadecimal."""

    url: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Inspect(Request[Document]):
    """An inspection of schema ``brisk-sentry/inspection/1``."""

    written: ClassVar[tuple[str, ...]] = ("series_path", "scan_path")

    url: str
    name: str
    depth: str  #: a value of ``Depth``
    checksum: str | None = None  #: where it is known
    take_digest: bool = False
    series_path: str | None = None  #: where the series of packets is written
    scan_path: str | None = None  #: where the series of pictures and sound is written

    def measures_pictures(self) -> bool:
        return self.depth == Depth.FULL.value


@dataclass(frozen=True, slots=True, kw_only=True)
class FirstLook(Request[Document]):
    """A first look of schema ``brisk-sentry/first-look/1``."""

    measures: ClassVar[bool] = True
    kept_in: ClassVar[tuple[str, ...]] = ("small_folder",)

    url: str
    document: Document  #: the inspection of the headers
    small_folder: str | None = None  #: where small pictures are kept


@dataclass(frozen=True, slots=True, kw_only=True)
class ScanPart(Request[None]):
    """A scan of a segment of the pictures, of the sound, or of both, written to files."""

    written: ClassVar[tuple[str, ...]] = ("pictures_path", "sound_path")
    kept_in: ClassVar[tuple[str, ...]] = ("small_folder",)

    url: str
    series_path: str | None
    segment: Sequence[int] | None  #: first frame and end, None for a part without pictures
    sound: bool
    pictures_path: str
    sound_path: str
    full: bool  #: full range by the file's own word
    duration: float  #: seconds
    small_folder: str | None = None  #: where small pictures are kept

    def measures_pictures(self) -> bool:
        return self.segment is not None


@dataclass(frozen=True, slots=True, kw_only=True)
class Conclude(Request[Document]):
    """The inspection to its full depth, from the parts of a scan."""

    measures: ClassVar[bool] = True
    written: ClassVar[tuple[str, ...]] = ("scan_path",)
    kept_in: ClassVar[tuple[str, ...]] = ("small_folder",)

    url: str
    document: Document  #: the inspection so far
    series_path: str | None
    segments: Sequence[Sequence[int]]  #: first frame and end
    pictures: Sequence[str | None]  #: of each segment, None where it could not be scanned
    sound_path: str | None
    scan_path: str
    small_folder: str | None = None  #: where small pictures were kept; those that matter are left


@dataclass(frozen=True, slots=True, kw_only=True)
class Frames(Request[list[int]]):
    """Pictures of frames in a row, written to a folder; the numbers of those that could be decoded."""

    kept_in: ClassVar[tuple[str, ...]] = ("folder",)

    url: str
    series_path: str
    folder: str
    first: int
    count: int
    widest: int  #: samples
    view: str = "picture"
    full: bool = False  #: full range by the file's own word
    area: tuple[int, int, int, int] | None = None  #: active area: x, y, width, height

    @classmethod
    def from_json(cls, fields: Document) -> Self:
        return cls(**{**fields, "area": tuple(fields["area"]) if fields["area"] else None})


@dataclass(frozen=True, slots=True, kw_only=True)
class Samples(Request[Document]):
    """Code values around a place of a frame."""

    url: str
    series_path: str
    frame: int
    x: int
    y: int
    across: int
    down: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Strip(Request[list[int]]):
    """Small pictures of frames beside each other, written to a file; width and height of each."""

    written: ClassVar[tuple[str, ...]] = ("path",)

    url: str
    series_path: str
    frames: Sequence[int]
    path: str
    width: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Clip(Request[int]):
    """A stretch as a copy that every browser plays, written to a file; how many frames it has."""

    written: ClassVar[tuple[str, ...]] = ("path",)

    url: str
    series_path: str
    first: int
    count: int
    rate: str  #: frames a second, "25/1"
    start: str  #: timecode of frame 0, empty without one
    path: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Edit(Request[Document]):
    """An edit file as a timeline's JSON; raises ``EditRefused``."""

    path: str
    name: str
    hints: Mapping[str, Any]  #: as ``EditHints.from_json`` reads them


@dataclass(frozen=True, slots=True, kw_only=True)
class Captions(Request[Document]):
    """A caption file of schema ``brisk-sentry/captions/2``; raises ``CaptionsRefused``."""

    url: str
    name: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Companion(Request[Document]):
    """What a file that comes along is, as ``handoff.companion_files`` tells; ``kind`` is that which is asked for."""

    url: str
    name: str
    kind: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Embedded(Request[list[Document]]):
    """The text tracks of a file, each of schema ``brisk-sentry/captions/2``."""

    url: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Burned(Request[Document]):
    """Whether captions are in the picture already."""

    measures: ClassVar[bool] = True

    url: str
    inspection: Document
    series_path: str
    document: Document  #: of the captions


@dataclass(frozen=True, slots=True, kw_only=True)
class Side:
    """One file of a comparison."""

    url: str
    document: Document  #: its inspection
    series_path: str
    scan_path: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Against(Request[Document]):
    """A comparison with a master, of schema ``brisk-sentry/against/1``."""

    measures: ClassVar[bool] = True

    file: Side
    master: Side
    ordered: tuple[int, int] | None = None  #: first frame and end of the master that the file should hold
    names: Sequence[tuple[int, str]] = ()  #: first frames of shots in the master, and their names

    @classmethod
    def from_json(cls, fields: Document) -> Self:
        sides = {name: Side(**fields[name]) for name in ("file", "master")}
        return cls(**{**fields, **sides, "ordered": tuple(fields["ordered"]) if fields["ordered"] else None})


@dataclass(frozen=True, slots=True, kw_only=True)
class Sound:
    """A mix or a stem."""

    url: str
    name: str
    track: int | None = None  #: from 0; None for the first, or all of one channel


@dataclass(frozen=True, slots=True, kw_only=True)
class Stems(Request[Document]):
    """What stems add up to beside their mix, of schema ``brisk-sentry/stems/1``."""

    mix: Sound
    stems: Sequence[Sound]
    limit: float | None = None  #: dB below the mix that what is left over may have

    @classmethod
    def from_json(cls, fields: Document) -> Self:
        return cls(**{**fields, "mix": Sound(**fields["mix"]), "stems": [Sound(**one) for one in fields["stems"]]})
