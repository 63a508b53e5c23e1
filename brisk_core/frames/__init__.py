"""Frames for the bench, exact to the frame: views of one, samples, strips of many, and a few seconds that play.

From the ground up: ``find``, ``stills``, ``views``, ``samples``, ``strip``, ``clip``.
"""

from brisk_core.frames.clip import write_clip
from brisk_core.frames.find import frame_path
from brisk_core.frames.samples import read_samples
from brisk_core.frames.stills import Film, Grey, Still, stills
from brisk_core.frames.strip import write_strip
from brisk_core.frames.views import VIEWS, write_frames

__all__ = [
    "VIEWS",
    "Film",
    "Grey",
    "Still",
    "frame_path",
    "read_samples",
    "stills",
    "write_clip",
    "write_frames",
    "write_strip",
]
