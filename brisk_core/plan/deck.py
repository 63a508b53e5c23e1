"""Deck: which clips a playout deck shows. A deck shows the clips of its own size, rate and scan, and hides all others
without a word.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

from brisk_core.exact import spell_bytes, spell_rate, spell_size
from brisk_core.facts import Inspection, Scan, Span, Witness, keys
from brisk_core.facts.keys import Key

_FIELDS = (Scan.INTERLACED, Scan.PROGRESSIVE_AS_FIELDS)
_SAME_LEVELS, _NEAR_LEVELS = 0.2, 4.0  # mean difference of two frames of 8 bit: the same, hardly seen
_ROLES = re.compile(r"(?P<stem>.+?)[-_ .](?P<role>fill|key|matte|alpha)$", re.IGNORECASE)
_KEY_ROLES = ("key", "matte", "alpha")


@dataclass(frozen=True, slots=True, kw_only=True)
class Setting:
    """What a deck is set to."""

    size: tuple[int, int]
    rate: Fraction
    interlaced: bool = False

    @property
    def words(self) -> str:
        """As people say it: 1920 × 1080, 25, progressive."""
        return f"{spell_size(self.size)}, {spell_rate(self.rate)}, {'interlaced' if self.interlaced else 'progressive'}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Deck:
    """A deck, and what stands behind it."""

    setting: Setting | None = None  #: None: the one that shows most is looked for
    codecs: tuple[str, ...] = ()  #: that it plays; any without them
    sound: str = "any"  #: there, forbidden or any
    alpha: str = "any"  #: needed, none or any
    switcher_rate: Fraction | None = None
    counts_fields: bool = False  #: does it count an interlaced clip by its fields?
    name_length: int | None = None  #: signs that it shows, the extension left out
    name_signs: str = ""  #: signs beside letters and digits that it takes; any without them
    card: int | None = None  #: bytes


@dataclass(frozen=True, slots=True, kw_only=True)
class DeckClip:
    """A clip for a deck."""

    name: str
    facts: Inspection
    ends: float | None = None  #: mean difference of its first and last frame in levels of 8 bit; None: not measured


@dataclass(slots=True, kw_only=True)
class Shown:
    """What a deck makes of a clip."""

    clip: DeckClip
    setting: Setting | None  #: of the clip, None where it does not say
    appears: bool | None  #: None: not known
    reasons: list[str] = field(default_factory=list)  #: why it vanishes, or why that is not known
    needs: list[str] = field(default_factory=list)  #: what would make it appear
    faults: list[str] = field(default_factory=list)  #: what must be mended although it appears
    remarks: list[str] = field(default_factory=list)
    keying: str = ""  #: how the keyer is to be set
    loop: str = ""  #: what is seen where it begins again


def setting_of(facts: Inspection) -> Setting | None:
    """Return the setting that a clip asks of a deck, ``None`` where it does not say size, rate or scan."""
    size, rate, scan = facts[keys.PICTURE_SIZE], facts[keys.PICTURE_FRAME_RATE], facts.best(keys.PICTURE_SCAN.id)
    if size is None or rate is None or scan is None:
        return None
    return Setting(size=size, rate=rate, interlaced=scan in _FIELDS)


def best_setting(clips: Sequence[DeckClip]) -> Setting | None:
    """Return the setting that shows most clips; of several, the one that more of a size share. ``None`` without any."""
    settings = [one for one in (setting_of(clip.facts) for clip in clips) if one]
    sizes = Counter(one.size for one in settings)
    counts = Counter(settings)
    order = sorted(counts, key=lambda one: (-counts[one], -sizes[one.size], one.words))
    return order[0] if order else None


def look(deck: Deck, clips: Sequence[DeckClip]) -> tuple[Setting | None, list[Shown]]:
    """Return the setting of a deck, and what it makes of each clip."""
    setting = deck.setting or best_setting(clips)
    return setting, [_shown(deck, setting, clip) for clip in clips]


def _shown(deck: Deck, setting: Setting | None, clip: DeckClip) -> Shown:
    own = setting_of(clip.facts)
    found = Shown(clip=clip, setting=own, appears=True)
    if own is None or setting is None:
        found.appears = None
        found.reasons.append("size, rate or scan is not known")
    else:
        _by_setting(setting, own, found, counts_fields=deck.counts_fields)
    if clip.facts[keys.PICTURE_RATE_MODE] == "variable":
        _hide(found, "a frame rate that varies", "conform it to a constant rate")
    _by_codec(deck, clip.facts, found)
    _by_sound(deck, clip.facts, found)
    _by_alpha(deck, clip.facts, found)
    found.remarks += _declared_rates(clip.facts)
    found.remarks += _name(deck, clip.name)
    found.keying = keying(clip.facts)
    found.loop = seam(clip)
    return found


def _hide(found: Shown, reason: str, need: str) -> None:
    found.appears = False
    found.reasons.append(reason)
    found.needs.append(need)


def _by_setting(setting: Setting, own: Setting, found: Shown, *, counts_fields: bool) -> None:
    if own.size != setting.size:
        _hide(found, f"size {spell_size(own.size)}", f"export at {spell_size(setting.size)}")
    counted, wanted = (one.rate * (2 if counts_fields and one.interlaced else 1) for one in (own, setting))
    if counted != wanted:
        _hide(found, f"rate {spell_rate(own.rate)}", f"bring it to exactly {spell_rate(setting.rate)}")
    if own.interlaced != setting.interlaced:
        scan = "interlaced" if setting.interlaced else "progressive"
        _hide(found, f"scan {'interlaced' if own.interlaced else 'progressive'}", f"export {scan}")


def _by_codec(deck: Deck, facts: Inspection, found: Shown) -> None:
    codec = facts[keys.PICTURE_CODEC]
    if deck.codecs and codec is None:
        _doubt(found, "its codec is not known")
    elif deck.codecs and codec not in deck.codecs:
        _hide(found, f"codec {codec}", f"export {' or '.join(deck.codecs)}")


def _by_sound(deck: Deck, facts: Inspection, found: Shown) -> None:
    tracks = facts[keys.SOUND_TRACKS]
    if deck.sound == "any":
        return
    if tracks is None:
        _doubt(found, "whether it has sound is not known")
    elif deck.sound == "forbidden" and tracks:
        found.faults.append(f"{tracks} sound track{'s are' if tracks != 1 else ' is'} heard; switch sound off")
    elif deck.sound == "there" and not tracks:
        found.faults.append("it has no sound; the deck is silent while it plays")


def _by_alpha(deck: Deck, facts: Inspection, found: Shown) -> None:
    alpha = facts.best(keys.PICTURE_ALPHA.id)
    if deck.alpha == "needed" and alpha == "none":
        found.faults.append("it has no alpha and covers the live picture; export with alpha")
    elif deck.alpha == "needed" and alpha == "opaque":
        found.faults.append("its alpha is opaque everywhere and covers the live picture")
    elif deck.alpha == "needed" and alpha is None:
        _doubt(found, "whether it has alpha is not known")
    elif deck.alpha == "none" and alpha not in ("none", None):
        found.remarks.append("it has alpha that nothing uses")


def _doubt(found: Shown, reason: str) -> None:
    found.reasons.append(reason)
    if found.appears:
        found.appears = None


def keying(facts: Inspection) -> str:
    """Return how a keyer is to be set for a clip, empty where it has no alpha."""
    witnessed = facts.witnessed(keys.PICTURE_ALPHA)
    measured = witnessed.spoken().get(Witness.OBSERVED)
    there = facts.best(keys.PICTURE_ALPHA.id)
    if there in (None, "none"):
        return ""
    return {
        "straight": "straight alpha: set the keyer to multiply the fill by the key",
        "premultiplied": "colour is multiplied by alpha already: set the keyer to add, not to multiply again",
        "opaque": "alpha is there and opaque everywhere: nothing is keyed",
        "present": "alpha is there; too little of it is half transparent to tell whether colour is multiplied by it",
    }.get(str(measured), "alpha is there; whether colour is multiplied by it has not been measured")


def _declared_rates(facts: Inspection) -> Iterator[str]:
    """Where the wrapper's rate is another than the real one, or may be counted by fields."""
    scan, rate = facts.best(keys.PICTURE_SCAN.id), facts[keys.PICTURE_FRAME_RATE]
    said = facts.witnessed(keys.PICTURE_FRAME_RATE).spoken()
    if len({*said.values()}) > 1:
        words = ", ".join(f"{spell_rate(value)} {witness.value}" for witness, value in said.items())
        yield f"its rate is told differently: {words}"
    if rate and scan in _FIELDS:
        yield f"{spell_rate(rate)} interlaced counts as {spell_rate(2 * rate)} fields on some decks"


