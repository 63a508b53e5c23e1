"""Rules for the names under which files leave the house, such as ``{title}_{size}_{rate}{scan}_V{attempt:2}``.

A rule builds a name from what is known, and says of a given name which of its fields differ. It is another thing than
the pattern by which renders are recognised when they come in.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from brisk_core.errors import ValueRefused

#: What a rule can name, and what it stands for.
FIELDS: dict[str, str] = {
    "title": "the title of the job",
    "deliverable": "the name of the deliverable",
    "size": "the size of the picture, 1920x1080",
    "height": "the lines of the picture, 1080",
    "rate": "frames a second, 25 or 2997",
    "scan": "p or i",
    "codec": "the codec of the picture",
    "language": "the language, as the deliverable says it",
    "date": "the day of handing over; {date:%Y%m%d} says how",
    "attempt": "the number of the attempt; {attempt:2} has two digits",
    "range": "the range of the timeline",
}
_FIELD = re.compile(r"\{([^{}:]*)(?::([^{}]*))?\}")
_RANGE = re.compile(r"([^\W_])-([^\W_])")
_ALLOWED = re.compile(r"(?:[^\W_]-[^\W_]|[\w .,'’()+=@~!#-])+")  # what may be in a list of allowed signs
_CASES = ("as it is", "upper", "lower")
_LONGEST = 255  # bytes of a name that file systems take
_DAY_SIGNS = re.compile(r"%[YymdHMj]|[-_.A-Za-z0-9]")
_RESERVED = {"con", "prn", "aux", "nul", *(f"{kind}{number}" for kind in ("com", "lpt") for number in range(1, 10))}


@dataclass(frozen=True, slots=True, kw_only=True)
class NameRule:
    """A rule; raises ``ValueRefused`` for one that could build no name."""

    text: str
    case: str = "as it is"  #: one of "as it is", "upper", "lower"
    allowed: str = "A-Za-z0-9._-"  #: signs that stay, with ranges; a run of others becomes one ``_``
    longest: int = _LONGEST  #: bytes of the whole name in UTF-8, its extension among them

    def __post_init__(self) -> None:
        mistakes = list(self._mistakes())
        if mistakes:
            raise ValueRefused("; ".join(mistakes))

    def _mistakes(self) -> Any:
        if not self.text.strip():
            yield "a naming rule cannot be empty"
        if self.case not in _CASES:
            yield f"met {self.case!r} as case; expected one of {', '.join(_CASES)}"
        if not 1 <= self.longest <= _LONGEST:
            yield f"met {self.longest} as the longest name; expected 1 to {_LONGEST}"
        if not _ALLOWED.fullmatch(self.allowed) or any(first > last for first, last in _RANGE.findall(self.allowed)):
            yield f"met {self.allowed[:40]!r} as allowed signs; expected a list such as A-Za-z0-9_-"
        if "/" in self.text or "\\" in self.text or "\0" in self.text:
            yield "a name cannot hold slashes; folders are part of the destination"
        rest = _FIELD.sub("", self.text)
        if "{" in rest or "}" in rest:
            yield "a brace is not closed, or stands alone"
        for name, how in _FIELD.findall(self.text):
            if name not in FIELDS:
                yield f"met the field {{{name}}}; expected one of {', '.join(FIELDS)}"
            elif name == "date" and how and _DAY_SIGNS.sub("", how):
                yield f"met {how!r} as a form of the day; expected one such as %Y%m%d"
            elif name == "attempt" and how and not (how.isdecimal() and 1 <= int(how) <= 9):
                yield f"met {how!r} as digits of the attempt; expected 1 to 9"
            elif name not in ("date", "attempt") and how:
                yield f"the field {{{name}}} takes no form, met {how!r}"

    def build(self, values: Mapping[str, Any], extension: str) -> str:
        """Return the name with its extension (".mp4", or empty).

        Raises ``ValueRefused`` where a field is not known, where the name is too long or nothing is left of it.
        """
        missing = [name for name, _ in _FIELD.findall(self.text) if values.get(name) in (None, "")]
        if missing:
            raise ValueRefused(f"not known: {', '.join(dict.fromkeys(missing))}")
        name = self._cased(_FIELD.sub(lambda one: self._spell(one[1], one[2], values), self.text)) + extension
        if not name.removesuffix(extension).strip("._- "):
            raise ValueRefused("nothing is left of the name once signs that are not allowed are taken out")
        if name.partition(".")[0].lower() in _RESERVED:
            raise ValueRefused(f"met the name {name!r}, which some systems keep for themselves")
        length = len(name.encode())
        if length > self.longest:
            raise ValueRefused(
                f"{name} has {length} bytes, {length - self.longest} more than the {self.longest} allowed"
            )
        return name

    def _spell(self, name: str, how: str | None, values: Mapping[str, Any]) -> str:
        value = values[name]
        if name == "date":
            text = value.strftime(how or "%Y%m%d") if isinstance(value, date) else str(value)
        elif name == "attempt":
            text = str(value).zfill(int(how or 1))
        else:
            text = str(value)
        return re.sub(f"[^{_as_class(self.allowed)}]+", "_", text)

    def _cased(self, name: str) -> str:
        return {"upper": name.upper, "lower": name.lower}.get(self.case, lambda: name)()

    def differences(self, name: str, values: Mapping[str, Any], extension: str) -> list[str]:
        """Return how a name differs from what the rule builds, field by field; empty if it does not."""
        wanted = self.build(values, extension)
        if name == wanted:
            return []
        found = self._taken_apart(name, extension)
        if found is None:
            return [f"met {name}; expected {wanted}"]
        said = []
        for at, (field, how) in enumerate(_FIELD.findall(self.text)):
            expected = self._cased(self._spell(field, how, values))
            if found[at] != expected:
                said.append(f"{field}: met {found[at]}, expected {expected}")
        return said or [f"met {name}; expected {wanted}"]

    def _taken_apart(self, name: str, extension: str) -> list[str] | None:
        """The parts of a name that stand where the rule has fields, ``None`` where it is built otherwise."""
        parts, last = [], 0
        for one in _FIELD.finditer(self.text):
            parts += [re.escape(self._cased(self.text[last : one.start()])), _SHAPES.get(one[1], "(.+?)")]
            last = one.end()
        pattern = "".join([*parts, re.escape(self._cased(self.text[last:]) + extension)])
        met = re.fullmatch(pattern, name)
        return list(met.groups()) if met else None


def _as_class(allowed: str) -> str:
    """A list of allowed signs as the inside of a class of a regular expression."""
    rest = _RANGE.sub("", allowed)
    return "".join(f"{first}-{last}" for first, last in _RANGE.findall(allowed)) + re.escape(rest)


#: What a field looks like in a name, where that is known.
_SHAPES = {
    "size": r"(\d+[xX]\d+)",
    "height": r"(\d+)",
    "rate": r"(\d+(?:[._]\d+)?)",
    "scan": r"([piPI])",
    "attempt": r"(\d+)",
}
