"""TTML and its IMSC text profile: timed paragraphs in XML (W3C TTML2; IMSC 1.2), with the line each stands on.

Entities and document types are refused: nothing of a caption file is fetched or expanded.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from fractions import Fraction
from xml.parsers import expat

from brisk_core.captions.decoding import odd_characters
from brisk_core.captions.document import Caption, CaptionDocument, Clock, Oddity, Remark
from brisk_core.captions.plain import flawed
from brisk_core.errors import CaptionsRefused, ValueRefused
from brisk_core.exact import Timecode

_XML = "http://www.w3.org/XML/1998/namespace"
_CLOCK = re.compile(r"(\d{2,9}):(\d\d):(\d\d)(?:(\.\d{1,12})|:(\d{2,9})(?:\.(\d{1,9}))?)?")  # TTML2, 12.3.1
_OFFSET = re.compile(r"(\d{1,18}(?:\.\d{1,12})?)(h|m|s|ms|f|t)")
_UNITS = {"h": Fraction(3600), "m": Fraction(60), "s": Fraction(1), "ms": Fraction(1, 1000)}
_DEEPEST = 100
_TIMED = ("body", "div", "p", "span")


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
    last_end: Fraction | None = None  #: of its newest child, for children in sequence
    text: list[str] = field(default_factory=list)


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

    def start(self, raw: str, attributes: dict[str, str]) -> None:
        namespace, _, name = raw.rpartition(" ")
        if len(self.open) > _DEEPEST:
            raise CaptionsRefused(f"line {self.parser.CurrentLineNumber}: elements lie deeper than {_DEEPEST}")
        if not self.seen_root:
            self._root(namespace, name, attributes)
        if name == "image" or any(key.endswith("backgroundImage") for key in attributes):
            self.pictured = True
        parent = self.open[-1] if self.open else None
        if name == "br" and parent:
            parent.text.append("\n")
        element = self._element(name, attributes, parent)
        self.open.append(element)

    def _root(self, namespace: str, name: str, attributes: dict[str, str]) -> None:
        self.seen_root = True
        if name != "tt" or not namespace.startswith("http://www.w3.org/"):
            raise CaptionsRefused(f"line 1: met <{name}> as the outermost element; expected <tt> of TTML")
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
        )
        if name not in _TIMED or not any(key in said for key in ("begin", "end", "dur")):
            return element
        base = (parent.begin if parent else None) or Fraction(0)
        if parent and parent.sequential and parent.last_end is not None:
            base = parent.last_end
        if self.clock is Clock.TIMECODE:
            base = Fraction(0)  # labels, not lengths
        begin, end, length = (self._time(said.get(key), line) for key in ("begin", "end", "dur"))
        element.own_times = True
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
        if self.open and self.open[-1].name in ("p", "span"):
            element = self.open[-1]
            element.text.append(text if element.keeps_space else re.sub(r"\s+", " ", text))

    def end(self, _raw: str) -> None:
        element = self.open.pop()
        parent = self.open[-1] if self.open else None
        if element.name == "span" and parent and not element.own_times:
            parent.text += element.text
        elif element.name in ("p", "span"):
            self._keep(element)

    def _keep(self, element: _Element) -> None:
        lines = tuple(line for line in (one.strip() for one in "".join(element.text).split("\n")) if line)
        if not lines and not element.own_times:
            return  # an empty paragraph for layout
        if lines and (element.begin is None or element.end is None):
            says = "has no times, so it is never seen"
            if element.begin is not None:
                says = "has no end, so it stands until the programme ends"
            self.remarks.append(Remark(line=element.line, kind=Oddity.UNREADABLE, says=says))
        if element.begin is None or (element.end is None and not lines):
            return
        caption = Caption(
            start=element.begin,
            end=element.begin if element.end is None else element.end,
            lines=lines,
            place=element.line,
            region=element.region,
            stays=element.end is None,
        )
        self.captions.append(caption)
        if lines or not self.pictured:
            self.remarks += flawed(caption)


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
        captions=tuple(reader.captions),
        encoding=encoding.upper(),
        language=reader.language,
        clock=reader.clock,
        rate=reader.rate if reader.counts_frames else None,
        drop=reader.drop,
        pictured=reader.pictured,
        remarks=tuple(reader.remarks),
    )
