"""Secrets of destinations: sealed by a key that lies outside the database."""

from __future__ import annotations

import os
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken
from django.conf import settings


class SecretLost(Exception):
    """A secret that the house's key does not open, with a sentence."""


def _key() -> bytes:
    """The key in BRISK_DESTINATION_KEY, else the one in the data folder, made when it is first needed."""
    if given := os.environ.get("BRISK_DESTINATION_KEY"):
        return given.encode()
    path = Path(settings.DATA_FOLDER) / "destination-key"
    path.parent.mkdir(parents=True, exist_ok=True)
    try:
        with open(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
            file.write(Fernet.generate_key())
    except FileExistsError:
        pass
    return path.read_bytes()


def seal(secret: str) -> str:
    """Return a secret sealed; "" for none."""
    return Fernet(_key()).encrypt(secret.encode()).decode() if secret else ""


def unseal(sealed: str) -> str:
    """Return a secret; raises ``SecretLost`` where it was sealed by another key."""
    if not sealed:
        return ""
    try:
        return Fernet(_key()).decrypt(sealed.encode()).decode()
    except InvalidToken as error:
        raise SecretLost(
            "The password of this destination was sealed by another key; enter it again, or bring the key back."
        ) from error
