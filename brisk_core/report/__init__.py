"""Reports: ``check_json``, the document of schema ``brisk-sentry/check/1``; ``side_by_side``, files compared;
``attempts``, what changed from one to the next.
"""

from brisk_core.report.attempts import AttemptsTold, JudgedLine, ShotChange, tell_attempts
from brisk_core.report.check_json import CHECK_SCHEMA, check_to_json
from brisk_core.report.side_by_side import Cell, Compared, Row, RowGroup, compare

__all__ = [
    "CHECK_SCHEMA",
    "AttemptsTold",
    "Cell",
    "Compared",
    "JudgedLine",
    "Row",
    "RowGroup",
    "ShotChange",
    "check_to_json",
    "compare",
    "tell_attempts",
]
