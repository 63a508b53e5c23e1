"""What masters tell upwards, in the transaction that writes it."""

from django.dispatch import Signal

#: A comparison was done or has failed. Arguments: ``comparison``.
comparison_ended = Signal()
