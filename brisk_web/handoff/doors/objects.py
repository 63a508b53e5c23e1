"""Object storage that speaks S3, through fsspec: a file goes in parts and becomes an object only when it is whole."""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import botocore.exceptions
from s3fs import S3FileSystem

from brisk_core.handoff import safe_path
from brisk_web.handoff.doors.door import (
    CHUNK,
    PART,
    DoorClosed,
    DoorRefused,
    Marks,
    Told,
    digest,
    is_small,
    refuse_taken,
)

_TIMEOUT_S = 20
_SMALLEST_PART = 8 << 20
_MOST_PARTS = 9_000  # of 10,000 that the protocol allows


class ObjectsDoor:
    """A bucket, or what begins with a prefix in it; ``address`` is s3://bucket/prefix.

    ``endpoint`` is the address of the service, empty for the one that its client takes by itself.
    """

    def __init__(self, address: str, key: str, secret: str, endpoint: str, marks: Marks) -> None:
        parts = urlsplit(address)
        self._bucket, self._prefix = parts.netloc, parts.path.strip("/")
        self._marks = marks
        self._s3: Any = S3FileSystem(
            key=key or None,
            secret=secret or None,
            anon=not key,
            endpoint_url=endpoint or None,
            config_kwargs={"connect_timeout": _TIMEOUT_S, "read_timeout": _TIMEOUT_S, "retries": {"max_attempts": 1}},
            skip_instance_cache=True,
            use_listings_cache=False,
        )
        with _told():
            self._call("head_bucket")

    def _call(self, verb: str, **more: Any) -> Any:
        return self._s3.call_s3(verb, Bucket=self._bucket, **more)

    def _key(self, path: str) -> str:
        return "/".join(one for one in (self._prefix, safe_path(path.removesuffix(PART))) if one)

    def free(self) -> int | None:
        """Nobody says: a bucket has no end."""
        return None

    def size_of(self, path: str) -> int | None:
        """Return the size of an object, or the bytes of its parts that are there."""
        if path.endswith(PART):
            parts = self._parts(path)
            return None if parts is None else sum(one["Size"] for one in parts)
        try:
            with _told():
                return int(self._call("head_object", Key=self._key(path))["ContentLength"])
        except DoorClosed as closed:
            if isinstance(closed.__cause__, FileNotFoundError):
                return None
            raise

    def _parts(self, path: str) -> list[Any] | None:
        """The parts of an upload, ``None`` where it is unknown over there."""
        upload = self._marks.get(path)
        if upload is None:
            return None
        found: list[Any] = []
        try:
            with _told():
                while True:
                    after = {"PartNumberMarker": found[-1]["PartNumber"]} if found else {}
                    told = self._call("list_parts", Key=self._key(path), UploadId=upload, **after)
                    found += told.get("Parts", [])
                    if not told.get("IsTruncated"):
                        return found
        except (DoorClosed, DoorRefused) as closed:
            if "NoSuchUpload" not in str(closed.__cause__) and not isinstance(closed.__cause__, FileNotFoundError):
                raise
        del self._marks[path]
        return None

    def send(self, source: Path, path: str, told: Told) -> None:
        """Send the parts that are missing of a file, each with its MD5."""
        size = source.stat().st_size
        part_size = max(_SMALLEST_PART, -(-size // _MOST_PARTS))
        parts = self._parts(path)
        if parts is None or not self._fit(parts, source, size, part_size):
            self.remove(path)
            with _told():
                self._marks[path] = self._call("create_multipart_upload", Key=self._key(path))["UploadId"]
            parts = []
        with open(source, "rb") as reading:
            reading.seek(len(parts) * part_size)
            number = len(parts)
            while (content := reading.read(part_size)) or number == 0:
                number += 1
                with _told():
                    self._call(
                        "upload_part",
                        Key=self._key(path),
                        UploadId=self._marks[path],
                        PartNumber=number,
                        Body=content,
                        ContentMD5=base64.b64encode(_md5(content).digest()).decode(),
                    )
                told(reading.tell())

    @staticmethod
    def _fit(parts: list[Any], source: Path, size: int, part_size: int) -> bool:
        """Are the parts that are there the beginning of this file?"""
        with open(source, "rb") as reading:
            for number, part in enumerate(parts, 1):
                content = reading.read(part_size)
                if part["PartNumber"] != number or part["ETag"].strip('"') != _md5(content).hexdigest():
                    return False
        return bool(sum(one["Size"] for one in parts) <= size)

    def holds(self, path: str, source: Path, xxh128: str, told: Told) -> bool:
        """Of parts: has each the MD5 of its stretch? An object is read back."""
        if path.endswith(PART):
            size = source.stat().st_size
            parts = self._parts(path) or []
            whole = sum(one["Size"] for one in parts) == size
            return whole and self._fit(parts, source, size, max(_SMALLEST_PART, -(-size // _MOST_PARTS)))
        with _told(), self._s3.open(f"{self._bucket}/{self._key(path)}", "rb", block_size=CHUNK << 4) as reading:
            return digest(iter(lambda: reading.read(CHUNK), b""), told) == xxh128

    def read(self, path: str, most: int) -> bytes | None:
        """Return a small object."""
        if not is_small(path, self.size_of(path), most):
            return None
        with _told():
            return bytes(self._s3.cat_file(f"{self._bucket}/{self._key(path)}"))[:most]

    def remove(self, path: str) -> None:
        """End an upload with its parts, or remove an object, if it is there."""
        if not path.endswith(PART):
            if self.size_of(path) is not None:
                with _told():
                    self._call("delete_object", Key=self._key(path))
        elif upload := self._marks.get(path):
            with _told():
                self._call("abort_multipart_upload", Key=self._key(path), UploadId=upload)
            del self._marks[path]

    def give_name(self, part: str, path: str) -> None:
        """Make an object of the parts, in one step that fails where the name is taken."""
        refuse_taken(self, path)
        parts = [{"PartNumber": one["PartNumber"], "ETag": one["ETag"]} for one in self._parts(part) or []]
        with _told():
            self._call(
                "complete_multipart_upload",
                Key=self._key(path),
                UploadId=self._marks[part],
                MultipartUpload={"Parts": parts},
                IfNoneMatch="*",
            )
        del self._marks[part]

    def close(self) -> None:
        """Nothing stays open."""


def _md5(content: bytes) -> Any:
    return hashlib.md5(content, usedforsecurity=False)


@contextmanager
def _told() -> Iterator[None]:
    """Say in a sentence what the service or the network refuses; what was said already stays."""
    try:
        yield
    except (DoorClosed, DoorRefused):
        raise
    except PermissionError as error:
        raise DoorRefused("The storage refuses: the key is wrong, or it may not write there.") from error
    except FileNotFoundError as error:
        raise DoorClosed("The storage has no such bucket.") from error
    except FileExistsError as error:
        raise DoorRefused("The name is taken over there; nothing is overwritten.") from error
    except (botocore.exceptions.ConnectTimeoutError, botocore.exceptions.ReadTimeoutError, TimeoutError) as error:
        raise DoorClosed("The storage has not answered for 20 seconds.") from error
    except botocore.exceptions.EndpointConnectionError as error:
        raise DoorClosed("Nobody answers at this address.") from error
    except (botocore.exceptions.BotoCoreError, OSError) as error:
        text = str(error)
        if any(word in text for word in ("PreconditionFailed", "412")):
            raise DoorRefused("The name is taken over there; nothing is overwritten.") from error
        if any(word in text.lower() for word in ("quota", "no space", "insufficient")):
            raise DoorClosed(f"The storage has no room: {text}") from error
        raise DoorClosed(f"The storage says: {text}") from error