def _name(deck: Deck, name: str) -> Iterator[str]:
    stem = name.rpartition(".")[0] or name
    if deck.name_length and len(stem) > deck.name_length:
        yield f"its name has {len(stem)} signs and is cut to “{stem[: deck.name_length]}”"
    odd = sorted({sign for sign in stem if not (sign.isascii() and sign.isalnum()) and sign not in deck.name_signs})
    if deck.name_signs and odd:
        yield f"its name has signs that the deck refuses: {' '.join('space' if one == ' ' else one for one in odd)}"


def cut_alike(deck: Deck, clips: Sequence[DeckClip]) -> list[str]:
    """Return a sentence for each name that several clips have once the deck has cut them."""
    if not deck.name_length:
        return []
    cut = Counter((clip.name.rpartition(".")[0] or clip.name)[: deck.name_length].casefold() for clip in clips)
    says = "clips are called “{}” once the deck has cut their names"
    return [f"{count} {says.format(name)}" for name, count in cut.items() if count > 1]


def seam(clip: DeckClip) -> str:
    """Return what is seen where a clip begins again."""
    frames = clip.facts[keys.PICTURE_FRAME_COUNT]
    found = [
        f"{what} at {_ends_words(at)}"
        for key, what in ((keys.CONTENT_BLACK, "black"), (keys.CONTENT_FREEZE, "a hold"))
        if (at := _at_ends(clip.facts, key, frames))
    ]
    if clip.ends is None:
        found.append("first and last frame were not compared")
    elif clip.ends <= _SAME_LEVELS:
        found.append("first and last frame are the same: one picture stands for two frames")
    elif clip.ends <= _NEAR_LEVELS:
        found.append("the last frame leads over to the first")
    else:
        found.append(f"the picture jumps: first and last frame differ by {clip.ends:.0f} of 255 levels on average")
    return "; ".join(found)


