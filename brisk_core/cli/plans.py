"""The verb ``plan``: what is worked out before a render is made."""

from __future__ import annotations

import argparse
import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from brisk_core import sandbox
from brisk_core.cli.files import read_file
from brisk_core.cli.reading import read_plan, read_spec
from brisk_core.cli.saying import A_FAIL, NO_FAIL, WRONG_USE, Parser, Refusal, say, say_json
from brisk_core.errors import PlanRefused, UnreadableFile
from brisk_core.exact import spell_bit_rate, spell_bytes
from brisk_core.facts import Depth, keys
from brisk_core.packets import load_series
from brisk_core.plan.bits_document import plan_bits
from brisk_core.plan.deck import DeckClip
from brisk_core.plan.deck_document import plan_deck
from brisk_core.plan.disc.answer import answer_disc
from brisk_core.plan.disc.document import DiscFile, named_files, read_disc
from brisk_core.plan.disc.items import Disc
from brisk_core.plan.disc.walk import STOPPED, State, step
from brisk_core.plan.order_document import plan_order
from brisk_core.plan.plays import Plays, plan_plays, shipped_profiles
from brisk_core.plan.rates_document import plan_rates
from brisk_core.plan.sizes_document import plan_sizes
from brisk_core.plan.target import plan_target
from brisk_core.reading import Source
from brisk_core.reading.shown import difference_of_pictures, frame_path
from brisk_core.sandbox import requests
from brisk_core.spec import shelf_specs
from brisk_core.spec.ladder import REFUSED

