"""Forms that change a record: whoever opened one before somebody else saved is told what it is now."""

from __future__ import annotations

import hashlib
from typing import Any

from django import forms
from django.db.models import Model


def digest_of(row: Model) -> str:
    """Return a text that changes with any field of a row that a person fills in."""
    fields = {field.attname: getattr(row, field.attname) for field in row._meta.concrete_fields if field.editable}
    return hashlib.sha256(repr(fields).encode()).hexdigest()[:16]


class SeenMixin(forms.BaseForm):
    """A form that knows the state of the record that it was opened with; ``keep`` is told the record first."""

    def keep(self, row: Model) -> None:
        """Add the hidden field with the state of a record."""
        self._row = type(row)._default_manager.get(pk=row.pk)
        self.fields["seen"] = forms.CharField(widget=forms.HiddenInput, required=False, initial=digest_of(self._row))

    def clean(self) -> dict[str, Any]:
        """Refuse what was filled in over an older state, and say so once: sent again, it counts."""
        cleaned: dict[str, Any] = super().clean() or {}
        now = digest_of(self._row) if "seen" in self.fields else ""
        if now and cleaned.get("seen") != now:
            self.data = {**{name: self.data.get(name) for name in self.data}, "seen": now}
            self.add_error(
                None,
                "Somebody else changed this while the form was open: it is now "
                f"{self.says_now()}. Look at your entries once more and save again to put them in its place.",
            )
        return cleaned

    def says_now(self) -> str:
        """The record as it is now, in words."""
        return f"“{self._row}”"
