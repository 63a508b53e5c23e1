"""What decisions tell upwards, in the transaction that writes it."""

from django.dispatch import Signal

#: A signature no longer stands for what is there. Arguments: ``signature``.
signature_voided = Signal()
