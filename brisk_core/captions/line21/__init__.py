"""Captions as line 21 carries them: files of codes, and the screen that shows them (CTA-608-E)."""

from brisk_core.captions.line21.field import Field
from brisk_core.captions.line21.scc import RATE, ROW, read_line21, remarks_of

__all__ = ["RATE", "ROW", "Field", "read_line21", "remarks_of"]
