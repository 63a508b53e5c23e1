"""FTP (RFC 959, RFC 3659) and FTPS (RFC 4217): resumes by REST, verifies by reading back, names by RNFR and RNTO."""

from __future__ import annotations

import ftplib
import ssl
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path, PurePosixPath
from urllib.parse import unquote, urlsplit

import xxhash

from brisk_core.handoff import safe_path
from brisk_web.handoff.doors.door import CHUNK, DoorClosed, DoorRefused, Told, is_small, refuse_taken

_TIMEOUT_S = 20
_NOT_THERE = "550"
_FULL = ("452", "552")  # not enough room, over the quota


class FtpDoor:
    """A folder behind FTP as a destination; ``address`` is ftp:// or ftps:// with host, port and folder."""

    def __init__(self, address: str, user: str, password: str) -> None:
        parts = urlsplit(address)
        self._folder = PurePosixPath(unquote(parts.path) or "/")
        secure = parts.scheme == "ftps"
        context = ssl.create_default_context() if secure else None
        # Which protocol is spoken is the destination's choice; what it says in the clear is told where it is kept.
        self._ftp = (
            ftplib.FTP_TLS(context=context, timeout=_TIMEOUT_S)  # noqa: S321
            if secure
            else ftplib.FTP(timeout=_TIMEOUT_S)  # noqa: S321
        )
        with _told():
            self._ftp.connect(parts.hostname or "", parts.port or 21)
        try:
            with _told():
                self._ftp.login(user or "anonymous", password)
                if isinstance(self._ftp, ftplib.FTP_TLS):
                    self._ftp.prot_p()
                self._ftp.voidcmd("TYPE I")
        except Exception:
            self.close()
            raise

    def _at(self, path: str) -> str:
        return str(self._folder / safe_path(path))

    def free(self) -> int | None:
        """Nobody says: FTP has no word for it."""
        return None

    def size_of(self, path: str) -> int | None:
        """Return the size of a file."""
        try:
            with _told():
                return self._ftp.size(self._at(path))
        except DoorRefused as refused:
            if isinstance(refused.__cause__, ftplib.error_perm) and str(refused.__cause__).startswith(_NOT_THERE):
                return None
            raise

    def send(self, source: Path, path: str, told: Told) -> None:
        """Send what is missing of a file."""
        self._make_folders(path)
        there = self.size_of(path) or 0
        if there > source.stat().st_size:
            self.remove(path)
            there = 0
        done = there

        def sent(chunk: bytes) -> None:
            nonlocal done
            done += len(chunk)
            told(done)

        with open(source, "rb") as reading, _told():
            reading.seek(there)
            # APPE goes on at the end whatever the server thinks of REST before STOR.
            self._ftp.storbinary(f"{'APPE' if there else 'STOR'} {self._at(path)}", reading, CHUNK, callback=sent)

    def _make_folders(self, path: str) -> None:
        parents = [one for one in PurePosixPath(safe_path(path)).parents if str(one) != "."]
        for folder in reversed(parents):
            with suppress(ftplib.error_perm):  # it is there
                self._ftp.mkd(str(self._folder / folder))

    def holds(self, path: str, source: Path, xxh128: str, told: Told) -> bool:
        """Read the file back."""
        made, done = xxhash.xxh3_128(), 0

        def read(chunk: bytes) -> None:
            nonlocal done
            made.update(chunk)
            done += len(chunk)
            told(done)

        with _told():
            self._ftp.retrbinary(f"RETR {self._at(path)}", read, CHUNK)
        return made.hexdigest() == xxh128

    def read(self, path: str, most: int) -> bytes | None:
        """Return a small file."""
        if not is_small(path, self.size_of(path), most):
            return None
        parts: list[bytes] = []
        with _told():
            self._ftp.retrbinary(f"RETR {self._at(path)}", parts.append)
        return b"".join(parts)[:most]

    def remove(self, path: str) -> None:
        """Remove a file."""
        if self.size_of(path) is not None:
            with _told():
                self._ftp.delete(self._at(path))

    def give_name(self, part: str, path: str) -> None:
        """Rename a file; servers overwrite without asking, so the name is asked for first."""
        refuse_taken(self, path)
        with _told():
            self._ftp.rename(self._at(part), self._at(path))

    def close(self) -> None:
        """Say goodbye, if anybody listens."""
        try:
            self._ftp.quit()
        except (ftplib.Error, OSError, EOFError, AttributeError):
            self._ftp.close()


@contextmanager
def _told() -> Iterator[None]:
    """Say in a sentence what a server or the network refuses; what was said already stays."""
    try:
        yield
    except (DoorClosed, DoorRefused):
        raise
    except ssl.SSLCertVerificationError as error:
        raise DoorRefused(f"The server's certificate cannot be trusted: {error.verify_message}.") from error
    except ftplib.error_perm as error:
        text = str(error)
        if text.startswith("530"):
            raise DoorRefused("The server refuses the login: user or password is wrong.") from error
        if text.startswith(_FULL) or "no space" in text.lower() or "quota" in text.lower():
            raise DoorClosed(f"The server has no room: {text[4:]}") from error
        raise DoorRefused(f"The server refuses: {text}") from error
    except ftplib.error_temp as error:
        text = str(error)
        if text.startswith(_FULL):
            raise DoorClosed(f"The server has no room: {text[4:]}") from error
        raise DoorClosed(f"The server says: {text}") from error
    except TimeoutError as error:
        raise DoorClosed("The server has not answered for 20 seconds.") from error
    except ConnectionRefusedError as error:
        raise DoorClosed("Nobody answers at this address.") from error
    except (EOFError, ConnectionError) as error:
        raise DoorClosed("The connection broke off.") from error
    except (ftplib.Error, OSError) as error:
        raise DoorClosed(f"The connection failed: {error}") from error
