"""The chapters of a clip as a WebVTT file of kind chapters: W3C WebVTT, 1.2."""

from __future__ import annotations

from fractions import Fraction

from brisk_core.plan.disc.items import Chapter, Clip


def chapters_vtt(clip: Clip) -> str:
    """Return the chapters of a clip as WebVTT: each lasts until the next, the last until the end."""
    chapters = clip.chapters or (Chapter(frame=0),)
    ends = [*(one.frame for one in chapters[1:]), clip.frames]
    cues = [
        f"{_time(one.frame / clip.rate)} --> {_time(end / clip.rate)}\n{_plain(one.name) or f'Chapter {number}'}"
        for number, (one, end) in enumerate(zip(chapters, ends, strict=True), 1)
    ]
    return "\n\n".join(["WEBVTT", *cues]) + "\n"


def _time(seconds: Fraction) -> str:
    milliseconds = round(seconds * 1000)
    minutes, rest = divmod(milliseconds, 60_000)
    hours, minutes = divmod(minutes, 60)
    return f"{hours:02}:{minutes:02}:{rest // 1000:02}.{rest % 1000:03}"


def _plain(name: str) -> str:
    """A name without what WebVTT reads as something else: lines and arrows, and marks of tags."""
    text = " ".join(name.split()).replace("-->", "→")
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
