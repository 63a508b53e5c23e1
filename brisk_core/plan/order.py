"""Order: the rows of size, rate and scan that specs allow, the one that harms a picture least first.

Harm is told in shares: of the picture's samples that are lost or made up, of the frame that bars fill, of the frames
that are wrongly timed (``brisk_core.plan.rates``), of the moments that are lost where fields are taken apart.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import islice, product
from typing import Any

from brisk_core.exact import display_aspect, parse_rate, spell_rate, spell_ratio, spell_size
from brisk_core.facts import Scan, keys
from brisk_core.plan.rates import Target, ways
from brisk_core.plan.settings import planned_inspection
from brisk_core.spec import Outcome, Spec, judge
from brisk_core.spec.taking import named_values

_TAKEN_APART = Fraction(1, 4)  # of the picture, where fields are made into pictures
_MOST_ROWS = 10_000  # that are tried of a spec
_USUAL_RATES = tuple(parse_rate(one) for one in ("23.976", "24", "25", "29.97", "30", "50", "59.94", "60"))
#: Shapes of the sizes whose pixels are not square, where a spec does not say: ITU-R BT.601, SMPTE ST 125 and ST 274.
_SHAPES = {
    **dict.fromkeys(((720, 576), (704, 576), (720, 480), (704, 480), (720, 486)), (Fraction(4, 3), Fraction(16, 9))),
    (1440, 1080): (Fraction(16, 9),),
}
_OF_A_ROW = {
    key.id
    for key in (
        keys.PICTURE_SIZE,
        keys.PICTURE_FRAME_RATE,
        keys.PICTURE_SCAN,
        keys.PICTURE_CODEC,
        keys.PICTURE_DISPLAY_ASPECT,
        keys.PICTURE_PIXEL_ASPECT,
    )
}
_SAME_SHAPE = Fraction(1, 200)  # of a shape; less is what rounding to whole samples makes


@dataclass(frozen=True, slots=True, kw_only=True)
class Picture:
    """A picture's format: that of a source, or a row that a spec allows."""

    size: tuple[int, int]
    rate: Fraction
    interlaced: bool = False
    shape: Fraction | None = None  #: width over height as shown; that of square pixels without it

    @property
    def aspect(self) -> Fraction:
        """Width over height, as shown."""
        return self.shape or display_aspect(self.size, Fraction(1))

    @property
    def words(self) -> str:
        """As people say it: 1920 × 1080, 25, progressive."""
        scan = "interlaced" if self.interlaced else "progressive"
        shape = f", shown {spell_ratio(self.shape)}" if self.shape and self.shape != Fraction(*self.size) else ""
        return f"{spell_size(self.size)}, {spell_rate(self.rate)}, {scan}{shape}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Reason:
    """One thing that happens to the picture."""

    kind: str  #: enlarged, reduced, bars, rate or fields
    says: str
    harm: Fraction  #: share of picture or time, 0 to 1


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """A row that a spec allows, and what it makes of the source."""

    spec: Spec
    picture: Picture
    codecs: tuple[str, ...]  #: that the spec allows for it; empty where it does not ask
    reasons: tuple[Reason, ...]
    shown: tuple[Fraction, Fraction]  #: shares of the row's width and height that the source takes, fitted whole
    kept: tuple[Fraction, Fraction]  #: shares of the source's width and height that stay, where it fills the row

    @property
    def harm(self) -> Fraction:
        """All harm together."""
        return sum((one.harm for one in self.reasons), Fraction(0))

    @property
    def enlarges(self) -> bool:
        """Is the row larger than the source?"""
        return any(one.kind == "enlarged" for one in self.reasons)


def nearest_rows(source: Picture, specs: Sequence[Spec], *, may_enlarge: bool = False) -> list[Row]:
    """Return the rows of all specs in order of harm; those that are larger than the source last, unless asked for."""
    found = [
        _row(spec, source, picture, codecs) for spec in specs for picture, codecs in _allowed(spec, source).items()
    ]
    return sorted(found, key=lambda row: (row.enlarges and not may_enlarge, row.harm, row.picture.words, row.spec.id))


