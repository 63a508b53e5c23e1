"""Frames and sound of a place, exact to the frame: views of one, samples, strips of many, and seconds that play.

From the ground up: ``find``, ``stills``, ``views``, ``samples``, ``sound``, ``strip``, ``clip``, ``wanted``.
"""

from brisk_core.frames.clip import write_clip
from brisk_core.frames.find import frames_to_decode
from brisk_core.frames.samples import read_samples
from brisk_core.frames.sound import RATE, Samples, SoundTrack, open_sound, read_sound
from brisk_core.frames.stills import Film, Grey, Still, stills
from brisk_core.frames.strip import write_strip
from brisk_core.frames.views import VIEWS, write_frames
from brisk_core.frames.wanted import kept_numbers, of_shot, settle_small_pictures, shot_bounds
from brisk_core.reading.shown import frame_path

__all__ = [
    "RATE",
    "VIEWS",
    "Film",
    "Grey",
    "Samples",
    "SoundTrack",
    "Still",
    "frame_path",
    "frames_to_decode",
    "kept_numbers",
    "of_shot",
    "open_sound",
    "read_samples",
    "read_sound",
    "settle_small_pictures",
    "shot_bounds",
    "stills",
    "write_clip",
    "write_frames",
    "write_strip",
]
