"""SFTP (over SSH-2, RFC 4251 to 4254): the server is known by its key, files go on at the byte, names by rename."""

from __future__ import annotations

import base64
import hashlib
import socket
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from io import StringIO
from pathlib import Path, PurePosixPath
from urllib.parse import unquote, urlsplit

import paramiko
from cryptography.exceptions import UnsupportedAlgorithm

from brisk_core.errors import DISK_FULL
from brisk_core.handoff import safe_path
from brisk_web.handoff.doors.door import CHUNK, DoorClosed, DoorRefused, Told, digest, is_small, refuse_taken

_TIMEOUT_S = 20
_AHEAD = 1 << 15  # bytes of one request while reading back
_BEGINS = "-----BEGIN "


class SftpDoor:
    """A folder behind SFTP: sftp://host:port/folder, and the server's fingerprint, SHA256:...

    ``secret`` is a password, or the text of a private key.
    """

    def __init__(self, address: str, user: str, secret: str, host_key: str) -> None:
        own_key = private_key(secret) if _BEGINS in secret else None
        parts = urlsplit(address)
        self._folder = PurePosixPath(unquote(parts.path) or "/")
        with _told():
            way = socket.create_connection((parts.hostname or "", parts.port or 22), timeout=_TIMEOUT_S)
            self._transport = paramiko.Transport(way)
        try:
            with _told():
                self._transport.banner_timeout = self._transport.auth_timeout = _TIMEOUT_S
                self._transport.start_client(timeout=_TIMEOUT_S)
                self._know(host_key)
                if own_key is None:
                    self._transport.auth_password(user, secret)
                else:
                    self._transport.auth_publickey(user, own_key)
                found = paramiko.SFTPClient.from_transport(self._transport)
                if found is None:
                    raise DoorRefused("The server lets in, but offers no SFTP.")
                self._sftp = found
                channel = found.get_channel()
                if channel is not None:
                    channel.settimeout(_TIMEOUT_S)
        except BaseException:
            self._transport.close()
            raise

    def _know(self, wanted: str) -> None:
        """Go on only with the server that is meant: the password is for nobody else."""
        shown = fingerprint(self._transport.get_remote_server_key())
        if not wanted:
            raise DoorRefused(
                f"The server shows the key {shown}. Ask its people whether it is theirs, and enter it as the host key."
            )
        if shown != wanted:
            raise DoorRefused(
                f"The server shows another key than the one kept: {shown}. Nothing was sent, not even the password; "
                "ask its people whether they changed it."
            )

    def _at(self, path: str) -> str:
        return str(self._folder / safe_path(path))

    def free(self) -> int | None:
        """Nobody says: version 3 of the protocol has no word for it."""
        return None

    def size_of(self, path: str) -> int | None:
        """Return the size of a file."""
        try:
            with _told():
                return self._sftp.stat(self._at(path)).st_size
        except DoorClosed as closed:
            if isinstance(closed.__cause__, FileNotFoundError):
                return None
            raise

    def send(self, source: Path, path: str, told: Told) -> None:
        """Send what is missing of a file."""
        parents = [one for one in PurePosixPath(safe_path(path)).parents if str(one) != "."]
        for folder in reversed(parents):
            with suppress(OSError):  # it is there
                self._sftp.mkdir(str(self._folder / folder))
        there = self.size_of(path) or 0
        if there > source.stat().st_size:
            self.remove(path)
            there = 0
        # Writes are on their way side by side: when a line breaks, the last of them can be there before an earlier one.
        there = max(there - CHUNK, 0)
        mode = "r+b" if there else "wb"
        with open(source, "rb") as reading, _told(), self._sftp.open(self._at(path), mode) as writing:
            reading.seek(there)
            writing.seek(there)
            writing.set_pipelined(True)
            while chunk := reading.read(CHUNK):
                writing.write(chunk)
                writing.stat()  # answered once all before it is written
                there += len(chunk)
                told(there)

    def holds(self, path: str, source: Path, xxh128: str, told: Told) -> bool:
        """Read the file back."""
        with _told(), self._sftp.open(self._at(path), "rb") as reading:
            reading.prefetch(source.stat().st_size)
            return digest(iter(lambda: reading.read(_AHEAD), b""), told) == xxh128

    def read(self, path: str, most: int) -> bytes | None:
        """Return a small file."""
        if not is_small(path, self.size_of(path), most):
            return None
        with _told(), self._sftp.open(self._at(path), "rb") as reading:
            return reading.read(most)

    def remove(self, path: str) -> None:
        """Remove a file, if it is there."""
        if self.size_of(path) is not None:
            with _told():
                self._sftp.remove(self._at(path))

    def give_name(self, part: str, path: str) -> None:
        """Rename a file; some servers overwrite without asking, so the name is asked for first."""
        refuse_taken(self, path)
        with _told():
            self._sftp.rename(self._at(part), self._at(path))

    def close(self) -> None:
        """Close the connection."""
        self._transport.close()


def private_key(text: str) -> paramiko.PKey:
    """Read a private key in the form of OpenSSH or PEM, Ed25519, ECDSA or RSA; raises ``DoorRefused``."""
    for kind in (paramiko.Ed25519Key, paramiko.ECDSAKey, paramiko.RSAKey):
        try:
            return kind.from_private_key(StringIO(text.replace("\r\n", "\n").strip() + "\n"))
        except paramiko.PasswordRequiredException as error:
            raise DoorRefused("The private key is protected by a passphrase; expected one without.") from error
        except (paramiko.SSHException, ValueError, IndexError, UnsupportedAlgorithm):
            continue  # of another kind
    raise DoorRefused("No private key can be read; expected the whole text of an Ed25519, ECDSA or RSA key.")


def fingerprint(key: paramiko.PKey) -> str:
    """Return the fingerprint of a server's key as it is written everywhere: SHA256: and base64 without padding."""
    return f"SHA256:{base64.b64encode(hashlib.sha256(key.asbytes()).digest()).decode().rstrip('=')}"


@contextmanager
def _told() -> Iterator[None]:
    """Say in a sentence what a server or the network refuses; what was said already stays."""
    try:
        yield
    except (DoorClosed, DoorRefused):
        raise
    except paramiko.AuthenticationException as error:
        raise DoorRefused("The server refuses the login: user or password is wrong.") from error
    except TimeoutError as error:
        raise DoorClosed("The server has not answered for 20 seconds.") from error
    except ConnectionRefusedError as error:
        raise DoorClosed("Nobody answers at this address.") from error
    except PermissionError as error:
        raise DoorRefused("The server lets nobody write or read there with this login.") from error
    except (paramiko.SSHException, EOFError, ConnectionError, socket.gaierror) as error:
        words = "The connection broke off." if isinstance(error, (EOFError, ConnectionError)) else f"{error}."
        raise DoorClosed(words if words.startswith("The") else f"The connection failed: {words}") from error
    except OSError as error:
        text = str(error)
        if error.errno in DISK_FULL or any(word in text.lower() for word in ("space", "quota")):
            raise DoorClosed("The server has no room.") from error
        closed = "closed" in text.lower()
        raise DoorClosed("The connection broke off." if closed else f"The server refuses: {text}") from error
