"""The command ``brisk-sentry``."""

from brisk_core.cli.command import main

__all__ = ["main"]
