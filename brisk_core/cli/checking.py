"""The verb ``check``: judges a file by a spec, a timeline, a master and captions."""

from __future__ import annotations

import argparse
import tempfile
from pathlib import Path

from brisk_core import sandbox
from brisk_core.captions import Captioned, burned_from_json, document_from_json, evidence_of
from brisk_core.cli.files import read_file
from brisk_core.cli.reading import read_spec, read_timeline
from brisk_core.cli.saying import A_FAIL, NO_FAIL, UNREADABLE, WRONG_USE, Refusal, say, say_json
from brisk_core.edit import FrameRange, Timeline, parse_range
from brisk_core.errors import CaptionsRefused, RangeRefused, UnreadableFile
from brisk_core.facts import REGISTRY, Depth, Held, Inspection, inspection_to_json, keys
from brisk_core.master import held_of, ordered_frames, shot_names
from brisk_core.packets import load_series
from brisk_core.reading import Source
from brisk_core.report import check_to_json
from brisk_core.sandbox import requests
from brisk_core.scan import load_scan
from brisk_core.spec import Check, Outcome, judge


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what ``check`` takes."""
    parser.add_argument("file")
    parser.add_argument("--spec", required=True, help="a spec document, or the id of a shipped spec")
    parser.add_argument("--timeline", help="an OTIO file or bundle, an AAF or an EDL file")
    parser.add_argument("--range", help="IN-OUT in timecodes or frames of the timeline; OUT is the first frame after")
    parser.add_argument("--master", help="a master to hold the file against")
    parser.add_argument("--captions", action="append", default=[], help="a caption file beside it; may be given again")
    parser.add_argument("--kind", choices=REGISTRY[keys.ORDER_KIND.id].choices, help="kind of work, for specs that ask")
    parser.add_argument("--edit-rate", help="frame rate of an EDL, which does not state it")
    parser.add_argument("--json", action="store_true", help="print JSON of schema brisk-sentry/check/1")


def run(options: argparse.Namespace) -> int:
    """Check a file; return the exit status: 1 for one that fails."""
    spec = read_spec(options.spec)
    if options.range and not options.timeline:
        raise Refusal(WRONG_USE, "a range needs a timeline; expected --timeline beside --range")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        series_path = folder / "file.series.npz"
        inspection = read_file(options.file, Depth.FULL, series_path, folder / "file.scan.npz")
        series = load_series(series_path) if series_path.exists() else None
        timeline = read_timeline(options.timeline, inspection, options.edit_rate) if options.timeline else None
        try:
            covered = parse_range(options.range, timeline) if options.range and timeline else None
        except RangeRefused as error:
            raise Refusal(WRONG_USE, str(error)) from error
        master = _against_master(options, inspection, folder, timeline, covered) if options.master else None
        captioned = _captions_of(options, inspection, folder)
    check = judge(
        spec,
        inspection,
        timeline=timeline,
        covered=covered,
        series=series,
        master=master,
        captioned=captioned,
        kind_of_work=options.kind,
    )
    if options.json:
        say_json(check_to_json(check, inspection))
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
            raise Refusal(UNREADABLE, str(error)) from error
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
    master = read_file(options.master, Depth.FULL, folder / "master.series.npz", folder / "master.scan.npz")
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
        raise Refusal(UNREADABLE, f"{options.master}: {error}") from error


def _print_check(check: Check) -> None:
    counts = ", ".join(f"{count} {outcome}" for outcome, count in check.counts.items() if count)
    say(f"{check.spec.name}: {check.verdict.value} ({counts})")
    for finding in check.findings:
        say(f"{finding.outcome.value:13} {finding.line.label:28} asked {finding.required:24} found {finding.found}")
        if finding.outcome in (Outcome.FAIL, Outcome.CAUTION):
            say(f"{'':13} {finding.says}\n{'':13} {finding.remedy}")