def _allowed(spec: Spec, source: Picture) -> dict[Picture, tuple[str, ...]]:
    """The pictures that a spec allows, each with its codecs: what its lines name, held against all its lines."""
    scans = named_values(spec, keys.PICTURE_SCAN.id) or ["interlaced" if source.interlaced else "progressive"]
    sizes = named_values(spec, keys.PICTURE_SIZE.id) or [source.size]
    rates = named_values(spec, keys.PICTURE_FRAME_RATE.id) or sorted({*_USUAL_RATES, source.rate})
    codecs: list[Any] = named_values(spec, keys.PICTURE_CODEC.id) or [None]
    asked = {line.id for line in spec.lines if line.characteristic.id in _OF_A_ROW}
    found: dict[Picture, list[str]] = {}
    combinations = ((size, shape) for size in dict.fromkeys(sizes) for shape in _shapes(spec, size, source))
    for (size, shape), rate, scan, codec in islice(product(combinations, rates, scans, codecs), _MOST_ROWS):
        facts = {"picture_size": size, "picture_frame_rate": rate, "picture_scan": Scan(scan)}
        facts |= {"picture_display_aspect": shape, "picture_pixel_aspect": shape / Fraction(*size)}
        if codec is not None:
            facts["picture_codec"] = codec
        check = judge(spec, planned_inspection(**facts), integrity=False, only=asked)
        if any(one.outcome is Outcome.FAIL for one in check.findings):
            continue
        own = None if shape == Fraction(*size) else shape
        picture = Picture(size=size, rate=rate, interlaced=Scan(scan) is not Scan.PROGRESSIVE, shape=own)
        kept = found.setdefault(picture, [])
        if codec is not None and codec not in kept:
            kept.append(codec)
    return {picture: tuple(kept) for picture, kept in found.items()}


def _shapes(spec: Spec, size: tuple[int, int], source: Picture) -> list[Fraction]:
    """The shapes that a size may be shown in: as the spec says, else as its standard does."""
    if shapes := named_values(spec, keys.PICTURE_DISPLAY_ASPECT.id):
        return shapes
    if aspects := named_values(spec, keys.PICTURE_PIXEL_ASPECT.id):
        return [display_aspect(size, aspect) for aspect in aspects]
    return [*_SHAPES.get(size, (source.aspect if size == source.size else Fraction(*size),))]


def _row(spec: Spec, source: Picture, picture: Picture, codecs: tuple[str, ...]) -> Row:
    wider = source.aspect / picture.aspect
    if abs(wider - 1) <= _SAME_SHAPE:
        wider = Fraction(1)
    shown = (Fraction(1), 1 / wider) if wider > 1 else (wider, Fraction(1))
    kept = (1 / wider, Fraction(1)) if wider > 1 else (Fraction(1), wider)
    reasons = [*_of_size(source, picture, shown), *_of_shape(wider), *_of_time(source, picture)]
    return Row(spec=spec, picture=picture, codecs=codecs, reasons=tuple(reasons), shown=shown, kept=kept)


def _of_size(source: Picture, picture: Picture, shown: tuple[Fraction, Fraction]) -> Iterator[Reason]:
    across, down = (picture.size[at] * shown[at] / source.size[at] for at in (0, 1))
    area = across * down
    if max(across, down) > 1 + _SAME_SHAPE:
        made_up = 1 - 1 / (area if area > 1 else max(across, down))
        yield Reason(kind="enlarged", says=f"enlarged {_both(across, down, 1, 'times')}", harm=made_up)
    elif area < 1 - _SAME_SHAPE:
        yield Reason(kind="reduced", says=f"reduced to {_both(across, down, 100, '%')}", harm=1 - area)


def _both(across: Fraction, down: Fraction, factor: int, unit: str) -> str:
    """A scale in words: one figure, or one across and one down."""
    figures = [f"{float(one) * factor:.{0 if factor > 1 else 2}f} {unit}" for one in (across, down)]
    return figures[0] if abs(across / down - 1) <= _SAME_SHAPE else f"{figures[0]} across and {figures[1]} down"


def _of_shape(wider: Fraction) -> Iterator[Reason]:
    if wider == 1:
        return
    share = 1 - (1 / wider if wider > 1 else wider)
    bars, cut = ("above and below", "at the sides") if wider > 1 else ("at the sides", "above and below")
    percent = f"{float(share) * 100:.1f}".removesuffix(".0") + " %"
    says = f"bars {bars} fill {percent} of the frame, or {percent} of the picture is cut {cut}"
    yield Reason(kind="bars", says=says, harm=share)


def _of_time(source: Picture, picture: Picture) -> Iterator[Reason]:
    if source.interlaced and picture.interlaced and source.rate == picture.rate:
        return
    rate = source.rate * (2 if source.interlaced else 1)
    if source.interlaced:
        yield Reason(kind="fields", says="its fields are made into pictures", harm=_TAKEN_APART)
    if rate == picture.rate and not picture.interlaced:
        return
    way = ways(rate, Target(rate=picture.rate, interlaced=picture.interlaced))[0]
    harm = min(way.wrongly_timed / picture.rate, Fraction(1))
    change = "" if rate == picture.rate else f"{spell_rate(rate)} to {spell_rate(picture.rate)}: "
    yield Reason(kind="rate", says=f"{change}{way.says}", harm=harm)
