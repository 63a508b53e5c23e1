"""The command ``brisk-sentry``: inspect and check files without a database and without a server.

Exit status: 0 no fail, 1 a fail, 2 wrong use, 3 the file cannot be read.
"""

from __future__ import annotations

import argparse
import json
import sys
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NoReturn

from brisk_core import sandbox
from brisk_core.captions import Captioned, burned_from_json, document_from_json, evidence_of
from brisk_core.edit import EditHints, FrameRange, Timeline, parse_range, timeline_from_json
from brisk_core.errors import (
    CaptionsRefused,
    EditRefused,
    PlanRefused,
    RangeRefused,
    SpecRefused,
    UnreadableFile,
    ValueRefused,
)
from brisk_core.exact import spell_bit_rate, spell_bytes
from brisk_core.facts import (
    REGISTRY,
    Depth,
    Held,
    Inspection,
    Unheard,
    Witness,
    inspection_from_json,
    inspection_to_json,
    keys,
    spell,
)
from brisk_core.master import held_of, ordered_frames, shot_names
from brisk_core.packets import load_series
from brisk_core.plan.bits_document import plan_bits
from brisk_core.plan.rates_document import plan_rates
from brisk_core.reading import Source
from brisk_core.report import check_to_json
from brisk_core.sandbox import requests
from brisk_core.scan import load_scan
from brisk_core.spec import Check, Outcome, Spec, judge, parse_spec, shelf_texts
from brisk_core.spec.document import read_document
from brisk_core.version import ENGINE

NO_FAIL, A_FAIL, WRONG_USE, UNREADABLE = 0, 1, 2, 3


class _Refusal(Exception):
    """An answer other than a result: its exit status and its sentence."""

    def __init__(self, status: int, says: str) -> None:
        super().__init__(says)
        self.status = status


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise _Refusal(WRONG_USE, f"{message} (see {self.prog} --help)")


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="brisk-sentry", description="Says, with proof, whether a rendered file is what was ordered.")
    parser.add_argument("--version", action="version", version=ENGINE)
    verbs = parser.add_subparsers(dest="verb", required=True, parser_class=_Parser)
    inspect = verbs.add_parser("inspect", help="read a file and print its facts")
    inspect.add_argument("file")
    inspect.add_argument("--depth", choices=[depth.value for depth in Depth], default=Depth.FULL.value)
    inspect.add_argument("--json", action="store_true", help="print JSON of schema brisk-sentry/inspection/1")
    check = verbs.add_parser("check", help="judge a file by a spec and a timeline")
    check.add_argument("file")
    check.add_argument("--spec", required=True, help="a spec document, or the id of a shipped spec")
    check.add_argument("--timeline", help="an OTIO file or bundle, an AAF or an EDL file")
    check.add_argument("--range", help="IN-OUT in timecodes or frames of the timeline; OUT is the first frame after")
    check.add_argument("--master", help="a master to hold the file against")
    check.add_argument("--captions", action="append", default=[], help="a caption file beside it; may be given again")
    check.add_argument("--edit-rate", help="frame rate of an EDL, which does not state it")
    check.add_argument("--json", action="store_true", help="print JSON of schema brisk-sentry/check/1")
    stems = verbs.add_parser("stems", help="hold stems against their mix")
    stems.add_argument("mix", help="a file, or FILE#N for its sound track N from 1")
    stems.add_argument("stems", nargs="+", help="files, or FILE#N for a track of one")
    stems.add_argument("--limit", type=float, help="dB under the mix that may be left, such as 60; 40 without it")
    stems.add_argument("--json", action="store_true", help="print JSON of schema brisk-sentry/stems/1")
    plan = verbs.add_parser("plan", help="work out what fits before a render is made")
    kinds = plan.add_subparsers(dest="kind", required=True, parser_class=_Parser)
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
    bits.add_argument("--spec", help="a spec document, or the id of a shipped spec, whose bounds are told")
    bits.add_argument("--json", action="store_true", help="print JSON of schema brisk-sentry/plan-bits/1")
    rates = kinds.add_parser("rates", help="which target rate harms material least")
    rates.add_argument(
        "--source", action="append", required=True, help='rate and length: "24 1:30:00"; may be given again'
    )
    rates.add_argument(
        "--target", action="append", help="such as 25 or 29.97i; may be given again, the usual ones without it"
    )
    rates.add_argument("--json", action="store_true", help="print JSON of schema brisk-sentry/plan-rates/1")
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command and return its exit status."""
    words = list(sys.argv[1:] if arguments is None else arguments)
    try:
        options = _parser().parse_args(words)
        return {"inspect": _inspect, "check": _check, "stems": _stems, "plan": _plan}[options.verb](options)
    except _Refusal as refusal:
        sys.stderr.write(f"brisk-sentry: {_printable(' '.join(str(refusal).split()))}\n")
        if "--json" in words:
            _say_json({"error": str(refusal)})
        return refusal.status
    except BrokenPipeError:
        return NO_FAIL


def _printable(text: str) -> str:
    """Return a text without the signs that steer a terminal: what a stranger's file says is only ever shown."""
    return "".join(sign if sign.isprintable() or sign == "\n" else "\N{REPLACEMENT CHARACTER}" for sign in text)


