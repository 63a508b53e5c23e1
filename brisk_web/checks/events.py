"""What checks tell upwards, in the transaction that writes it."""

from django.dispatch import Signal

#: Every check by an older version of a spec was judged by this one. Arguments: ``version``.
version_applied = Signal()
