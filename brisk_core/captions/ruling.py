"""One caption document under the rules, and what a rule's sentences make together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from brisk_core.captions.burned import Burned
from brisk_core.captions.document import CaptionDocument
from brisk_core.captions.placing import Placed, Programme
from brisk_core.captions.timing import Evidence
from brisk_core.facts import Held, Sentence

MOST_SENTENCES = 400  #: of one rule; more are counted


@dataclass(frozen=True, slots=True, kw_only=True)
class Captioned:
    """The captions of a file, with what else is known of it."""

    documents: tuple[CaptionDocument, ...]
    evidence: Evidence | None = None  #: None while the file has not been scanned
    burned: Mapping[str, Burned] | None = None  #: by name of the document; None while it has not been looked for


@dataclass(frozen=True, slots=True, kw_only=True)
class CaptionSentence(Sentence):
    """What is said of one caption."""

    document: str  #: name
    place: int  #: of the caption in its document


@dataclass(frozen=True, slots=True)
class Ruling:
    """One document under the rules."""

    document: CaptionDocument
    programme: Programme
    placed: tuple[Placed, ...]
    prefix: str  #: names the document where there are several
    captioned: Captioned

    def told(self, one: Placed, says: str, *, fault: bool = True) -> CaptionSentence:
        """A sentence about a caption; its frames are kept inside the programme."""
        first = min(max(one.start, 0), self.programme.frames - 1)
        end = min(max(one.end, first + 1), self.programme.frames)
        where = f"{self.document.counts} {one.caption.place}"
        text = f"{self.prefix}{where}" if self.prefix else capitalised(where)
        return CaptionSentence(
            says=f"{text}: {says}",
            frame=first,
            end=end,
            fault=fault,
            document=self.document.name,
            place=one.caption.place,
        )


def capitalised(text: str) -> str:
    """Return a text as the beginning of a sentence."""
    return text[:1].upper() + text[1:]


def held_of(told: Sequence[Sentence], required: str, fine: str, remedy: str) -> Held:
    """Return what the sentences of a rule come to; ``fine`` is what was found where there is no fault."""
    faults = [one for one in told if one.fault]
    spans = [span for span in (one.span() for one in faults) if span]
    document = [
        {"start": span.start, "end": span.end, "detail": one.says} for span, one in zip(spans, faults, strict=False)
    ]
    word = "1 place" if len(faults) == 1 else f"{len(faults)} places"
    return Held(
        right=not faults,
        required=required,
        found=word if faults else fine,
        document=document[:MOST_SENTENCES],
        sentences=tuple(told[:MOST_SENTENCES]),
        remedy=remedy,
    )
