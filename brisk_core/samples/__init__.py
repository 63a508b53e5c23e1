"""The made-up programme "The Lamplighters' Canal": drawn, sounded and encoded by code, with planted faults.

From the ground up: ``programme`` (shots), ``picture`` (drawing), ``drawings`` (one moment or two, and faults),
``sound``, ``encode``, ``renders`` (the files and their faults), ``timelines``, ``foyer`` (lamps with alpha), ``build``.
"""

from brisk_core.samples.build import build_samples
from brisk_core.samples.renders import RENDERS, Recipe

__all__ = ["RENDERS", "Recipe", "build_samples"]