_JSON = "print JSON of schema brisk-sentry/plan-{}/1"
_PLAN = "a plan in JSON or YAML; the other options stand over it"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the kinds of plans."""
    kinds = parser.add_subparsers(dest="kind", required=True, parser_class=Parser)
    _add_bits(kinds)
    _add_rates(kinds)
    _add_pictures(kinds)
    _add_places(kinds)


def _add_pictures(kinds: Any) -> None:
    """Kinds that are about a picture: what it would weigh, and the rows that it may have."""
    sizes = kinds.add_parser("sizes", help="what each codec would weigh")
    _add_options(
        sizes,
        "sizes",
        {
            "size": "such as 1920x1080",
            "rate": "frames a second",
            "length": 'such as "10:00" or "15000 frames"',
            "scan": "progressive or interlaced",
            "wrapper": "such as mov or mxf-op1a",
            "free": "bytes that are free",
        },
    )
    sizes.add_argument("--sound", action="append", help='such as "pcm 24 bit"; may be given again')
    order = kinds.add_parser("order", help="the rows that specs allow, the least harmful first")
    _add_options(
        order,
        "order",
        {
            "size": "of the source, such as 1920x1080",
            "rate": "of the source",
            "scan": "progressive or interlaced",
            "shape": "width over height as shown, such as 16:9",
            "enlarge": "yes, where enlarging is meant",
        },
    )
    order.add_argument(
        "--spec", action="append", required=True, help="a spec document or a shipped id; may be given again"
    )


def _add_places(kinds: Any) -> None:
    """Kinds that are about where files go: players, discs, decks."""
    plays = kinds.add_parser("plays", help="which players play which files")
    plays.add_argument("files", nargs="*")
    plays.add_argument(
        "--player", action="append", help="a profile's document or shipped id; all shipped ones without it"
    )
    _add_options(plays, "plays", {})
    target = kinds.add_parser("target", help="what the other side makes of files, and as what it shows them")
    target.add_argument("files", nargs="*")
    target.add_argument("--spec", required=True, help="a spec with a ladder: a document, or a shipped id")
    _add_options(target, "target", {"screen": "of a viewer, such as 3840x2160; 1920x1080 without it"})
    disc = kinds.add_parser("disc", help="a disc: its room, its ways, a walk")
    disc.add_argument("plan", help="a plan of schema brisk-sentry/disc/1; clips name files beside it")
    disc.add_argument("--walk", help='keys to press, such as "insert down enter end"')
    disc.add_argument("--json", action="store_true", help=_JSON.format("disc"))
    deck = kinds.add_parser("deck", help="which clips a playout deck shows")
    deck.add_argument("files", nargs="*")
    _add_options(
        deck,
        "deck",
        {
            "size": "that the deck is set to; the best is looked for without it",
            "rate": "that it is set to",
            "scan": "progressive or interlaced",
            "codecs": "such as prores,vc3",
            "sound": "there, forbidden or any",
            "alpha": "needed, none or any",
            "switcher-rate": "of the switcher behind it",
            "card": "bytes of its card",
            "name-length": "signs of a name that it shows",
            "name-signs": "signs beside letters and digits that it takes",
        },
    )


def _add_options(parser: argparse.ArgumentParser, kind: str, options: Mapping[str, str]) -> None:
    """Add the fields of a plan as options, and the plan itself."""
    parser.add_argument("--plan", help=_PLAN)
    for name, words in options.items():
        parser.add_argument(f"--{name}", help=words)
    parser.add_argument("--json", action="store_true", help=_JSON.format(kind))
    parser.set_defaults(fields=[name.replace("-", "_") for name in options])


def _add_bits(kinds: Any) -> None:
    bits = kinds.add_parser("bits", help="the bit rate, size or length that fits under a cap")
    bits.add_argument("--plan", help="a plan in JSON or YAML, for several files; the other options belong to one file")
    bits.add_argument("--cap", help='such as "20 MB", "4.7 GB" or "1 GiB"')
    bits.add_argument("--reserve", help="percent of the cap that stays free; 2 without it")
    bits.add_argument("--wrapper", help="such as mp4, mov, mpeg-ts, matroska or mxf-op1a")
    bits.add_argument("--codec", help="such as avc, hevc or mpeg2")
    bits.add_argument("--group", help='time between random access points, such as "2 s"')
    bits.add_argument("--length", help='such as "10:00", "00:10:00:00" or "15000 frames"')
    bits.add_argument("--rate", help="frames a second")
    bits.add_argument("--size", help="such as 1920x1080")
    bits.add_argument("--sound", action="append", help='such as "aac 128 kb/s"; may be given again')
    bits.add_argument("--picture-rate", help="bit rate of the picture, to be told size and length")
    bits.add_argument("--line", help='of a viewer, such as "4 Mb/s", to be told how long one waits')
    bits.add_argument("--spec", help="a spec document, or the id of a shipped spec, whose bounds are told")
    bits.add_argument("--json", action="store_true", help="print JSON of schema brisk-sentry/plan-bits/1")


def _add_rates(kinds: Any) -> None:
    rates = kinds.add_parser("rates", help="which target rate harms material least")
    rates.add_argument(
        "--source", action="append", required=True, help='rate and length: "24 1:30:00"; may be given again'
    )
    rates.add_argument(
        "--target", action="append", help="such as 25 or 29.97i; may be given again, the usual ones without it"
    )
    rates.add_argument("--json", action="store_true", help="print JSON of schema brisk-sentry/plan-rates/1")


def run(options: argparse.Namespace) -> int:
    """Work out a plan and return the exit status."""
    runs = {
        "bits": _plan_bits, "rates": _plan_rates, "sizes": _plan_sizes, "order": _plan_order, "plays": _plan_plays,
        "target": _plan_target, "disc": _plan_disc, "deck": _plan_deck,
    }  # fmt: skip
    try:
        return runs[options.kind](options)
    except PlanRefused as error:
        raise Refusal(WRONG_USE, str(error)) from error


def _asked(options: argparse.Namespace) -> dict[str, Any]:
    """Return the plan of a document with the fields that options give over it."""
    asked = read_plan(options.plan, "a mapping") if options.plan else {}
    given = {name: getattr(options, name) for name in options.fields if getattr(options, name) is not None}
    return asked | given


def _plan_sizes(options: argparse.Namespace) -> int:
    """Tell what each codec would weigh."""
    asked = _asked(options)
    found = plan_sizes(asked | {"sounds": options.sound} if options.sound else asked)
    if options.json:
        say_json(found)
        return NO_FAIL
    for row in found["sizes"]:
        say(f"{row['name']:36} {row['words']:>24}  {row['sureness']:22} {'; '.join(row['says'])}")
    return NO_FAIL


def _plan_order(options: argparse.Namespace) -> int:
    """Tell the rows that specs allow."""
    found = plan_order(_asked(options), [read_spec(name) for name in options.spec])
    if options.json:
        say_json(found)
    else:
        for row in found["rows"]:
            larger = "  larger than the source" if row["enlarges"] else ""
            say(f"{row['words']:44} {row['spec_name']}{larger}")
            for reason in row["reasons"]:
                say(f"{'':44} {reason['says']}")
        if not found["rows"]:
            say("no row is allowed")
    return NO_FAIL if found["rows"] else A_FAIL


def _plan_plays(options: argparse.Namespace) -> int:
    """Tell which players play which files."""
    profiles = [read_spec(name) for name in options.player] if options.player else shipped_profiles()
    files = [(Path(name).name, read_file(name, Depth.PACKETS)) for name in options.files]
    found = plan_plays(_asked(options), profiles, files)
    if options.json:
        say_json(found)
    else:
        for row in found["rows"]:
            say(row["name"])
            for player in found["players"]:
                cell = row["cells"][player["id"]]
                why = "; ".join(f"{one['label'].lower()}: {one['found']}" for one in cell["reasons"][:3])
                say(f"  {player['name']:34} {cell['plays']:24} {why}")
    refused = any(row["counts"][Plays.REFUSED.value] for row in found["rows"])
    return A_FAIL if refused else NO_FAIL


def _plan_target(options: argparse.Namespace) -> int:
    """Tell what the other side makes of files."""
    files = [(Path(name).name, read_file(name, Depth.PACKETS)) for name in options.files]
    found = plan_target(_asked(options), read_spec(options.spec), files)
    if options.json:
        say_json(found)
    else:
        for row in found["rows"]:
            say(f"{row['name']}: {row['says']}")
            for says in filter(None, (row["screen_says"],)):
                say(f"  {says}")
    return A_FAIL if any(row["outcomes"] in (None, [REFUSED]) for row in found["rows"]) else NO_FAIL


def _plan_disc(options: argparse.Namespace) -> int:
    """Tell what is known of a disc, and walk it."""
    document = read_plan(options.plan, "a mapping with name, kind, family, starts_with and items")
    disc = read_disc(document, _disc_files(document, Path(options.plan).parent))
    found = answer_disc(disc, shelf_specs())
    walk = _walk(disc, options.walk.split()) if options.walk else None
    if options.json:
        say_json(
            found if walk is None else {**found, "walk": [{"key": key, "state": str(state)} for key, state in walk]}
        )
    else:
        _print_disc(found)
        for key, state in walk or []:
            say(f"{key:10} {_place(disc, state)}")
    return NO_FAIL if found["met"] else A_FAIL


def _disc_files(document: Mapping[str, Any], folder: Path) -> dict[str, DiscFile]:
    """Read the files that clips name and that stand beside the plan."""
    found = {}
    for name in sorted(one for one in named_files(document) if (folder / one).is_file()):
        with tempfile.TemporaryDirectory() as kept:
            path = Path(kept) / "file.series.npz"
            facts = read_file(str(folder / name), Depth.PACKETS, path)
            entries = load_series(path).entry_frames() if path.exists() else None
        found[name] = DiscFile(inspection=facts, entries=entries)
    return found


def _print_disc(found: Mapping[str, Any]) -> None:
    say(f"{'met' if found['met'] else 'not met'}: {found['says']}")
    for row in found["capacity"]["items"]:
        how = "the most that a disc of this kind gives" if row["at_ceiling"] else "fills the disc"
        filled = f" ({how})" if row["filled"] else ""
        say(f"  {row['name']:30} {spell_bytes(row['bytes']):>10}  {row['picture_rate_words']}{filled}")
    for fault in found["faults"]:
        say(f"{'caution' if fault['caution'] else 'fault':8} {fault['says']}")
        if fault["way"]:
            say(f"{'':8} {fault['way']}")


def _walk(disc: Disc, pressed: list[str]) -> list[tuple[str, State]]:
    state, found = STOPPED, []
    for key in pressed:
        state = step(disc, state, key)
        found.append((key, state))
    return found


def _place(disc: Disc, state: State) -> str:
    """Where a player is, in words."""
    if state.item is None:
        return "the disc is stopped"
    item = disc.by_id[state.item]
    if state.button is not None:
        return f"{item.name}, button {state.button}"
    return f"{item.name}, part {state.part + 1}, chapter {state.chapter}"


def _plan_deck(options: argparse.Namespace) -> int:
    """Tell which clips a deck shows."""
    found = plan_deck(_asked(options), [_deck_clip(name) for name in options.files])
    if options.json:
        say_json(found)
    else:
        setting = found["setting"]["words"] if found["setting"] else "not known"
        say(f"{found['says']}; setting {setting}")
        for one in found["clips"]:
            word = {True: "appears", False: "vanishes", None: "not known"}[one["appears"]]
            say(f"  {one['name']:30} {word:10} {'; '.join([*one['reasons'], *one['needs']])}")
            for says in [*one["faults"], *one["remarks"], *filter(None, (one["keying"], one["loop"]))]:
                say(f"  {'':30} {says}")
        for says in [*found["names"], found["card"], found["switcher"]]:
            say(says)
    return NO_FAIL if found["met"] else A_FAIL


def _deck_clip(name: str) -> DeckClip:
    """Read a clip whole, and hold its last frame against its first."""
    with tempfile.TemporaryDirectory() as kept:
        folder = Path(kept)
        series = folder / "file.series.npz"
        facts = read_file(name, Depth.FULL, series, folder / "file.scan.npz")
        frames = facts[keys.PICTURE_FRAME_COUNT] or 0
        ends = None
        if series.exists() and frames > 1:
            pictures = [_picture(name, series, folder, frame) for frame in (0, frames - 1)]
            first, last = pictures
            ends = difference_of_pictures(first, last) if first and last else None
        return DeckClip(name=Path(name).name, facts=facts, ends=ends)


def _picture(name: str, series: Path, folder: Path, frame: int) -> Path | None:
    request = requests.Frames(
        url=Source.at_path(name).url, series_path=str(series), folder=str(folder), first=frame, count=1, widest=240
    )
    try:
        return frame_path(folder, frame) if frame in sandbox.run(request) else None
    except UnreadableFile:
        return None  # a picture that cannot be decoded is told by the other lines


def _plan_rates(options: argparse.Namespace) -> int:
    """Tell targets in order of the harm that they do."""
    sources = [dict(zip(("rate", "length"), text.split(None, 1), strict=False)) for text in options.source]
    found = plan_rates({"sources": sources, "targets": options.target or []})
    if options.json:
        say_json(found)
        return NO_FAIL
    for target in found["targets"]:
        say(f"{target['words']:20} {target['harm']:>12,.1f} frames wrongly timed")
        for row in target["sources"]:
            say(f"{'':20} {row['words']}: {row['says']}")
    return NO_FAIL


def _plan_bits(options: argparse.Namespace) -> int:
    """Work out what fits under a cap."""
    found = plan_bits(_bits_asked(options), read_spec(options.spec) if options.spec else None)
    if options.json:
        say_json(found)
    else:
        say(f"{'fits' if found['fits'] else 'does not fit'}: {found['says']}")
        for row in found["files"]:
            bits = f"{row['bits_per_pixel']:.3f} bits a pixel"
            say(f"{row['name']:28} {spell_bit_rate(row['picture_rate']):>12} {spell_bytes(row['size']):>10}  {bits}")
            for says in [*row["says"], *(f"{one['of']}: {one['says']}" for one in row["waiting"])]:
                say(f"{'':28} {says}")
    return NO_FAIL if found["met"] else A_FAIL


def _bits_asked(options: argparse.Namespace) -> dict[str, Any]:
    """Return the plan that the options or their document give."""
    of_file = {"length": options.length, "rate": options.rate, "size": options.size, "sounds": options.sound}
    of_plan = {
        "cap": options.cap, "reserve": options.reserve, "wrapper": options.wrapper, "codec": options.codec,
        "group": options.group, "picture_rate": options.picture_rate, "line": options.line,
    }  # fmt: skip
    given = {name: value for name, value in of_plan.items() if value is not None}
    if not options.plan:
        return given | {"files": [{name: value for name, value in of_file.items() if value is not None}]}
    if any(value is not None for value in of_file.values()):
        raise Refusal(WRONG_USE, "--plan has the files; expected no --length, --rate, --size or --sound beside it")
    return read_plan(options.plan, "a mapping with cap and files") | given
