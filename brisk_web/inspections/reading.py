"""Reading a file in the worker: headers, a first look at a long one, checksum and packets; then comes ``scanning``."""

from __future__ import annotations

import logging

from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from brisk_core import sandbox
from brisk_core.errors import UnreadableFile
from brisk_core.facts import Depth, inspection_from_json
from brisk_core.first_look import is_worth_it
from brisk_core.sandbox import requests
from brisk_web.inspections.contents import adopt, enter, same_contents, tell
from brisk_web.inspections.models import Inspection, packed
from brisk_web.inspections.scanning import conclude, plan
from brisk_web.storage import shared
from brisk_web.work.kernel import Claim, work

log = logging.getLogger(__name__)

_HEADER_LIMITS = sandbox.Limits(wall_s=120, processor_s=120)
_LOOK_LIMITS = sandbox.Limits(wall_s=300, processor_s=300)


@work("headers", Inspection, doing="reading this file", stages=[Inspection.Stage.HEADERS], ended=tell)
def read_headers(claim: Claim[Inspection]) -> None:
    """Read headers in a second or so, so that the page has something true to show; then queue the rest."""
    media_file = enter(claim, Inspection.Stage.HEADERS)
    document = sandbox.run(
        requests.Inspect(url=media_file.url, name=media_file.name, depth=Depth.HEADERS.value),
        limits=_HEADER_LIMITS,
        should_stop=claim.should_stop,
    )
    with transaction.atomic():
        if is_worth_it(inspection_from_json(document)):
            claim.pass_on(take_first_look, document=document, stage=Inspection.Stage.LOOK)
        else:
            claim.pass_on(read_packets, document=document, stage=Inspection.Stage.CHECKSUM)
        tell(claim.row)


# Before anything else that waits: each takes seconds, and whoever sent the file has something to go by.
@work(
    "scan",
    Inspection,
    doing="taking a first look",
    priority=30,
    stages=[Inspection.Stage.LOOK],
    first=Q(urgent=True),
    ended=tell,
)
def take_first_look(claim: Claim[Inspection]) -> None:
    """Look at some pictures and a little sound of a long file; where that fails, the reading goes on without."""
    inspection = claim.row
    media_file = enter(claim, Inspection.Stage.LOOK)
    inspection.look_folder.parent.mkdir(parents=True, exist_ok=True)
    look = None
    try:
        look = sandbox.run(
            requests.FirstLook(
                url=media_file.url, document=inspection.document or {}, small_folder=str(inspection.look_folder)
            ),
            limits=_LOOK_LIMITS,
            progress=claim.progress,
            should_stop=claim.should_stop,
        )
        shared.share_folder(inspection.look_folder, packed(inspection.look_folder))
    except UnreadableFile as stopped:
        log.warning("no first look at %s: %s", inspection, stopped)
    with transaction.atomic():
        claim.pass_on(read_packets, look=look, stage=Inspection.Stage.CHECKSUM)
        tell(claim.row)


@work(
    "scan",
    Inspection,
    doing="reading this file",
    stages=[Inspection.Stage.CHECKSUM, Inspection.Stage.PACKETS],
    first=Q(urgent=True),
    ended=tell,
)
def read_packets(claim: Claim[Inspection]) -> None:
    """Take the checksum, adopt contents that are known already, else read the packets and cut the scan into parts."""
    inspection = claim.row
    media_file = enter(claim, Inspection.Stage.CHECKSUM)
    digest = requests.Digest(url=media_file.url)
    checksum = sandbox.run(digest, progress=claim.progress, should_stop=claim.should_stop)
    if known := same_contents(checksum, inspection):
        adopt(claim, known)
        return
    enter(claim, Inspection.Stage.PACKETS)
    inspection.series_path.parent.mkdir(parents=True, exist_ok=True)
    document = sandbox.run(
        requests.Inspect(
            url=media_file.url,
            name=media_file.name,
            depth=Depth.PACKETS.value,
            checksum=checksum,
            series_path=str(inspection.series_path),
        ),
        progress=claim.progress,
        should_stop=claim.should_stop,
    )
    if inspection.series_path.exists():
        shared.share(inspection.series_path)
    with transaction.atomic():
        if known := same_contents(checksum, inspection):  # two files with the same bytes were read at once
            adopt(claim, known)
            return
        now = timezone.now()
        claim.write(
            document=document, checksum=checksum, error="", stage=Inspection.Stage.SCAN, stage_started_at=now, tries=0,
            done=0, total=0,
        )  # fmt: skip
        inspection.refresh_from_db()
        if not plan(inspection, inspection.load_series()):
            claim.pass_on(conclude, stage=Inspection.Stage.CONCLUDE)
        tell(inspection)
