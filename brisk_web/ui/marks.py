"""The one module that writes SVG into pages: marks of findings, icons of the rail, the house mark."""

from __future__ import annotations

from django.utils.html import format_html
from django.utils.safestring import SafeString, mark_safe

#: Shapes by outcome in a box of 12: told by shape first, colour second.
_MARKS = {
    "pass": '<circle cx="6" cy="6" r="4.8" fill="currentColor"/>',
    "fail": '<path d="M6 .4L11.6 6L6 11.6L.4 6Z" fill="currentColor"/><rect x="3" y="5.1" width="6" height="1.8" fill="var(--paper)"/>',
    "caution": (
        '<circle cx="6" cy="6" r="4.7" fill="none" stroke="currentColor" stroke-width="1.6"/>'
        '<path d="M6 1.3A4.7 4.7 0 0 0 6 10.7Z" fill="currentColor"/>'
    ),
    "not measured": '<circle cx="6" cy="6" r="4.8" fill="none" stroke="currentColor" stroke-width="1.6" stroke-dasharray="2.4 2.2"/>',
    "waived": (
        '<circle cx="6" cy="6" r="4.8" fill="none" stroke="currentColor" stroke-width="1.6"/>'
        '<path d="M2.4 9.6L9.6 2.4" stroke="currentColor" stroke-width="1.6"/>'
    ),
}
_ICONS = {
    "desk": '<path d="M3 8h16M3 8v9M19 8v9M6 8V5h10v3M8 12h6"/>',
    "jobs": '<path d="M4 5h14v13H4zM4 9h14M9 9v9"/>',
    "files": '<path d="M5 3h8l4 4v12H5zM13 3v4h4"/>',
    "planner": '<path d="M3 18h18M5 18V9h3v9M10.5 18V5h3v13M16 18v-6h3v6"/><path d="M3 3h18"/>',
    "notices": '<path d="M11 3a5 5 0 0 0-5 5v4l-2 3h14l-2-3V8a5 5 0 0 0-5-5zM9 18a2 2 0 0 0 4 0"/>',
    "hand-off": '<path d="M3 11h12M11 6.5l4.5 4.5-4.5 4.5M19 4v14"/>',
    "specs": '<path d="M4 4h5v14H4zM9 4h5v14H9zM14.5 5l3.8-.9 2.4 13-3.8.9"/>',
    "house": (
        '<path d="M3 6h16M3 11h16M3 16h16"/><circle cx="7" cy="6" r="2" fill="var(--paper)"/>'
        '<circle cx="14" cy="11" r="2" fill="var(--paper)"/><circle cx="9" cy="16" r="2" fill="var(--paper)"/>'
    ),
    "glossary": '<path d="M4 4h6a2 2 0 0 1 1 1v13a2 2 0 0 0-1-1H4zM18 4h-6a2 2 0 0 0-1 1v13a2 2 0 0 1 1-1h6zM6.5 8h2M6.5 11h2M13.5 8h2"/>',
    "theme": '<path d="M11 4a7 7 0 1 0 7 7A5.6 5.6 0 0 1 11 4Z"/>',
    "find": '<circle cx="9.5" cy="9.5" r="5.5"/><path d="M13.5 13.5L19 19"/>',
    "you": '<circle cx="11" cy="7.5" r="3.5"/><path d="M4 19c.8-4 3.4-6 7-6s6.2 2 7 6"/>',
    "out": '<path d="M9 4H4v14h5M9 11h10M15 7l4 4-4 4"/>',
}


def outcome_class(outcome: str) -> str:
    """Return the style class of an outcome."""
    return f"is-{outcome.replace(' ', '-')}"


def mark(outcome: str, size: int = 12) -> SafeString:
    """Return the mark of an outcome, with its name for those who cannot see it."""
    return format_html(
        '<svg class="{}" width="{}" height="{}" viewBox="0 0 12 12" role="img" aria-label="{}"><title>{}</title>{}</svg>',
        f"{outcome_class(outcome)} shrink-0",
        size,
        size,
        outcome,
        outcome,
        mark_safe(_MARKS[outcome]),  # noqa: S308 - constants of this module
    )


def icon(name: str) -> SafeString:
    """Return an icon of the rail."""
    return format_html(
        '<svg width="22" height="22" viewBox="0 0 22 22" fill="none" stroke="currentColor" stroke-width="1.6" '
        'aria-hidden="true">{}</svg>',
        mark_safe(_ICONS[name]),  # noqa: S308 - constants of this module
    )


def house_mark(size: int = 30) -> SafeString:
    """Return the mark of the application: a lock house with water in its gable."""
    return format_html(
        '<svg width="{}" height="{}" viewBox="0 0 30 30" fill="none" stroke="currentColor" stroke-width="2" '
        'aria-hidden="true"><path d="M8 27V12l7-8 7 8v15Z" stroke-linejoin="round"/>'
        '<path d="M8 19l8-8M9 25l13-13M15 27l7-7"/></svg>',
        size,
        size,
    )
