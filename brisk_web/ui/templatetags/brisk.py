"""Template tags and filters of the house."""

from __future__ import annotations

import json
import re
from datetime import datetime
from typing import Any

from django import template
from django.utils import timezone
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from brisk_core.edit import Source
from brisk_core.exact import spell_bit_rate, spell_bytes, spell_rate
from brisk_web.ui import marks

register = template.Library()
_SHORT_NAME, _NAME_END = 24, 12  # characters of a name that is never cut, and of the end that always stays

register.simple_tag(marks.icon, name="icon")
register.simple_tag(marks.house_mark, name="house_mark")
register.filter("outcome_class", marks.outcome_class)


@register.simple_tag
def mark(outcome: str, size: int = 12) -> SafeString:
    """The mark of an outcome."""
    return marks.mark(str(outcome), size)


@register.simple_tag
def file_name(name: object) -> SafeString:
    """A file's name, which a narrow place cuts in the middle: its end, where attempt and extension stand, stays.

    It is set apart from the text around it, so that names of either direction of writing leave the rest in order.
    """
    text = str(name)
    if len(text) <= _SHORT_NAME:
        return format_html('<bdi class="file-name">{}</bdi>', text)
    return format_html(
        '<bdi class="file-name" title="{}"><span>{}</span><span>{}</span></bdi>',
        text,
        text[:-_NAME_END],
        text[-_NAME_END:],
    )


@register.filter
def breakable(text: object) -> SafeString:
    """A text that a narrow place breaks after an underscore or a slash, before it breaks it anywhere else."""
    parts = re.split(r"(?<=[_/])", str(text))
    return format_html_join(mark_safe("<wbr>"), "{}", ((part,) for part in parts))


@register.filter
def person(user: Any) -> str:
    """How a person is called: the name they gave, else the one they sign in with; "the house" for nobody."""
    return (user.get_full_name() or user.get_username()) if user else "the house"


@register.filter
def answer_outcome(answer: str) -> str:
    """The mark of what an attempt made of a point that was asked."""
    return {"mended": "pass", "not mended": "fail"}.get(answer, "not measured")


@register.filter
def undo_address(tags: str) -> str:
    """The address at which what a message tells is undone; empty for most."""
    return tags.removeprefix("undo:") if tags and tags.startswith("undo:/") else ""


@register.filter
def file_size(size: int) -> str:
    """Bytes as people read them."""
    return spell_bytes(size)


@register.filter
def share(part: float) -> str:
    """A share of a whole in percent."""
    return f"{round(100 * part)} %"


@register.filter
def bit_rate(bits_per_second: int) -> str:
    """Bits a second as people read them."""
    return spell_bit_rate(bits_per_second)


@register.filter
def capfirst_sentence(text: str) -> str:
    """A part of a sentence as a sentence of its own; what begins with a quotation or a number stays."""
    return text[:1].upper() + text[1:]


@register.filter
def entry(row: Any, key: str) -> Any:
    """A value of a mapping by a key that stands in a variable; nothing where a page has no such mapping."""
    return row.get(key) if isinstance(row, dict) else None


@register.filter
def span_of_time(seconds: float | None) -> str:
    """Seconds as m:ss or h:mm:ss."""
    if seconds is None:
        return ""
    whole = int(seconds + 0.5)
    minutes, second = divmod(whole, 60)
    hours, minute = divmod(minutes, 60)
    return f"{hours}:{minute:02}:{second:02}" if hours else f"{minute}:{second:02}"


@register.filter
def due(moment: datetime | None) -> str:
    """A due time: "today 16:00", "tomorrow", "Fri 27 Nov"."""
    if moment is None:
        return "no date"
    local, now = timezone.localtime(moment), timezone.localtime()
    days = (local.date() - now.date()).days
    if days == 0:
        return f"today {local:%H:%M}"
    if days == 1:
        return f"tomorrow {local:%H:%M}"
    text = f"{local:%a} {local.day} {local:%b}"
    return text if local.year == now.year else f"{text} {local.year}"


@register.filter
def is_late(moment: datetime | None) -> bool:
    """Has a due time passed?"""
    return moment is not None and moment < timezone.now()


@register.filter
def ago(moment: datetime) -> str:
    """A past time: "just now", "12 min ago", "3 h ago", "4 Nov"."""
    seconds = (timezone.now() - moment).total_seconds()
    if seconds < 60:
        return "just now"
    if seconds < 3600:
        return f"{int(seconds // 60)} min ago"
    if seconds < 86400:
        return f"{int(seconds // 3600)} h ago"
    local = timezone.localtime(moment)
    return f"{local.day} {local:%b} {local:%H:%M}"


@register.filter
def words(text: str) -> list[str]:
    """Split a text at its spaces, for short loops over fixed names."""
    return text.split()


@register.filter
def pretty_json(value: Any) -> str:
    """A document as JSON over several lines."""
    return json.dumps(value, indent=2, ensure_ascii=False)


@register.filter
def pairs(text: str) -> list[tuple[str, str]]:
    """Split a text at its spaces and give its words two by two, for short loops over fixed names."""
    parts = text.split()
    return list(zip(parts[::2], parts[1::2], strict=True))


@register.filter
def moment(text: str) -> str:
    """A time in ISO form, as records keep it, in the zone in which times are told now: "28 Nov 2026 14:05"."""
    local = timezone.localtime(datetime.fromisoformat(text))
    return f"{local.day} {local:%b %Y %H:%M}"


@register.filter
def source_words(source: Source) -> str:
    """What is known of source material, in one line."""
    size = f"{source.size[0]} × {source.size[1]}" if source.size else ""
    rate = spell_rate(source.rate) if source.rate else ""
    if source.rate_mode == "variable" and source.rate:
        rate = f"around {float(source.rate):.3f}, variable"
    aspect = source.pixel_aspect
    pixels = f"pixels {aspect.numerator}:{aspect.denominator}" if aspect and aspect != 1 else ""
    sound = f"{source.sample_rate / 1000:g} kHz" if source.sample_rate else ""
    depth = f"{source.bit_depth} bit" if source.bit_depth else ""
    return ", ".join(one for one in (size, rate, source.scan or "", pixels, depth, sound) if one) or "nothing is known"