def _say(text: str) -> None:
    print(_printable(text))


def _say_json(document: dict[str, Any]) -> None:
    text = json.dumps(document, indent=2, ensure_ascii=False)
    print("".join(sign if sign.isprintable() or sign == "\n" else json.dumps(sign)[1:-1] for sign in text))


def _read(file: str, depth: Depth, series_path: Path | None = None, scan_path: Path | None = None) -> Inspection:
    try:
        source = Source.at_path(file)
        request = requests.Inspect(
            url=source.url,
            name=source.name,
            depth=depth.value,
            take_digest=depth is not Depth.HEADERS,
            series_path=str(series_path) if series_path else None,
            scan_path=str(scan_path) if scan_path else None,
        )
        return inspection_from_json(sandbox.run(request))
    except UnreadableFile as error:
        raise _Refusal(UNREADABLE, str(error)) from error


def _inspect(options: argparse.Namespace) -> int:
    inspection = _read(options.file, Depth(options.depth))
    if options.json:
        _say_json(inspection_to_json(inspection))
        return NO_FAIL
    for id_, witnessed in inspection.facts.items():
        characteristic = REGISTRY[id_]
        said = [
            spell(
                characteristic.kind,
                characteristic.per_track,
                None if value is Unheard.UNHEARD else value,
                characteristic.unit,
            )
            for value in (witnessed.of(witness) for witness in Witness)
        ]
        if any(text != "–" for text in said):
            _say(f"{id_:32} {said[0]:28} {said[1]:28} {said[2]}")
    return NO_FAIL


def _read_spec(name: str) -> Spec:
    shelf = shelf_texts()
    path = Path(name)
    try:
        if not path.is_file():
            if name in shelf:
                return parse_spec(shelf[name])
            raise _Refusal(
                WRONG_USE, f"there is no spec {name!r}; expected a file or one of the shipped {', '.join(shelf)}"
            )
        return parse_spec(path.read_text(encoding="utf-8"))
    except UnicodeDecodeError as error:
        raise _Refusal(WRONG_USE, f"{name} is not text in UTF-8; expected a spec in YAML or JSON") from error
    except SpecRefused as error:
        raise _Refusal(WRONG_USE, f"{name}: {error}") from error


def _read_timeline(path: str, inspection: Inspection, rate: str | None) -> Timeline:
    assumed = inspection[keys.PICTURE_FRAME_RATE]
    hints: dict[str, Any] = {"rate": rate, "assumed_rate": str(assumed) if assumed else None}
    try:
        if not Path(path).exists():
            raise _Refusal(WRONG_USE, f"there is no timeline {path!r}; expected an OTIO, AAF or EDL file")
        EditHints.from_json(hints)
        request = requests.Edit(path=str(Path(path).resolve()), name=Path(path).name, hints=hints)
        return timeline_from_json(sandbox.run(request))
    except (EditRefused, ValueRefused) as error:
        raise _Refusal(WRONG_USE, f"{path}: {error}") from error
    except UnreadableFile as error:
        raise _Refusal(UNREADABLE, f"{path}: {error}") from error


