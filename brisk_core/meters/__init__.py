"""Meters of pictures and sound, one module a measurement.

From the ground up: ``picture`` (one picture and its reduced forms), ``planes`` (frames as pictures), ``spans``,
``rows`` (what picture meters have in common), ``fields``, ``change``, ``motion``, ``light``, ``levels``, ``area``,
``coding``, ``spectrum``, ``enlargement``, ``signature``; ``hops`` (what sound meters have in common), ``loudness``,
``sound_faults``.
"""

from brisk_core.meters.picture import Picture, Samples
from brisk_core.meters.rows import MeterRows, PictureMeter

__all__ = ["MeterRows", "Picture", "PictureMeter", "Samples"]