def _at_ends(facts: Inspection, key: Key[tuple[Span, ...]], frames: int | None) -> list[str]:
    spans = facts[key]
    if spans is None or not frames:
        return []
    starts = ["start"] if any(span.start == 0 for span in spans) else []
    return starts + (["end"] if any(span.end >= frames for span in spans) else [])


def _ends_words(at: Sequence[str]) -> str:
    return "both ends" if len(at) == 2 else f"the {at[0]}"


def pairs(clips: Sequence[DeckClip]) -> list[tuple[str, str, list[str]]]:
    """Return pairs of fill and key by their names, each with what is unlike in them; a key without its fill too."""
    by_role: dict[tuple[str, bool], DeckClip] = {}
    for clip in clips:
        stem = clip.name.rpartition(".")[0] or clip.name
        if found := _ROLES.fullmatch(stem):
            by_role[(found["stem"].casefold(), found["role"].casefold() in _KEY_ROLES)] = clip
    told = []
    for stem in dict.fromkeys(stem for stem, _ in by_role):
        fill, key = by_role.get((stem, False)), by_role.get((stem, True))
        if fill and key:
            told.append((fill.name, key.name, _unlike(fill.facts, key.facts)))
        elif fill or key:
            there = fill or key
            assert there is not None  # noqa: S101 - one of both is
            told.append((there.name, "", [f"its {'key' if fill else 'fill'} is not among the clips"]))
    return told


def _unlike(fill: Inspection, key: Inspection) -> list[str]:
    compared: tuple[tuple[Key[Any], str], ...] = (
        (keys.PICTURE_FRAME_COUNT, "length"),
        (keys.PICTURE_SIZE, "size"),
        (keys.PICTURE_FRAME_RATE, "rate"),
        (keys.PICTURE_SCAN, "scan"),
        (keys.WRAPPER_START_TIMECODE, "start"),
    )
    return [f"their {word} is unlike" for fact, word in compared if fill.best(fact.id) != key.best(fact.id)]


def card_words(deck: Deck, clips: Sequence[DeckClip]) -> tuple[bool | None, str]:
    """Return whether the clips fit on the card, and a sentence; ``None`` where no card was given."""
    size = sum(clip.facts[keys.FILE_SIZE] or 0 for clip in clips)
    if deck.card is None:
        return None, f"{spell_bytes(size)} in all"
    if size > deck.card:
        return False, f"{spell_bytes(size)} in all, {spell_bytes(size - deck.card)} more than the card holds"
    return True, f"{spell_bytes(size)} in all; {spell_bytes(deck.card - size)} of the card stay free"


def switcher_words(deck: Deck, setting: Setting | None) -> tuple[bool | None, str]:
    """Return whether the switcher sees the deck, and a sentence."""
    if deck.switcher_rate is None or setting is None:
        return None, ""
    rates = {setting.rate} | ({2 * setting.rate} if setting.interlaced else set())
    if deck.switcher_rate in rates:
        return True, f"the switcher runs at {spell_rate(deck.switcher_rate)}, as the deck does"
    at, other = spell_rate(setting.rate), spell_rate(deck.switcher_rate)
    return False, f"the switcher runs at {other} and the deck at {at}: nothing is seen"