def _check(options: argparse.Namespace) -> int:
    spec = _read_spec(options.spec)
    if options.range and not options.timeline:
        raise _Refusal(WRONG_USE, "a range needs a timeline; expected --timeline beside --range")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        series_path = folder / "file.series.npz"
        inspection = _read(options.file, Depth.FULL, series_path, folder / "file.scan.npz")
        series = load_series(series_path) if series_path.exists() else None
        timeline = _read_timeline(options.timeline, inspection, options.edit_rate) if options.timeline else None
        try:
            covered = parse_range(options.range, timeline) if options.range and timeline else None
        except RangeRefused as error:
            raise _Refusal(WRONG_USE, str(error)) from error
        master = _against_master(options, inspection, folder, timeline, covered) if options.master else None
        captioned = _captions_of(options, inspection, folder)
    check = judge(
        spec, inspection, timeline=timeline, covered=covered, series=series, master=master, captioned=captioned
    )
    if options.json:
        _say_json(check_to_json(check, inspection))
    else:
        _print_check(check)
    return A_FAIL if check.counts[Outcome.FAIL.value] else NO_FAIL


def _captions_of(options: argparse.Namespace, inspection: Inspection, folder: Path) -> Captioned:
    """Read caption files and text tracks, and look whether the picture has them already."""
    read = []
    for name in options.captions:
        try:
            read.append(sandbox.run(requests.Captions(url=Source.at_path(name).url)))
        except (UnreadableFile, CaptionsRefused) as error:
            raise _Refusal(UNREADABLE, str(error)) from error
    url, scan_path = Source.at_path(options.file).url, folder / "file.scan.npz"
    if inspection[keys.TEXT_CAPTIONS]:
        read += sandbox.run(requests.Embedded(url=url))
    rate = inspection[keys.PICTURE_FRAME_RATE]
    evidence = evidence_of(load_scan(scan_path), rate) if read and rate and scan_path.exists() else None
    known, series_path = inspection_to_json(inspection), str(folder / "file.series.npz")
    burned = {}
    for document in read if rate else ():
        try:
            request = requests.Burned(url=url, inspection=known, series_path=series_path, document=document)
            burned[document["name"]] = burned_from_json(sandbox.run(request))
        except UnreadableFile:
            continue  # pictures that cannot be decoded say nothing here; other lines tell of them
    return Captioned(
        documents=tuple(document_from_json(one) for one in read), evidence=evidence, burned=burned if read else None
    )


def _against_master(
    options: argparse.Namespace,
    inspection: Inspection,
    folder: Path,
    timeline: Timeline | None,
    covered: FrameRange | None,
) -> dict[str, Held]:
    """Inspect the master and hold the file against it; a range of the timeline is one of the master too."""
    master = _read(options.master, Depth.FULL, folder / "master.series.npz", folder / "master.scan.npz")
    rate, frames = master[keys.PICTURE_FRAME_RATE], master[keys.PICTURE_FRAME_COUNT]
    sides = {
        name: requests.Side(
            url=Source.at_path(url).url,
            document=inspection_to_json(known),
            series_path=str(folder / f"{name}.series.npz"),
            scan_path=str(folder / f"{name}.scan.npz"),
        )
        for name, url, known in (("file", options.file, inspection), ("master", options.master, master))
    }
    request = requests.Against(
        **sides,
        names=shot_names(timeline, rate) if timeline and rate and frames else (),
        ordered=ordered_frames(timeline, covered, rate, frames) if timeline and rate and frames and covered else None,
    )
    try:
        return held_of(sandbox.run(request))
    except UnreadableFile as error:
        raise _Refusal(UNREADABLE, f"{options.master}: {error}") from error


def _stems(options: argparse.Namespace) -> int:
    """Hold stems against their mix."""
    try:
        mix, *stems = [_sound_of(name) for name in (options.mix, *options.stems)]
        limit = -abs(options.limit) if options.limit is not None else None
        found = sandbox.run(requests.Stems(mix=mix, stems=stems, limit=limit))
    except UnreadableFile as error:
        raise _Refusal(UNREADABLE, str(error)) from error
    if options.json:
        _say_json(found)
    else:
        _say(f"{'pass' if found['right'] else 'fail'}: {found['found']}, asked {found['required']}")
        for says in found["says"]:
            _say(says)
    return NO_FAIL if found["right"] else A_FAIL


