"""What every page's shell needs."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

THEME_COOKIE = "brisk-theme"

#: The part of the rail that lights up, by the name of the address; others light none.
_RAIL = {
    "desk": "desk",
    "jobs": "jobs",
    "new-job": "jobs",
    "job": "jobs",
    "new-deliverable": "jobs",
    "import-timeline": "jobs",
    "check": "jobs",
    "deliverable": "jobs",
    "report": "jobs",
    "job-report": "jobs",
    "reports": "jobs",
    "hand-offs": "hand-off",
    "hand-off": "hand-off",
    "hand-over": "hand-off",
    "new-destination": "hand-off",
    "change-destination": "hand-off",
    "ask-again": "jobs",
    "request": "jobs",
    "several-deliverables": "jobs",
    "new-bundle": "jobs",
    "change-bundle": "jobs",
    "companions": "jobs",
    "waive": "jobs",
    "watch": "jobs",
    "sign": "jobs",
    "side-by-side": "jobs",
    "files": "files",
    "file": "files",
    "file-trail": "files",
    "deliverable-trail": "jobs",
    "job-trail": "jobs",
    "spec-trail": "specs",
    "browse-root": "files",
    "watched-folders": "files",
    "watched-folder": "files",
    "watch-folder": "files",
    "change-watched": "files",
    "take-in": "files",
    "bring-in-specs": "specs",
    "house-words": "specs",
    "planner": "planner",
    "plan": "planner",
    "planner-rates": "planner",
    "planner-sizes": "planner",
    "planner-order": "planner",
    "planner-plays": "planner",
    "planner-target": "planner",
    "planner-deck": "planner",
    "planner-discs": "planner",
    "change-disc": "planner",
    "specs": "specs",
    "spec": "specs",
    "spec-lines": "specs",
    "compare-specs": "specs",
    "spec-from-file": "specs",
    "glossary": "glossary",
    "house": "house",
    "hooks": "house",
    "house-defaults": "house",
    "queue": "house",
    "kept": "house",
    "people": "house",
    "new-hook": "house",
    "change-hook": "house",
    "comments": "jobs",
    "notices": "notices",
    "you": "you",
    "password": "you",
    "tokens": "you",
    "second-step": "you",
    "passkeys": "you",
    "add-passkey": "you",
    "remove-passkey": "you",
    "join-provider": "you",
    "recovery-codes": "you",
    "remove-second-step": "you",
    "sessions": "you",
    "calls": "you",
}


def shell(request: HttpRequest) -> dict[str, Any]:
    """Return the theme chosen ("day", "night" or "" for the system's) and the part of the rail the page belongs to."""
    theme = request.COOKIES.get(THEME_COOKIE, "")
    match = request.resolver_match
    return {
        "theme": theme if theme in ("day", "night") else "",
        "rail": _RAIL.get(match.url_name or "", "") if match else "",
    }
