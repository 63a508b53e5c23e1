"""Frames for the bench, exact to the frame: views of one, samples, strips of many, and a few seconds that play.

From the ground up: ``find``, ``views``, ``samples``, ``strip``, ``clip``.
"""

from brisk_core.frames.clip import write_clip
from brisk_core.frames.find import frame_path
from brisk_core.frames.samples import read_samples
from brisk_core.frames.strip import write_strip
from brisk_core.frames.views import VIEWS, write_frames

__all__ = ["VIEWS", "frame_path", "read_samples", "write_clip", "write_frames", "write_strip"]
