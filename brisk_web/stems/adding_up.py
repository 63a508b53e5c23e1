"""Holding stems against their mix, in the worker."""

from __future__ import annotations

from brisk_core import sandbox
from brisk_core.sandbox import requests
from brisk_web.stems.models import StemCheck
from brisk_web.work.kernel import Claim, work

_LIMITS = sandbox.Limits(wall_s=3600, processor_s=3600)


@work("scan", StemCheck, doing="adding up", priority=5, related=("mix__root",))
def add_up(claim: Claim[StemCheck]) -> None:
    """Hold stems against their mix."""
    check = claim.row
    parts = check.parts.select_related("media_file__root")
    request = requests.Stems(
        mix=requests.Sound(url=check.mix.url, name=check.mix.name, track=check.mix_track),
        stems=[requests.Sound(url=stem.media_file.url, name=str(stem), track=stem.track) for stem in parts],
    )
    document = sandbox.run(request, limits=_LIMITS, progress=claim.progress, should_stop=claim.should_stop)
    claim.end(document=document)
