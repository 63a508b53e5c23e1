"""What hand-offs tell upwards, in the transaction that writes it."""

from django.dispatch import Signal

#: The other side took or refused something. Arguments: ``handoff``.
answered = Signal()

#: Something could not be sent. Arguments: ``handoff``.
not_sent = Signal()
