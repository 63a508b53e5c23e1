"""What edits tell upwards, in the transaction that writes it."""

from django.dispatch import Signal

#: What files are held against in an edit was mended. Arguments: ``timeline``.
timeline_changed = Signal()

#: An edit was read at another rate, so that its frames have other numbers; told before ``timeline_changed``.
#: Arguments: ``timeline``, and ``carried``, which gives the new number of an old one.
timeline_retimed = Signal()
