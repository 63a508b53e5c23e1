"""What jobs tell upwards, in the transaction that writes it."""

from django.dispatch import Signal

#: A deliverable was given to a person to look after. Arguments: ``deliverable``, ``by`` whom.
assigned = Signal()
