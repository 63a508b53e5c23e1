"""What people choose for themselves."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class Preference(models.Model):
    """The choices of one person; empty ones are those of the house."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="preference")
    time_zone = models.CharField(max_length=64, blank=True)  # as the IANA database names it
    password_given = models.BooleanField(default=False)  # by a lead: to be changed at the next sign-in

    def __str__(self) -> str:
        return f"preferences of {self.user}"
