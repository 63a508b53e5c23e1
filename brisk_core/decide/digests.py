"""One digest for all that is signed, sealed by a waiver, or held against what was."""

from __future__ import annotations

import hashlib
import json
from typing import Any


def digest_of(document: Any) -> str:
    """Return SHA-256 over a document as JSON (RFC 8259) with sorted keys, in UTF-8: 64 hexadecimal digits."""
    return hashlib.sha256(json.dumps(document, sort_keys=True, ensure_ascii=False).encode()).hexdigest()
