"""What people choose for themselves."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class ProviderAccount(models.Model):
    """The account of one person at the provider that the house signs in by (OpenID Connect Core 1.0, section 2)."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="provider_account")
    issuer = models.CharField(max_length=255)
    subject = models.CharField(max_length=255)  # by which the issuer knows them, for good
    joined_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("issuer", "subject"), name="one_person_a_provider_account"),)

    def __str__(self) -> str:
        return f"{self.user} at {self.issuer}"


class Preference(models.Model):
    """The choices of one person; empty ones are those of the house."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="preference")
    time_zone = models.CharField(max_length=64, blank=True)  # as the IANA database names it
    password_given = models.BooleanField(default=False)  # by a lead: to be changed at the next sign-in

    def __str__(self) -> str:
        return f"preferences of {self.user}"
