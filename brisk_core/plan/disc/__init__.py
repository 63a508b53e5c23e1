"""Discs: a plan of clips, lists and screens that is worked out before anything is authored, and that can be walked.

From the ground up: ``kinds`` (what a disc holds and how fast it is read), ``items`` (what stands on it and what
follows what), ``document`` (the plan as people write it), ``navigation`` (every item reached, every end leading on),
``walk`` (a player), ``capacity`` (bytes, and the bit rate that fills the disc), ``clips`` (what the disc allows, and
its chapters), ``answer`` (all of it together).
"""
