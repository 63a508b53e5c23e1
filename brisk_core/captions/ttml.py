"""TTML and its IMSC text profile: timed paragraphs in XML (W3C TTML2; IMSC 1.2), with the line each stands on.

Entities and document types are refused: nothing of a caption file is fetched or expanded.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from itertools import pairwise
from xml.parsers import expat

from brisk_core.captions.decoding import odd_characters
from brisk_core.captions.document import Caption, CaptionDocument, Clock, Oddity, Remark
from brisk_core.captions.plain import flawed
from brisk_core.errors import CaptionsRefused, ValueRefused
from brisk_core.exact import Timecode, nominal_frames

_W3C = "http://www.w3.org/"
_XML = "http://www.w3.org/XML/1998/namespace"
_CLOCK = re.compile(r"(\d{2,9}):(\d\d):(\d\d)(?:(\.\d{1,12})|:(\d{2,9})(?:\.(\d{1,9}))?)?")  # TTML2, 12.3.1
_OFFSET = re.compile(r"(\d{1,18}(?:\.\d{1,12})?)(h|m|s|ms|f|t)")
_UNITS = {"h": Fraction(3600), "m": Fraction(60), "s": Fraction(1), "ms": Fraction(1, 1000)}
_PLACES = ("origin", "extent", "position", "displayAlign", "style")  # of a region: where it lies (TTML2, 10.2)
_DEEPEST = 100
_MOST_SPANS = 300  # with times of their own in one paragraph; a word at a time stays far below
_START = "documentStartOfProgramme"  # metadata of EBU-TT (EBU Tech 3350, 3.2)
_ENDLESS = "has no end, so it stands until the programme ends"
_SPACE = " \t\r\n"  #: of XML; others, such as the wide one of Japanese, are signs
_SPACES = re.compile(f"[{_SPACE}]+")
_TIMED = ("body", "div", "p", "span")
_ABOVE = ("text", "textContainer", "delimiter")  # tts:ruby of signs that say how others are read, not lines of text


@dataclass(frozen=True, slots=True)
class _Piece:
    """Text inside a paragraph; without times of its own it stands as long as the paragraph does."""

    text: str
    begin: Fraction | None = None
    end: Fraction | None = None


@dataclass(slots=True)
class _Element:
    name: str
    line: int
    begin: Fraction | None  #: seconds on the document's clock; None while nothing says
    end: Fraction | None
    region: str
    sequential: bool = False
    keeps_space: bool = False
    own_times: bool = False
    unread: bool = False  #: does it say a time that cannot be read?
    last_end: Fraction | None = None  #: of its newest child, for children in sequence
    is_above: bool = False  #: is it ruby, the reading of other signs?
    pieces: list[_Piece] = field(default_factory=list)


@dataclass(slots=True)
class _Reader:
    parser: expat.XMLParserType
    open: list[_Element] = field(default_factory=list)
    captions: list[Caption] = field(default_factory=list)
    remarks: list[Remark] = field(default_factory=list)
    rate: Fraction = Fraction(30)  # the default of ttp:frameRate (TTML2, 7.2.6)
    states_rate: bool = False
    sub_frames: int = 1
    ticks: Fraction = Fraction(1)
    clock: Clock = Clock.MEDIA
    language: str = ""
    pictured: bool = False
    seen_root: bool = False
    counts_frames: bool = False  #: some time of it names a frame
    drop: bool = False
    origin: Fraction | None = None  #: label of the first picture, in seconds
    regions: dict[str, dict[str, str]] = field(default_factory=dict)  #: where each region of the layout lies, by id

    def start(self, raw: str, attributes: dict[str, str]) -> None:
        namespace, _, name = raw.rpartition(" ")
        if len(self.open) > _DEEPEST:
            raise CaptionsRefused(f"line {self.parser.CurrentLineNumber}: elements lie deeper than {_DEEPEST}")
        if not self.seen_root:
            self._root(namespace, name, attributes)
        if name == "image" or any(key.endswith("backgroundImage") for key in attributes):
            self.pictured = True
        parent = self.open[-1] if self.open else None
        if name == "region":
            self.regions[attributes.get(f"{_XML} id", "")] = _place_of(attributes)
        elif name == "style" and parent and parent.name == "region" and self.regions:
            self.regions[next(reversed(self.regions))] |= _place_of(attributes)
        if name == "br" and parent:
            parent.pieces.append(_Piece("\n"))
        element = self._element(name, attributes, parent)
        self.open.append(element)

    def _root(self, namespace: str, name: str, attributes: dict[str, str]) -> None:
        self.seen_root = True
        if name != "tt" or not namespace.startswith(_W3C):
            of = f"of the namespace {namespace[:60]}" if namespace else "without a namespace"
            met = f"line {self.parser.CurrentLineNumber}: met <{name}> {of} as the outermost element"
            raise CaptionsRefused(f"{met}; expected <tt> of TTML, whose namespace begins with {_W3C}")
        # Drafts of the standard have namespaces of their own (2004/11, 2006/10); parameters are found in all of them.
        said = {key.rpartition(" ")[2]: value for key, value in attributes.items()}
        self.language = said.get("lang", "")
        try:
            if "frameRate" in said:
                self.rate, self.states_rate = Fraction(int(said["frameRate"])), True
            if "frameRateMultiplier" in said:
                above, below = said["frameRateMultiplier"].replace(":", " ").split()
                self.rate *= Fraction(int(above), int(below))
            self.sub_frames = int(said.get("subFrameRate", "1"))
            ticks = int(said["tickRate"]) if "tickRate" in said else 0
            self.ticks = Fraction(ticks or (self.rate * self.sub_frames if self.states_rate else 1))
        except (ValueError, ZeroDivisionError) as error:
            raise CaptionsRefused(f"line 1: the rates of <tt> cannot be read ({error})") from error
        if not 1 <= self.rate <= 1000 or self.sub_frames < 1:
            raise CaptionsRefused(f"line 1: met a frame rate of {float(self.rate):g}; expected 1 to 1000")
        self.clock = Clock.TIMECODE if said.get("timeBase") == "smpte" else Clock.MEDIA
        self.drop = said.get("dropMode") == "dropNTSC"

    def _element(self, name: str, attributes: dict[str, str], parent: _Element | None) -> _Element:
        line = self.parser.CurrentLineNumber
        said = {key.rpartition(" ")[2]: value for key, value in attributes.items()}
        element = _Element(
            name=name,
            line=line,
            begin=parent.begin if parent else None,
            end=parent.end if parent else None,
            region=said.get("region", parent.region if parent else ""),
            sequential=said.get("timeContainer") == "seq",
            keeps_space=(attributes.get(f"{_XML} space") or ("preserve" if parent and parent.keeps_space else ""))
            == "preserve",
            is_above=said.get("ruby") in _ABOVE,
        )
        if name not in _TIMED or not any(key in said for key in ("begin", "end", "dur")):
            return element
        base = (parent.begin if parent else None) or Fraction(0)
        if parent and parent.sequential and parent.last_end is not None:
            base = parent.last_end
        if self.clock is Clock.TIMECODE:
            base = Fraction(0)  # labels, not lengths
        times = {key: self._time(said.get(key), line) for key in ("begin", "end", "dur")}
        begin, end, length = times.values()
        element.own_times = True
        element.unread = any(key in said and time is None for key, time in times.items())
        element.begin = base + begin if begin is not None else base if end is not None or length is not None else None
        ends = [base + end] if end is not None else []
        ends += [element.begin + length] if length is not None and element.begin is not None else []
        ends += [parent.end] if parent and parent.end is not None else []
        element.end = min(ends) if ends else None
        if parent:
            parent.last_end = element.end
        return element

    def _time(self, text: str | None, line: int) -> Fraction | None:
        if text is None:
            return None
        clock, offset = _CLOCK.fullmatch(text.strip()), _OFFSET.fullmatch(text.strip())
        if clock:
            hours, minutes, seconds, fraction, frames, parts = clock.groups()
            whole = int(hours) * 3600 + int(minutes) * 60 + int(seconds)
            if says := self._beyond(*(int(part or 0) for part in (minutes, seconds, frames))):
                self.remarks.append(Remark(line=line, kind=Oddity.UNREADABLE, says=f"met “{text.strip()}”; {says}"))
            self.counts_frames = self.counts_frames or frames is not None
            if self.clock is Clock.TIMECODE:
                return self._label(text.strip(), line)
            counted = Fraction(int(frames or 0)) + Fraction(int(parts or 0), self.sub_frames)
            return whole + Fraction(fraction or 0) + counted / self.rate
        if offset:
            number, unit = Fraction(offset.group(1)), offset.group(2)
            if unit in _UNITS:
                return number * _UNITS[unit]
            self.counts_frames = self.counts_frames or unit == "f"
            return number / (self.rate if unit == "f" else self.ticks)
        says = f"met “{text[:40]}” as a time; expected 00:00:00.000, 00:00:00:00 or a number with h, m, s, ms, f or t"
        self.remarks.append(Remark(line=line, kind=Oddity.UNREADABLE, says=says))
        return None

    def _beyond(self, minutes: int, seconds: int, frames: int) -> str:
        """Say which part of a clock time is larger than it can be (TTML2, 12.3.1); labels are read more strictly."""
        if self.clock is Clock.TIMECODE:
            return ""
        if minutes > 59 or seconds > 59:
            return "expected minutes and seconds up to 59"
        # The rate of a document counts, and not what it is with a multiplier (7.2.6).
        nominal = nominal_frames(self.rate)
        return f"expected a frame number up to {nominal - 1}, at {nominal} frames a second" if frames >= nominal else ""

    def _label(self, text: str, line: int) -> Fraction | None:
        """Read a label of a timecode; its parts of a frame, if any, are left out."""
        try:
            label = text.partition(".")[0]
            label = label if label.count(":") == 3 else f"{label}:00"
            return Timecode.parse(label, self.rate, drop=self.drop).frames / self.rate
        except ValueRefused as error:
            self.remarks.append(Remark(line=line, kind=Oddity.UNREADABLE, says=str(error)))
            return None

    def data(self, text: str) -> None:
        if self.open and self.open[-1].name == _START and self.clock is Clock.TIMECODE:
            self.origin = self._time(text, self.parser.CurrentLineNumber)
        elif self.open and self.open[-1].name in ("p", "span"):
            self.open[-1].pieces.append(_Piece(text if self.open[-1].keeps_space else _SPACES.sub(" ", text)))

    def end(self, _raw: str) -> None:
        element = self.open.pop()
        parent = self.open[-1] if self.open else None
        if element.name == "span" and parent and not element.is_above:
            if element.own_times and element.begin is not None:
                element.pieces = [
                    one if one.begin is not None else replace(one, begin=element.begin, end=element.end)
                    for one in element.pieces
                ]
            parent.pieces += element.pieces
        elif element.name == "p":
            self._keep(element)

    def _keep(self, element: _Element) -> None:
        lines = _lines(element, element.pieces)
        if not lines and not element.own_times:
            return  # an empty paragraph for layout
        if any(one.begin is not None for one in element.pieces):
            self._keep_steps(element)
            return
        if lines and not element.unread and (element.begin is None or element.end is None):
            says = "has no times: it stands all the time or is never seen, as the player likes"
            if element.begin is not None:
                says = _ENDLESS
            self.remarks.append(Remark(line=element.line, kind=Oddity.UNREADABLE, says=says))
        if element.begin is None or (element.end is None and not lines):
            return
        self._add(element, lines, element.begin, element.end)

    def _keep_steps(self, element: _Element) -> None:
        """Keep a paragraph whose spans come and go: one caption for each moment at which its text changes."""
        if len(element.pieces) > 2 * _MOST_SPANS:
            met = f"line {element.line}: a paragraph of {len(element.pieces)} parts with times of their own"
            raise CaptionsRefused(f"{met}; expected at most {_MOST_SPANS}")
        before: Caption | None = None
        for start, end, lines in _steps(element):
            if not lines:
                before = None
                continue
            if end is None:
                self.remarks.append(Remark(line=element.line, kind=Oddity.UNREADABLE, says=_ENDLESS))
            kept = 0
            if before is not None:
                kept = next(
                    (at for at, pair in enumerate(zip(before.lines, lines, strict=False)) if pair[0] != pair[1]),
                    min(len(before.lines), len(lines)),
                )
            before = self._add(element, lines, start, end, kept)

    def _add(
        self, element: _Element, lines: tuple[str, ...], start: Fraction, end: Fraction | None, kept: int = 0
    ) -> Caption:
        caption = Caption(
            start=start,
            end=start if end is None else end,
            lines=lines,
            place=element.line,
            region=element.region,
            stays=end is None,
            kept=kept,
        )
        self.captions.append(caption)
        if lines or not self.pictured:
            self.remarks += flawed(caption)
        return caption


def _place_of(attributes: dict[str, str]) -> dict[str, str]:
    said = {key.rpartition(" ")[2]: value.strip() for key, value in attributes.items()}
    return {key: said[key] for key in _PLACES if key in said}


def _by_place(captions: Sequence[Caption], regions: dict[str, dict[str, str]]) -> tuple[Caption, ...]:
    """Give captions of regions that lie at one place one region: some writers make a new one for each caption."""
    first: dict[tuple[tuple[str, str], ...], str] = {}
    same = {name: first.setdefault(tuple(sorted(place.items())), name) for name, place in regions.items() if place}
    return tuple(replace(one, region=same.get(one.region, one.region)) for one in captions)


def _lines(element: _Element, pieces: Sequence[_Piece]) -> tuple[str, ...]:
    """Return the lines of text of an element; runs of spaces are one unless the file keeps them (TTML2, 8.2.7)."""
    rows = (row.strip(_SPACE) for row in "".join(one.text for one in pieces).split("\n"))
    return tuple(row if element.keeps_space else _SPACES.sub(" ", row) for row in rows if row)


def _steps(element: _Element) -> Iterator[tuple[Fraction, Fraction | None, tuple[str, ...]]]:
    """Yield when the text of a paragraph begins and ends to stand as it is, and its lines; no end for the endless."""
    pieces = [one if one.begin is not None else replace(one, begin=element.begin, end=element.end)
              for one in element.pieces]  # fmt: skip
    moments = sorted({at for one in pieces for at in (one.begin, one.end) if at is not None})
    steps: list[tuple[Fraction, Fraction | None, tuple[str, ...]]] = []
    for start, end in [*pairwise(moments), (moments[-1], None)]:
        shown = [
            one for one in pieces
            if (one.begin is None or one.begin <= start) and (one.end is None or one.end > start)
        ]  # fmt: skip
        lines = _lines(element, shown)
        if steps and steps[-1][2] == lines:
            start = steps.pop()[0]
        steps.append((start, end, lines))
    yield from steps


def _refuse_type(*_: object) -> None:
    raise CaptionsRefused("it declares a document type, which may hold entities; expected TTML without one")


def read_ttml(data: bytes, name: str) -> CaptionDocument:
    """Read a TTML file; raises ``CaptionsRefused`` for XML that cannot be read, and for anything but TTML."""
    parser = expat.ParserCreate(namespace_separator=" ")
    reader = _Reader(parser)
    parser.buffer_text = True
    parser.StartElementHandler = reader.start
    parser.EndElementHandler = reader.end
    parser.CharacterDataHandler = reader.data
    parser.StartDoctypeDeclHandler = _refuse_type
    try:
        parser.Parse(data, True)
    except expat.ExpatError as error:
        raise CaptionsRefused(
            f"line {error.lineno}: it is not well-formed XML ({expat.ErrorString(error.code)})"
        ) from error
    except (ValueError, LookupError) as error:
        raise CaptionsRefused(f"its characters cannot be read ({error})") from error
    declared = re.match(rb"\s*(?:\xef\xbb\xbf)?<\?xml[^>]*encoding\s*=\s*[\"']([\w.-]+)", data)
    encoding = (
        declared.group(1).decode() if declared else "UTF-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "UTF-8"
    )
    if encoding.upper() == "UTF-8":
        reader.remarks += odd_characters(data.decode("utf-8", "replace"))
    reader.remarks.sort(key=lambda one: one.line)
    return CaptionDocument(
        name=name,
        format="TTML",
        captions=_by_place(reader.captions, reader.regions),
        encoding=encoding.upper(),
        language=reader.language,
        clock=reader.clock,
        rate=reader.rate if reader.counts_frames or (reader.clock is Clock.TIMECODE and reader.states_rate) else None,
        drop=reader.drop,
        origin=reader.origin,
        pictured=reader.pictured,
        remarks=tuple(reader.remarks),
    )
