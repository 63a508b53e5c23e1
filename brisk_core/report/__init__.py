"""Reports from a check: ``check_json``, the document of schema ``brisk-sentry/check/1``."""

from brisk_core.report.check_json import CHECK_SCHEMA, check_to_json

__all__ = ["CHECK_SCHEMA", "check_to_json"]
