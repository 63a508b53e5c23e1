"""The web application of Brisk Sentry: people, records, pages and the work queue around ``brisk_core``.

From the ground up: ``config``, ``ui``, ``accounts``, ``house`` (audit trail), ``shelf`` (specs), ``inspections``,
``storage`` (files and intake), ``edits`` (timelines), ``jobs``, ``checks``.
"""
