"""What captions tell upwards, in the transaction that writes it."""

from django.dispatch import Signal

#: More or less is known of the captions of some files. Arguments: ``media_files``.
captions_known = Signal()
