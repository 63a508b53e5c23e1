"""A device of the tests' own that makes passkeys and signs with them, rightly or with one thing wrong."""

from __future__ import annotations

import json
import secrets
from typing import Any

from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec
from fido2.cose import ES256, CoseKey
from fido2.utils import sha256, websafe_decode, websafe_encode
from fido2.webauthn import Aaguid, AttestationObject, AttestedCredentialData, AuthenticatorData, CollectedClientData

UP, UV, AT = AuthenticatorData.FLAG.UP, AuthenticatorData.FLAG.UV, AuthenticatorData.FLAG.AT


class SoftDevice:
    """Holds one key, for one house."""

    def __init__(self, house: str = "testserver", origin: str = "https://testserver") -> None:
        self.house, self.origin = house, origin
        self.key = ec.generate_private_key(ec.SECP256R1())
        self.id = secrets.token_bytes(32)
        self.handle = b""
        self.count = 0

    def made(self, options: dict[str, Any], **wrong: Any) -> str:
        """Return what a browser answers once the device has made its key."""
        self.handle = websafe_decode(options["user"]["id"])
        key: CoseKey = wrong.pop("key", None) or ES256.from_cryptography_key(self.key.public_key())
        credential = AttestedCredentialData.create(Aaguid.NONE, self.id, key)
        data = self._data(wrong.pop("flags", UP | UV) | AT, wrong.pop("house", None), credential)
        told = self._told("webauthn.create", options, wrong)
        parts = {"clientDataJSON": told, "attestationObject": AttestationObject.create("none", data, {})}
        return self._answer(parts)

    def signed(self, options: dict[str, Any], **wrong: Any) -> str:
        """Return what a browser answers once the device has signed."""
        self.count += wrong.pop("counts", 1)
        data = self._data(wrong.pop("flags", UP | UV), wrong.pop("house", None))
        key, handle = wrong.pop("key", self.key), wrong.pop("handle", self.handle)
        told = self._told("webauthn.get", options, wrong)
        signature = key.sign(data + sha256(told), ec.ECDSA(hashes.SHA256()))
        parts = {"clientDataJSON": told, "authenticatorData": data, "signature": signature, "userHandle": handle}
        return self._answer(parts)

    def _data(self, flags: Any, house: str | None, credential: bytes = b"") -> AuthenticatorData:
        return AuthenticatorData.create(sha256((house or self.house).encode()), flags, self.count, credential)

    def _told(self, kind: str, options: dict[str, Any], wrong: dict[str, Any]) -> CollectedClientData:
        told = {"type": kind, "challenge": options["challenge"], "origin": self.origin} | wrong
        return CollectedClientData.create(**told)

    def _answer(self, parts: dict[str, bytes]) -> str:
        id_ = websafe_encode(self.id)
        response = {name: websafe_encode(part) for name, part in parts.items()}
        return json.dumps({"id": id_, "rawId": id_, "type": "public-key", "response": response})
