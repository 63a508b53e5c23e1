"""Reports: ``check_json``, the document of schema ``brisk-sentry/check/1``; ``side_by_side``, files compared;
``attempts``, what changed from one to the next; ``reported``, the report of schema ``brisk-sentry/report/1``, with its
lanes in ``drawing`` and its tables and texts in ``texts``.
"""

from brisk_core.report.attempts import AttemptsTold, JudgedLine, ShotChange, tell_attempts
from brisk_core.report.check_json import CHECK_SCHEMA, check_to_json
from brisk_core.report.drawing import lane_of, lane_svg
from brisk_core.report.reported import REPORT_SCHEMA, many_report, render_report, report_schema, worst_first
from brisk_core.report.side_by_side import Cell, Compared, Row, RowGroup, compare
from brisk_core.report.texts import report_csv, report_text

__all__ = [
    "CHECK_SCHEMA",
    "REPORT_SCHEMA",
    "AttemptsTold",
    "Cell",
    "Compared",
    "JudgedLine",
    "Row",
    "RowGroup",
    "ShotChange",
    "check_to_json",
    "compare",
    "lane_of",
    "lane_svg",
    "many_report",
    "render_report",
    "report_csv",
    "report_schema",
    "report_text",
    "tell_attempts",
    "worst_first",
]
