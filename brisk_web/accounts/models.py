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


class Passkey(models.Model):
    """A key pair of one person's device, made for the name of this house (WebAuthn level 3, section 4)."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="passkeys")
    name = models.CharField(max_length=60)  # by which its owner tells it from others
    house = models.CharField(max_length=253)  # the name of the house that it was made for (the relying party's id)
    handle = models.BinaryField(max_length=64)  # by which devices know its owner; the same in all keys of a person
    credential_id = models.CharField(max_length=1400, unique=True)  # in base 64 for addresses, of 1,023 bytes at most
    credential = models.BinaryField()  # what the device made, its public key among it (section 6.5.1)
    sign_count = models.BigIntegerField(default=0)  # how often its device has signed; 0 where that is not counted
    added_at = models.DateTimeField(auto_now_add=True)
    used_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return f"{self.name} of {self.user}"
