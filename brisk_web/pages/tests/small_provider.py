"""A small provider to sign in by, for tests: OpenID Connect with the code flow, on a port of this machine."""

from __future__ import annotations

import base64
import hashlib
import json
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlencode, urlsplit

from joserfc import jwt
from joserfc.jwk import OctKey, RSAKey

CLIENT, SECRET = "sentry", "shared-word"


class SmallProvider:
    """Lets in whoever ``subject`` and ``claims`` say; each wrong thing that it can be told to do is an attribute."""

    def __init__(self) -> None:
        self.key = RSAKey.generate_key(2048, {"kid": "one", "use": "sig", "alg": "RS256"})
        self.subject: str | None = "s-1"
        self.claims: dict[str, Any] = {}
        self.instead: dict[str, Any] = {}  # claims of the token that are other than they should be
        self.signs_with: Any = self.key
        self.algorithm = "RS256"
        self.calls_itself: str | None = None
        self._asked: dict[str, dict[str, str]] = {}
        handler = type("Handler", (_Handler,), {"provider": self})
        self._server = ThreadingHTTPServer(("127.0.0.1", 0), handler)
        self.issuer = f"http://127.0.0.1:{self._server.server_port}"
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def close(self) -> None:
        """Answer nobody any more."""
        self._server.shutdown()
        self._server.server_close()

    def let_in(self, address: str) -> str:
        """Do what the browser and the provider do at an address that the house sent to; return where it sends back."""
        asked = {name: values[0] for name, values in parse_qs(urlsplit(address).query).items()}
        assert asked["response_type"] == "code"
        assert asked["client_id"] == CLIENT
        assert asked["code_challenge_method"] == "S256"
        code = f"code-{len(self._asked)}"
        self._asked[code] = asked
        return f"{asked['redirect_uri']}?{urlencode({'code': code, 'state': asked['state']})}"

    def metadata(self) -> dict[str, Any]:
        """What it says of itself."""
        return {
            "issuer": self.calls_itself or self.issuer,
            "authorization_endpoint": f"{self.issuer}/authorize",
            "token_endpoint": f"{self.issuer}/token",
            "jwks_uri": f"{self.issuer}/keys",
            "id_token_signing_alg_values_supported": ["RS256", "HS256", "none"],
        }

    def token(self, sent: dict[str, str]) -> dict[str, Any] | None:
        """The answer to a code; ``None`` for one that is not known, was used, or came from somebody else."""
        asked = self._asked.pop(sent.get("code", ""), None)
        if asked is None or sent["redirect_uri"] != asked["redirect_uri"]:
            return None
        digest = hashlib.sha256(sent["code_verifier"].encode()).digest()
        if base64.urlsafe_b64encode(digest).rstrip(b"=").decode() != asked["code_challenge"]:
            return None
        now = int(time.time())
        claims = {"iss": self.issuer, "aud": CLIENT, "iat": now, "exp": now + 60, "nonce": asked["nonce"]}
        if self.subject is not None:
            claims["sub"] = self.subject
        claims |= self.claims | self.instead
        head = {"alg": self.algorithm, "kid": "one"}
        text = jwt.encode(head, claims, self.signs_with, algorithms=["RS256", "HS256"])
        return {"access_token": "at", "token_type": "Bearer", "id_token": text}


class _Handler(BaseHTTPRequestHandler):
    provider: SmallProvider

    def do_GET(self) -> None:
        """Say what it is and with what it signs; send back whoever comes with a browser."""
        if self.path.endswith("openid-configuration"):
            self._answer(self.provider.metadata())
        elif self.path == "/keys":
            self._answer({"keys": [self.provider.key.as_dict(private=False)]})
        elif self.path.startswith("/authorize?"):
            self.send_response(302)
            self.send_header("Location", self.provider.let_in(self.path))
            self.end_headers()
        else:
            self._answer({}, 404)

    def do_POST(self) -> None:
        """Give a token for a code."""
        text = self.rfile.read(int(self.headers["Content-Length"])).decode()
        who = base64.b64decode(self.headers.get("Authorization", " ").split()[-1]).decode()
        sent = {name: values[0] for name, values in parse_qs(text).items()}
        answer = self.provider.token(sent) if who == f"{CLIENT}:{SECRET}" else None
        self._answer(answer or {"error": "invalid_grant"}, 200 if answer else 400)

    def _answer(self, told: dict[str, Any], status: int = 200) -> None:
        body = json.dumps(told).encode()
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *_: Any) -> None:
        """Say nothing of it."""


def unsigned(claims: dict[str, Any]) -> str:
    """A token that says of itself that nobody signed it."""
    parts = ({"alg": "none"}, claims)
    return ".".join(base64.urlsafe_b64encode(json.dumps(one).encode()).rstrip(b"=").decode() for one in parts) + "."


#: A key that a forger makes of what everybody can read.
FORGED = OctKey.import_key("a-word-of-thirty-two-letters-....")
