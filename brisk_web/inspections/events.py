"""What inspections tell upwards, in the transaction that writes it."""

from django.dispatch import Signal

#: More is known of an inspection, or it ended. Arguments: ``inspection``.
facts_known = Signal()
