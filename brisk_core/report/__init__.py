"""Reports: ``check_json``, the document of schema ``brisk-sentry/check/1``; ``side_by_side``, files compared."""

from brisk_core.report.check_json import CHECK_SCHEMA, check_to_json
from brisk_core.report.side_by_side import Cell, Compared, Row, RowGroup, compare

__all__ = ["CHECK_SCHEMA", "Cell", "Compared", "Row", "RowGroup", "check_to_json", "compare"]
