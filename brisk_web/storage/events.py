"""What storage tells upwards, in the transaction that writes it."""

from django.dispatch import Signal

#: A file was registered for the first time. Arguments: ``media_file``; ``by``, a person or ``None``; ``inspect``,
#: whether it is to be inspected at once.
media_registered = Signal()
