"""A ladder: what a site or a device makes of a file that it is sent, and the copies that it makes of it.

Rows are tried in their order, as the cases of a condition are: the first that applies decides.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction

from brisk_core.errors import ValueRefused
from brisk_core.exact import parse_bit_rate, parse_rate, parse_seconds, positive
from brisk_core.facts import REGISTRY, Inspection, keys
from brisk_core.spec.condition_reader import ConditionReader
from brisk_core.spec.conditions import applies
from brisk_core.spec.line import Condition

KEPT, SCALED, FRAMES_LEFT_OUT = "kept", "scaled", "frames left out"
WRAPPED_ANEW, ENCODED_ANEW, REFUSED = "wrapped anew", "encoded anew", "refused"
OUTCOMES = (KEPT, SCALED, FRAMES_LEFT_OUT, WRAPPED_ANEW, ENCODED_ANEW, REFUSED)
_ALONE = (KEPT, REFUSED)  # nothing else happens to such a file
_MOST_ROWS, _MOST_COPIES = 50, 40
_MOST_LINES = 8640
_LONGEST_DELAY = 30 * 86_400  # seconds
_LABEL = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]{0,39}")
_COPY = ("label", "lines", "rate_at_most", "codec", "bit_rate", "delay")
_CODECS = REGISTRY[keys.PICTURE_CODEC.id].choices


@dataclass(frozen=True, slots=True, kw_only=True)
class Rung:
    """One row: when all these hold, this happens; an empty ``when`` is otherwise."""

    when: tuple[Condition, ...]
    outcomes: tuple[str, ...]  #: of ``OUTCOMES``, at least one
    why: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class LadderCopy:
    """One copy that is made of every file that is at least as tall."""

    label: str
    lines: int  #: of its picture
    codec: str | None = None
    rate_at_most: Fraction | None = None  #: pictures a second; of more, every second one is left out
    bit_rate: int | None = None  #: bits a second
    delay: Fraction | None = None  #: seconds after which it usually plays


@dataclass(frozen=True, slots=True, kw_only=True)
class Ladder:
    """Rows in their order, and copies, small ones first."""

    rungs: tuple[Rung, ...]
    copies: tuple[LadderCopy, ...]

    def chosen(self, inspection: Inspection) -> tuple[Rung | None, str]:
        """Return the row that applies to a file, or why none can be named; what nobody knows is never passed over."""
        for rung in self.rungs:
            holds, unknown = applies(rung.when, inspection)
            if unknown:
                return None, f"it depends on {unknown.label.lower()}, which is not known"
            if holds:
                return rung, ""
        return None, "no row of the ladder speaks of such a file"


class LadderReader:
    """Reads the ladder of a spec's document and notes every mistake with its place."""

    def __init__(self, conditions: ConditionReader) -> None:
        self.conditions = conditions
        self.note = conditions.note

    def read(self, raw: object) -> Ladder | None:
        """Return the ladder, or ``None`` after noting what is wrong with it."""
        before = len(self.conditions.mistakes)
        if not isinstance(raw, dict) or not raw or set(raw) - {"rows", "copies"}:
            self.note("ladder", f"met {raw!r}; expected a mapping with rows, and maybe copies")
            return None
        rungs = [self._rung(one, number) for number, one in self._listed(raw.get("rows"), "rows", _MOST_ROWS)]
        for number, rung in enumerate(rungs[:-1], 1):
            if rung and not rung.when:
                self.note(f"ladder, row {number}", "met otherwise before the last row; expected it at the end")
        given = raw.get("copies")
        listed = self._listed(given, "copies", _MOST_COPIES) if given is not None else []
        copies = [self._copy(one, number) for number, one in listed]
        labels = [copy.label for copy in copies if copy]
        for label in sorted({one for one in labels if labels.count(one) > 1}):
            self.note("ladder, copies", f"met {label!r} twice; expected every copy to have its own label")
        if len(self.conditions.mistakes) > before:
            return None
        return Ladder(
            rungs=tuple(rung for rung in rungs if rung),
            copies=tuple(sorted((copy for copy in copies if copy), key=lambda copy: copy.lines)),
        )

    def _listed(self, raw: object, name: str, most: int) -> list[tuple[int, object]]:
        if not isinstance(raw, list) or not 1 <= len(raw) <= most:
            met = f"{len(raw)} of them" if isinstance(raw, list) else repr(raw)
            self.note(f"ladder, {name}", f"met {met}; expected a list of 1 to {most}")
            return []
        return list(enumerate(raw, 1))

    def _rung(self, raw: object, number: int) -> Rung | None:
        place = f"ladder, row {number}"
        is_last = isinstance(raw, dict) and "otherwise" in raw
        wanted = {"otherwise"} if is_last else {"when", "outcome"}
        if not isinstance(raw, dict) or set(raw) - {"why"} != wanted:
            self.note(place, f"met {raw!r}; expected when (facts and their conditions) and outcome, or otherwise")
            return None
        when: tuple[Condition, ...] | None = () if is_last else self.conditions.read_when(raw["when"], place)
        outcomes = self._outcomes(raw["otherwise" if is_last else "outcome"], place)
        why = raw.get("why", "")
        if not isinstance(why, str):
            self.note(place, f"met {why!r} as why; expected a text")
            return None
        return Rung(when=when, outcomes=outcomes, why=" ".join(why.split())) if when is not None and outcomes else None

    def _outcomes(self, raw: object, place: str) -> tuple[str, ...]:
        names = raw if isinstance(raw, list) else [raw]
        wrong = [one for one in names if one not in OUTCOMES]
        if wrong or not names or len({*map(str, names)}) < len(names):
            self.note(place, f"met outcome {raw!r}; expected one or some of {', '.join(OUTCOMES)}")
            return ()
        if len(names) > 1 and (alone := next((one for one in names if one in _ALONE), None)):
            self.note(place, f"met {alone!r} beside others; expected it alone")
            return ()
        return tuple(names)

    def _copy(self, raw: object, number: int) -> LadderCopy | None:
        place = f"ladder, copy {number}"
        if not isinstance(raw, dict) or not {"label", "lines"} <= set(raw) <= set(_COPY):
            self.note(place, f"met {raw!r}; expected label and lines, and maybe {', '.join(_COPY[2:])}")
            return None
        before = len(self.conditions.mistakes)
        label, codec = raw["label"], raw.get("codec")
        if not isinstance(label, str) or not _LABEL.fullmatch(label):
            self.note(place, f"met label {label!r}; expected 1 to 40 letters, digits, dots, dashes and underscores")
        if codec is not None and codec not in _CODECS:
            self.note(place, f"met codec {codec!r}; expected one of {', '.join(_CODECS)}")
        lines = self.conditions.taken(_even_lines, raw, "lines", place)
        rate = self.conditions.taken(positive(parse_rate), raw, "rate_at_most", place)
        bit_rate = self.conditions.taken(positive(parse_bit_rate), raw, "bit_rate", place)
        delay = self.conditions.taken(_bearable, raw, "delay", place)
        if len(self.conditions.mistakes) > before or lines is None:
            return None
        return LadderCopy(label=label, lines=lines, codec=codec, rate_at_most=rate, bit_rate=bit_rate, delay=delay)


def _even_lines(value: object) -> int:
    if not isinstance(value, int) or isinstance(value, bool) or not 2 <= value <= _MOST_LINES or value % 2:
        raise ValueRefused(f"met {value!r}; expected an even number of 2 to {_MOST_LINES}")
    return value


def _bearable(value: object) -> Fraction:
    seconds = parse_seconds(value)
    if not 0 <= seconds <= _LONGEST_DELAY:
        raise ValueRefused(f"met {value!r}; expected 0 to 30 days")
    return seconds
