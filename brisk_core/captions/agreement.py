"""Captions beside a file held against those inside it: the same words, at the same time.

Sets of line 21 show capitals without accents, and a packager may split captions anew. So words are compared by their
letters and digits only, and a stretch of captions that says the same in other pieces is the same.
"""

from __future__ import annotations

import unicodedata
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from fractions import Fraction
from itertools import pairwise
from statistics import median

from brisk_core.captions.placing import Placed
from brisk_core.captions.ruling import Ruling, held_of
from brisk_core.facts import Held, Sentence

_IN_STEP = Fraction(1, 2)  # seconds by which one caption may come before or after the other
_SAME_TEXT = 0.5  # share of two words in a row that two documents of one text have in common at least
_FEWEST_PHRASES = 3
_SHOWN = 60  # characters of a text that is quoted
_REQUIRED = "the same inside as beside it"
_REMEDY = "Make the captions inside from the file that is sent beside it, or send the file that they were made from."
#: What is said where there is only one of the two.
ONLY_ONE = "captions are only inside it, or only beside it"


@dataclass(frozen=True, slots=True)
class _Piece:
    """Captions that stand for each other."""

    beside: Sequence[Placed]
    inside: Sequence[Placed]

    @property
    def same(self) -> bool:
        """Do both say the same?"""
        return _words(self.beside) == _words(self.inside)


def agreement_of(rulings: Sequence[Ruling]) -> Held:
    """Return whether captions beside a file and inside it agree; not known where none inside has the text."""
    textual = [ruling for ruling in rulings if not ruling.document.pictured and ruling.placed]
    inside = [ruling for ruling in textual if ruling.document.embedded]
    beside = [ruling for ruling in textual if not ruling.document.embedded]
    if not inside or not beside:
        return Held(right=None, required=_REQUIRED, found=ONLY_ONE, asked=False)
    pairs = [(one, other) for one in beside if (other := _counterpart(one, inside))]
    if not pairs:
        return Held(right=None, required=_REQUIRED, found="none inside has the text of the ones beside it", asked=False)
    told = [sentence for one, other in pairs for sentence in _differences(one, other)]
    return held_of(told, _REQUIRED, "the same words at the same time", _REMEDY)


def _counterpart(beside: Ruling, inside: Sequence[Ruling]) -> Ruling | None:
    """The captions inside that have most of the phrases of some beside; none where few of them are the same."""
    own = _phrases(beside)
    if own.total() < _FEWEST_PHRASES:
        return None
    others = [_phrases(one) for one in inside]
    shares = [2 * (own & other).total() / (own.total() + other.total()) for other in others]
    best = max(range(len(inside)), key=lambda at: shares[at])
    return inside[best] if shares[best] >= _SAME_TEXT else None


def _phrases(ruling: Ruling) -> Counter[tuple[str, str]]:
    """Two words in a row each: any two texts of one language share many words, but few of these."""
    return Counter(pairwise(_words(ruling.placed)))


def _differences(beside: Ruling, inside: Ruling) -> Iterator[Sentence]:
    pieces = list(_pieces(beside.placed, inside.placed))
    rate = beside.programme.rate
    apart = [piece.inside[0].start - piece.beside[0].start for piece in pieces if piece.same]
    usual = Fraction(round(median(apart))) / rate if apart else Fraction(0)
    if abs(usual) > _IN_STEP:
        says = f"All captions of {inside.document.name} come {_late(usual)} than in {beside.document.name}."
        yield Sentence(says=says, frame=0, end=beside.programme.frames, fault=True)
    else:
        usual = Fraction(0)
    where = inside.document.name
    for piece in pieces:
        if not piece.same:
            yield _other_words(beside, inside, piece)
            continue
        late = Fraction(piece.inside[0].start - piece.beside[0].start) / rate - usual
        if abs(late) > _IN_STEP:
            yield beside.told(piece.beside[0], f"comes {_late(late)} in {where}.")


def _other_words(beside: Ruling, inside: Ruling, piece: _Piece) -> Sentence:
    where = inside.document.name
    if not piece.inside:
        return beside.told(piece.beside[0], f"is missing in {where}: “{_quoted(piece.beside)}”")
    if not piece.beside:
        return inside.told(piece.inside[0], f"is not in {beside.document.name}: “{_quoted(piece.inside)}”")
    return beside.told(piece.beside[0], f"“{_quoted(piece.beside)}” is “{_quoted(piece.inside)}” in {where}.")


def _pieces(beside: Sequence[Placed], inside: Sequence[Placed]) -> Iterator[_Piece]:
    """Pair the captions of two documents by their text, in order; what does not pair stands for what lies across."""
    texts = [[" ".join(_words([one])) for one in each] for each in (beside, inside)]
    matcher = SequenceMatcher(None, texts[0], texts[1])  # texts that come over and over only pair beside others
    for tag, first, end, other_first, other_end in matcher.get_opcodes():
        own, other = beside[first:end], inside[other_first:other_end]
        if tag == "equal" or (tag == "replace" and len(own) == len(other) and _words(own) != _words(other)):
            yield from (_Piece([one], [two]) for one, two in zip(own, other, strict=True))
        elif tag == "replace":
            yield _Piece(own, other)
        else:
            yield from (_Piece([one], []) for one in own)
            yield from (_Piece([], [one]) for one in other)


def _words(placed: Sequence[Placed]) -> list[str]:
    """The words of captions in small letters, without accents and signs; what stood there before is left out."""
    text = " ".join(line for one in placed for line in one.caption.lines[one.caption.kept :])
    plain = unicodedata.normalize("NFKD", text.casefold())
    kept = "".join(sign if sign.isalnum() else " " for sign in plain if not unicodedata.combining(sign))
    return kept.split()


def _quoted(placed: Sequence[Placed]) -> str:
    text = " / ".join(" ".join(one.caption.lines) for one in placed)
    return text if len(text) <= _SHOWN else f"{text[: _SHOWN - 1]}…"


def _late(seconds: Fraction) -> str:
    return f"{abs(float(seconds)):.2f} s {'later' if seconds > 0 else 'earlier'}"
