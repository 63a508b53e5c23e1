"""What checks tell upwards, in the transaction that writes it."""

from django.dispatch import Signal

#: Every check by an older version of a spec was judged by this one. Arguments: ``version``.
version_applied = Signal()

#: Checks were judged, whatever the reason. Arguments: ``ids`` of the checks.
checks_judged = Signal()
