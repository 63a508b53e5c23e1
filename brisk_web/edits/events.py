"""What edits tell upwards, in the transaction that writes it."""

from django.dispatch import Signal

#: What files are held against in an edit was mended. Arguments: ``timeline``.
timeline_changed = Signal()
