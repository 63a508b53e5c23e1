"""The first look: some key pictures and a little sound from the whole length of a file, in seconds.

It says what was seen so far and never that a line is met: what lies between two pictures it has not seen. From the
ground up: ``places`` (where is looked), ``pictures``, ``sound``, ``tell`` (what is said of both), ``look``.
"""

from brisk_core.first_look.look import first_look, is_worth_it
from brisk_core.first_look.tell import FirstLook, Seen

__all__ = ["FirstLook", "Seen", "first_look", "is_worth_it"]