def _plan(options: argparse.Namespace) -> int:
    return {"bits": _plan_bits, "rates": _plan_rates}[options.kind](options)


def _plan_rates(options: argparse.Namespace) -> int:
    """Tell targets in order of the harm that they do."""
    sources = [dict(zip(("rate", "length"), text.split(None, 1), strict=False)) for text in options.source]
    try:
        found = plan_rates({"sources": sources, "targets": options.target or []})
    except PlanRefused as error:
        raise _Refusal(WRONG_USE, str(error)) from error
    if options.json:
        _say_json(found)
        return NO_FAIL
    for target in found["targets"]:
        _say(f"{target['words']:20} {target['harm']:>12,.1f} frames wrongly timed")
        for row in target["sources"]:
            _say(f"{'':20} {row['words']}: {row['says']}")
    return NO_FAIL


def _plan_bits(options: argparse.Namespace) -> int:
    """Work out what fits under a cap."""
    try:
        found = plan_bits(_bits_asked(options), _read_spec(options.spec) if options.spec else None)
    except PlanRefused as error:
        raise _Refusal(WRONG_USE, str(error)) from error
    if options.json:
        _say_json(found)
    else:
        _say(f"{'fits' if found['fits'] else 'does not fit'}: {found['says']}")
        for row in found["files"]:
            bits = f"{row['bits_per_pixel']:.3f} bits a pixel"
            _say(f"{row['name']:28} {spell_bit_rate(row['picture_rate']):>12} {spell_bytes(row['size']):>10}  {bits}")
            for says in row["says"]:
                _say(f"{'':28} {says}")
    return NO_FAIL if found["met"] else A_FAIL


def _bits_asked(options: argparse.Namespace) -> dict[str, Any]:
    """Return the plan that the options or their document give."""
    of_file = {"length": options.length, "rate": options.rate, "size": options.size, "sounds": options.sound}
    of_plan = {
        "cap": options.cap, "reserve": options.reserve, "wrapper": options.wrapper, "codec": options.codec,
        "group": options.group, "picture_rate": options.picture_rate,
    }  # fmt: skip
    given = {name: value for name, value in of_plan.items() if value is not None}
    if not options.plan:
        return given | {"files": [{name: value for name, value in of_file.items() if value is not None}]}
    if any(value is not None for value in of_file.values()):
        raise _Refusal(WRONG_USE, "--plan has the files; expected no --length, --rate, --size or --sound beside it")
    try:
        text = Path(options.plan).read_text(encoding="utf-8")
        return read_document(text, "a mapping with cap and files") | given
    except (OSError, UnicodeDecodeError) as error:
        raise _Refusal(WRONG_USE, f"{options.plan} cannot be read; expected a plan in JSON or YAML") from error
    except SpecRefused as error:
        raise _Refusal(WRONG_USE, f"{options.plan}: {'; '.join(map(str, error.mistakes))}") from error


def _sound_of(name: str) -> requests.Sound:
    """Read FILE or FILE#N; a file whose own name ends like that is taken as it is."""
    path, mark, track = name.rpartition("#")
    if mark and track.isdigit() and not Path(name).exists():
        if track == "0":
            raise _Refusal(WRONG_USE, f"met {name!r}; tracks count from 1")
        return requests.Sound(url=Source.at_path(path).url, name=name, track=int(track) - 1)
    return requests.Sound(url=Source.at_path(name).url, name=Path(name).name)


def _print_check(check: Check) -> None:
    counts = ", ".join(f"{count} {outcome}" for outcome, count in check.counts.items() if count)
    _say(f"{check.spec.name}: {check.verdict.value} ({counts})")
    for finding in check.findings:
        _say(f"{finding.outcome.value:13} {finding.line.label:28} asked {finding.required:24} found {finding.found}")
        if finding.outcome in (Outcome.FAIL, Outcome.CAUTION):
            _say(f"{'':13} {finding.says}\n{'':13} {finding.remedy}")


if __name__ == "__main__":
    sys.exit(main())
