"""The judge: an inspection held against a spec, line by line, with what is said, why, and what to change."""

from __future__ import annotations

from collections.abc import Mapping, Sequence, Set

from brisk_core.captions import Captioned
from brisk_core.edit import FrameRange, Timeline, agree, hold
from brisk_core.facts import Held, Inspection, Unheard, Witness, keys
from brisk_core.packets import PacketSeries
from brisk_core.spec.against import MASTER_LINES, TIMELINE_LINES
from brisk_core.spec.captioned import CaptionVerdicts, caption_lines_of, with_sidecars
from brisk_core.spec.check import Check
from brisk_core.spec.conditions import FitsBuffer
from brisk_core.spec.document import Spec
from brisk_core.spec.integrity import INTEGRITY
from brisk_core.spec.line import Hearing, Line
from brisk_core.spec.ordered import without_ordered
from brisk_core.spec.rules import word
from brisk_core.spec.together import brought_together

#: Of the lines that a timeline brings, those that say nothing where there is nothing to ask.
_ONLY_WHERE_ASKED = (keys.EDIT_GAPS.id, keys.EDIT_CHAPTERS.id)


def judge(
    spec: Spec,
    inspection: Inspection,
    *,
    timeline: Timeline | None = None,
    covered: FrameRange | None = None,
    series: PacketSeries | None = None,
    master: Mapping[str, Held] | None = None,
    captioned: Captioned | None = None,
    kind_of_work: str | None = None,
    integrity: bool = True,
    only: Set[str] | None = None,
) -> Check:
    """Judge an inspection by a spec, by a range of a timeline and a master where they are given, and for integrity.

    ``series`` is the packet series of the inspection, for lines that give a buffer; ``master`` is what holding the file
    against its master found, empty while that is not known, and ``None`` without a master; ``captioned`` are the
    captions beside it and in it; ``kind_of_work`` is what the order says, for cases that ask for it; ``only`` limits
    the lines to some ids. Nothing of the file is read.
    """
    captioned = captioned if captioned and captioned.documents else None
    inspection = without_ordered(spec, with_sidecars(inspection, captioned).ordered_as(kind_of_work))
    held = brought_together({**(hold(inspection, timeline, covered) if timeline else {}), **(master or {})})
    hearing = Hearing(
        inspection=inspection,
        captions=CaptionVerdicts(captioned, inspection),
        word=word,
        agreements=agree(inspection, timeline, covered) if timeline else None,
        series=series,
        held=held,
        with_master=master is not None,
    )
    lines = list(spec.lines)
    if integrity:
        lines += _beside(spec, hearing, caption_lines_of(captioned)) + _of_every_file(spec, hearing, only)
    wanted = [line for line in lines if only is None or line.id in only]
    return Check(spec=spec, findings=tuple(line.condition.judge(line, hearing) for line in wanted))


def _of_every_file(spec: Spec, hearing: Hearing, only: Set[str] | None) -> list[Line]:
    """The integrity lines that apply to this file and that the spec does not ask about in its own way."""
    asked = {line.characteristic.id for line in spec.lines}
    wanted = [line for line in INTEGRITY if only is None or line.id in only]
    return [line for line in wanted if line.characteristic.id not in asked and _speaks(line, hearing)]


def _speaks(line: Line, hearing: Hearing) -> bool:
    witnessed = hearing.inspection.facts[line.characteristic.id]
    return bool(witnessed.spoken()) or any(witnessed.of(one) is Unheard.UNHEARD for one in Witness)


def _beside(spec: Spec, hearing: Hearing, of_captions: Sequence[Line]) -> list[Line]:
    """The lines that a timeline, a master and captions bring, where the spec does not ask in its own way."""
    asked = {id_ for line in spec.lines for id_ in (line.characteristic.id, line.condition.answers)}
    lines = [
        *(TIMELINE_LINES if hearing.agreements is not None else ()),
        *(MASTER_LINES if hearing.with_master else ()),
        *of_captions,
    ]
    return [line for line in lines if line.characteristic.id not in asked and not _is_idle(line, spec, hearing)]


def _is_idle(line: Line, spec: Spec, hearing: Hearing) -> bool:
    """Is there nothing that this line could say of the file?"""
    if line.characteristic.id == keys.EDIT_SHAPE.id:
        return _shape_is_ordered(spec, hearing)
    held = hearing.held.get(line.characteristic.id)
    return line.characteristic.id in _ONLY_WHERE_ASKED and (held is None or not held.asked)


def _shape_is_ordered(spec: Spec, hearing: Hearing) -> bool:
    """Does nothing speak of the shape, or does the spec itself order the file's size, whatever its timeline is?"""
    agreement = (hearing.agreements or {}).get(keys.EDIT_SHAPE.id)
    if agreement is None or agreement.agrees is None:
        return True
    size = hearing.inspection[keys.PICTURE_SIZE]
    return any(line.characteristic.id == keys.PICTURE_SIZE.id and line.condition.orders(size) for line in spec.lines)


def bit_rate_limits(spec: Spec, inspection: Inspection) -> dict[str, int]:
    """Return the bounds that the spec sets for the bits of this file's picture, as far as it sets them.

    ``least`` and ``most`` bound the mean, ``peak`` the most in one second, in bit/s; ``buffer_rate`` (bit/s) and
    ``buffer_size`` (bits) are those of a buffer. Cases are chosen as the judge chooses them.
    """
    found: dict[str, int] = {}
    for line in spec.lines:
        condition, _ = line.condition.chosen(inspection)
        least, most = condition.bounds if condition else (None, None)
        if line.characteristic.id == keys.BITRATE_AVERAGE.id:
            found |= {name: int(value) for name, value in (("least", least), ("most", most)) if value is not None}
        elif line.characteristic.id == keys.BITRATE_PEAK_1S.id and most is not None:
            found["peak"] = int(most)
        elif isinstance(condition, FitsBuffer):
            found |= {"buffer_rate": condition.rate, "buffer_size": condition.size}
    return found
