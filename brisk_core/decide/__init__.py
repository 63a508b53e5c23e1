"""Decisions about an attempt, as pure rules: what is asked again and whether the next attempt answers it, what
may be waived and for how long, what is to be watched, and what a signature stands for.

Findings are taken as ``brisk-sentry/check/1`` has them. Nothing here knows who somebody is, nor what time it is.
"""

from brisk_core.decide.asking import Answer, Point, Ticked, answer_points, points_of, request_text
from brisk_core.decide.digests import digest_of
from brisk_core.decide.signing import SIGNED_SCHEMA, Basis, digest_of_findings, what_changed, why_not_signed
from brisk_core.decide.waiving import Applied, Waiver, apply_waivers, value_of, why_not_waivable
from brisk_core.decide.watching import Seen, Stretch, share_seen, what_to_watch

__all__ = [
    "SIGNED_SCHEMA",
    "Answer",
    "Applied",
    "Basis",
    "Point",
    "Seen",
    "Stretch",
    "Ticked",
    "Waiver",
    "answer_points",
    "apply_waivers",
    "digest_of",
    "digest_of_findings",
    "points_of",
    "request_text",
    "share_seen",
    "value_of",
    "what_changed",
    "what_to_watch",
    "why_not_signed",
    "why_not_waivable",
]
