"""Pages as PDF, tagged, with the fonts of the house. Nothing is fetched: whatever they show is carried in them."""

from __future__ import annotations

import base64
import hashlib
import os
import re
from collections.abc import Iterable
from datetime import UTC, datetime
from functools import lru_cache
from pathlib import Path
from typing import Any

from django.contrib.staticfiles import finders
from django.http import HttpResponse
from django.template.loader import render_to_string
from django.utils.http import content_disposition_header

from brisk_web.inspections.models import Inspection

_FAMILIES = (
    ("Atkinson Hyperlegible Next", "atkinson-hyperlegible-next-latin.woff2", "U+0000-00FF, U+2000-206F, U+2122"),
    ("Atkinson Hyperlegible Next", "atkinson-hyperlegible-next-latin-ext.woff2", "U+0100-02BA"),
    ("Atkinson Hyperlegible Mono", "atkinson-hyperlegible-mono-latin.woff2", "U+0000-00FF, U+2000-206F, U+2122"),
    ("Atkinson Hyperlegible Mono", "atkinson-hyperlegible-mono-latin-ext.woff2", "U+0100-02BA"),
)
#: Stands where records have no time of their own, so that the same records give the same bytes.
_NO_TIME = datetime(2000, 1, 1, tzinfo=UTC)
#: Fonts that are cut down to the letters of a document are stamped with this time instead of that of the moment.
os.environ.setdefault("SOURCE_DATE_EPOCH", str(int(_NO_TIME.timestamp())))
#: Marks take their colour from the text around them, which the library hands on to drawings as an attribute only.
_MARK = re.compile(r'<svg class="(is-[a-z-]+) ')
_COLOURS = {
    "is-pass": "#1e7a5a",
    "is-fail": "#a93a2b",
    "is-caution": "#8a560c",
    "is-not-measured": "#5b6a72",
    "is-waived": "#67508c",
}


def _coloured(found: re.Match[str]) -> str:
    return f'<svg color="{_COLOURS.get(found[1], "#1c2a33")}" class="{found[1]} '


def data_address(content: bytes, kind: str) -> str:
    """Return some bytes as an address that carries them."""
    return f"data:{kind};base64,{base64.b64encode(content).decode('ascii')}"


def kept_picture(inspection: Inspection | None, frame: int) -> str:
    """Return the small picture that the scan kept of this very frame, as an address; "" where it kept none."""
    if inspection is None:
        return ""
    try:
        return data_address(inspection.small_picture(frame).read_bytes(), "image/jpeg")
    except OSError:
        return ""


@lru_cache(maxsize=1)
def _style() -> str:
    """The style of printed pages, with the fonts in it."""
    faces = [
        f"@font-face {{ font-family: '{family}'; src: url({_carried(name)}) format('woff2'); unicode-range: {signs} }}"
        for family, name, signs in _FAMILIES
    ]
    return "\n".join([*faces, _static("ui/print.css").read_text("utf-8")])


def _carried(name: str) -> str:
    return data_address(_static(f"ui/fonts/{name}").read_bytes(), "font/woff2")


def _static(name: str) -> Path:
    found = finders.find(name)
    if not isinstance(found, str):
        raise FileNotFoundError(name)
    return Path(found)


def pdf_of(
    template: str,
    context: dict[str, Any],
    *,
    attached: Iterable[tuple[str, bytes, str]] = (),
    written: datetime | None = None,
) -> bytes:
    """Return a page as PDF/A-3u, tagged; the same context gives the same bytes.

    ``attached`` are files that it carries: name, bytes, what they are; ``written`` is the time they are marked with.
    """
    # Only who prints pays for the library, which takes half a second to come in.
    from weasyprint import CSS, HTML, Attachment  # type: ignore[import-untyped]
    from weasyprint.text.fonts import FontConfiguration  # type: ignore[import-untyped]
    from weasyprint.urls import URLFetcher  # type: ignore[import-untyped]

    text = _MARK.sub(_coloured, render_to_string(template, context))
    fetcher = URLFetcher(allowed_protocols={"data"})
    fonts = FontConfiguration()
    at = written or _NO_TIME
    files = [
        Attachment(string=content, name=name, description=says, created=at, modified=at)
        for name, content, says in attached
    ]
    document = HTML(string=text, url_fetcher=fetcher)
    made: bytes = document.write_pdf(
        stylesheets=[CSS(string=_style(), font_config=fonts, url_fetcher=fetcher)],
        attachments=files,
        font_config=fonts,
        pdf_variant="pdf/a-3u",
        pdf_tags=True,
        pdf_identifier=hashlib.sha256(text.encode()).digest()[:16],
    )
    return made


def pdf_answer(made: bytes, file_name: str) -> HttpResponse:
    """Return a PDF as an answer that the browser shows, under a name to keep it by."""
    answer = HttpResponse(made, content_type="application/pdf")
    answer["Content-Disposition"] = content_disposition_header(False, file_name) or "inline"
    return answer
