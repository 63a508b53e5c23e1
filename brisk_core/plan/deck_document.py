"""The plan of a deck as a document: what is asked in words of the trade, and the answer of schema
``brisk-sentry/plan-deck/1``.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fractions import Fraction
from typing import Any

from brisk_core.exact import parse_bytes, parse_rate, parse_size, positive
from brisk_core.facts import keys
from brisk_core.plan.deck import Deck, DeckClip, Setting, Shown, card_words, cut_alike, look, pairs, switcher_words
from brisk_core.plan.render import read_render
from brisk_core.plan.words import Reader, read_count, read_yes

DECK_SCHEMA = "brisk-sentry/plan-deck/1"
_FIELDS = (
    "size", "rate", "scan", "codecs", "sound", "alpha", "switcher_rate", "counts_fields", "name_length", "name_signs",
    "card", "renders",
)  # fmt: skip


def read_deck(reader: Reader, asked: Mapping[str, Any]) -> Deck:
    """Read a deck; without size and rate its setting is looked for. Mistakes are noted with their places."""
    size, rate = asked.get("size"), asked.get("rate")
    setting = None
    if bool(size) != bool(rate):
        reader.note("size" if rate else "rate", "expected size and rate together, or neither to look for the best")
    elif size:
        scan = reader.known("scan", asked.get("scan") or "progressive", ("progressive", "interlaced"))
        setting = Setting(
            size=reader.take("size", parse_size, size, (2, 2)),
            rate=reader.take("rate", parse_rate, rate, Fraction(25)),
            interlaced=scan == "interlaced",
        )
    codecs = asked.get("codecs") or []
    if isinstance(codecs, str):
        codecs = [one.strip() for one in codecs.split(",") if one.strip()]
    if not isinstance(codecs, list):
        reader.note("codecs", f"met {codecs!r}; expected a list such as prores, vc3")
        codecs = []
    optional: tuple[tuple[str, Any], ...] = (
        ("switcher_rate", parse_rate),
        ("counts_fields", read_yes),
        ("name_length", positive(read_count)),
        ("card", positive(parse_bytes)),
    )
    told: dict[str, Any] = {name: reader.take(name, read, asked[name], 1) for name, read in optional if asked.get(name)}
    return Deck(
        setting=setting,
        codecs=tuple(map(str, codecs)),
        sound=reader.known("sound", asked.get("sound") or "any", ("any", "there", "forbidden")),
        alpha=reader.known("alpha", asked.get("alpha") or "any", ("any", "needed", "none")),
        name_signs=str(asked.get("name_signs") or ""),
        **told,
    )


def plan_deck(asked: Mapping[str, Any], clips: Sequence[DeckClip] = ()) -> dict[str, Any]:
    """Return which clips a deck shows. Planned ones stand in ``asked["renders"]``.

    Raises ``PlanRefused`` with every mistake and its place.
    """
    reader = Reader()
    reader.only("plan", asked, _FIELDS)
    deck = read_deck(reader, asked)
    renders = asked.get("renders") or []
    if not isinstance(renders, list):
        reader.note("renders", f"met {renders!r}; expected a list of planned renders")
        renders = []
    planned = [read_render(reader, f"render {number}", row) for number, row in enumerate(renders, 1)]
    every = [*clips, *(DeckClip(name=name, facts=facts) for name, facts in planned)]
    if not every:
        reader.note("plan", "met no clip; expected at least one")
    reader.refuse()
    setting, shown = look(deck, every)
    fits, card = card_words(deck, every)
    seen, switcher = switcher_words(deck, setting)
    unlike = pairs(every)
    visible = sum(one.appears is True for one in shown)
    unknown = sum(one.appears is None for one in shown)
    return {
        "schema": DECK_SCHEMA,
        "asked": dict(asked),
        "setting": None if setting is None else _setting(setting),
        "found": deck.setting is None,
        "clips": [_clip(one) for one in shown],
        "appear": visible,
        "vanish": len(shown) - visible - unknown,
        "unknown": unknown,
        "pairs": [{"fill": fill, "key": key, "unlike": says} for fill, key, says in unlike],
        "names": cut_alike(deck, every),
        "card_fits": fits,
        "card": card,
        "switcher_sees": seen,
        "switcher": switcher,
        "met": visible == len(shown) and not any(one.faults for one in shown) and False not in (fits, seen),
        "untold": unknown > 0,
        "says": _says(len(shown), visible, unknown),
    }


def _says(count: int, visible: int, unknown: int) -> str:
    hidden = count - visible - unknown
    parts = [f"{visible} of {count} clips appear"]
    parts += [f"{hidden} vanish{'es' if hidden == 1 else ''}"] if hidden else []
    parts += [f"{unknown} cannot be told"] if unknown else []
    return ", ".join(parts)


def _setting(setting: Setting) -> dict[str, Any]:
    return {
        "size": list(setting.size),
        "rate": str(setting.rate),
        "scan": "interlaced" if setting.interlaced else "progressive",
        "words": setting.words,
    }


def _clip(one: Shown) -> dict[str, Any]:
    facts = one.clip.facts
    return {
        "name": one.clip.name,
        "appears": one.appears,
        "setting": None if one.setting is None else _setting(one.setting),
        "reasons": one.reasons,
        "needs": one.needs,
        "faults": one.faults,
        "remarks": one.remarks,
        "alpha": facts.best(keys.PICTURE_ALPHA.id),
        "bits": facts.best(keys.PICTURE_BIT_DEPTH.id),
        "sound_tracks": facts[keys.SOUND_TRACKS],
        "keying": one.keying,
        "loop": one.loop,
    }
