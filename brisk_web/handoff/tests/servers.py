"""Servers of real protocols, in threads, for tests of doors: SFTP over a folder, object storage in memory."""

from __future__ import annotations

import logging
import os
import socket
import uuid
from pathlib import Path
from threading import Thread
from typing import Any
from unittest import mock

import boto3
import paramiko
import s3fs
from moto.server import ThreadedMotoServer


class _Let(paramiko.ServerInterface):
    def __init__(self, owner: SftpServer) -> None:
        self.owner = owner

    def check_auth_password(self, username: str, password: str) -> int:
        right = (username, password) == ("merrow", "lock")
        return paramiko.AUTH_SUCCESSFUL if right else paramiko.AUTH_FAILED

    def check_auth_publickey(self, username: str, key: paramiko.PKey) -> int:
        right = username == "merrow" and key in self.owner.let_in
        return paramiko.AUTH_SUCCESSFUL if right else paramiko.AUTH_FAILED

    def check_channel_request(self, kind: str, chanid: int) -> int:
        return paramiko.OPEN_SUCCEEDED


class _Folder(paramiko.SFTPServerInterface):
    """Serves a folder; ``owner`` holds it, and what is wrong with it."""

    owner: SftpServer

    def _at(self, path: str) -> Path:
        return self.owner.folder / self.canonicalize(path).lstrip("/")

    def stat(self, path: str) -> Any:
        try:
            return paramiko.SFTPAttributes.from_stat(os.stat(self._at(path)))
        except OSError as error:
            return paramiko.SFTPServer.convert_errno(error.errno or 0)

    lstat = stat

    def open(self, path: str, flags: int, attr: Any) -> Any:
        if self.owner.full and flags & os.O_WRONLY:
            return paramiko.SFTP_FAILURE
        try:
            found = os.open(self._at(path), flags & ~os.O_WRONLY | os.O_RDWR if flags & os.O_WRONLY else flags, 0o644)
        except OSError as error:
            return paramiko.SFTPServer.convert_errno(error.errno or 0)
        handle = _Handle(flags)
        handle.owner = self.owner
        handle.filename = str(self._at(path))  # type: ignore[attr-defined]
        mode = "r+b" if flags & (os.O_WRONLY | os.O_RDWR) else "rb"
        file = os.fdopen(found, mode)
        handle.readfile = handle.writefile = file  # type: ignore[attr-defined]
        return handle

    def remove(self, path: str) -> int:
        return self._done(lambda: os.remove(self._at(path)))

    def rename(self, oldpath: str, newpath: str) -> int:
        return self._done(lambda: os.rename(self._at(oldpath), self._at(newpath)))

    def mkdir(self, path: str, attr: Any) -> int:
        return self._done(lambda: os.mkdir(self._at(path)))

    def _done(self, act: Any) -> int:
        try:
            act()
        except OSError as error:
            return paramiko.SFTPServer.convert_errno(error.errno or 0)
        return paramiko.SFTP_OK


class _Handle(paramiko.SFTPHandle):
    owner: SftpServer

    def stat(self) -> Any:
        return paramiko.SFTPAttributes.from_stat(os.fstat(self.readfile.fileno()))  # type: ignore[attr-defined]

    def write(self, offset: int, data: bytes) -> int:
        self.owner.taken += len(data)
        if self.owner.drop_after and self.owner.taken > self.owner.drop_after:
            self.owner.drop()
        if self.owner.corrupts:
            data = bytes([data[0] ^ 1]) + data[1:]
        done = super().write(offset, data)
        self.writefile.flush()  # type: ignore[attr-defined]
        return done


class SftpServer:
    """An SFTP server on loopback; ``full``, ``corrupts`` and ``drop_after`` (bytes a connection) are its faults."""

    def __init__(self, folder: Path) -> None:
        logging.getLogger("paramiko").setLevel(logging.CRITICAL)
        self.folder, self.key = folder, paramiko.ECDSAKey.generate()
        self.let_in: list[paramiko.PKey] = []  # keys of people, besides the password
        self.full = self.corrupts = False
        self.drop_after = self.taken = 0
        self._transports: list[paramiko.Transport] = []
        self._socket = socket.create_server(("127.0.0.1", 0))
        self.port = self._socket.getsockname()[1]
        Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        while True:
            try:
                way, _ = self._socket.accept()
            except OSError:
                return
            self.taken = 0
            transport = paramiko.Transport(way)
            transport.add_server_key(self.key)
            served = type("Folder", (_Folder,), {"owner": self})
            transport.set_subsystem_handler("sftp", paramiko.SFTPServer, served)
            self._transports.append(transport)
            try:
                transport.start_server(server=_Let(self))
            except (paramiko.SSHException, EOFError, OSError):
                transport.close()

    def drop(self) -> None:
        """Break all connections off."""
        for transport in self._transports:
            transport.close()
        raise OSError("dropped")

    def stop(self) -> None:
        """Close the port and all connections."""
        self._socket.close()
        for transport in self._transports:
            transport.close()


class WithStore:
    """A test case with object storage, and an empty bucket for each test."""

    store: ObjectStore

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()  # type: ignore[misc]
        cls.store = ObjectStore()
        cls.addClassCleanup(cls.store.stop)  # type: ignore[attr-defined]

    def setUp(self) -> None:
        super().setUp()  # type: ignore[misc]
        self.store.new_bucket()


class StoreInReach(WithStore):
    """One with access to the store in the environment, as web and workers have it."""

    def setUp(self) -> None:
        super().setUp()
        access = {"AWS_ENDPOINT_URL": self.store.endpoint, "AWS_ACCESS_KEY_ID": "merrow", "AWS_SECRET_ACCESS_KEY": "lock",
                  "AWS_DEFAULT_REGION": "us-east-1"}  # fmt: skip
        patch = mock.patch.dict(os.environ, access)
        patch.start()
        self.addCleanup(patch.stop)  # type: ignore[attr-defined]
        s3fs.S3FileSystem.clear_instance_cache()
        self.addCleanup(s3fs.S3FileSystem.clear_instance_cache)  # type: ignore[attr-defined]


class ObjectStore:
    """Object storage on loopback, in memory, with a bucket; what is delivered lies under ``in/``."""

    def __init__(self) -> None:
        logging.getLogger("werkzeug").setLevel(logging.CRITICAL)
        self._server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
        self._server.start()
        host, port = self._server.get_host_and_port()
        self.endpoint = f"http://{host}:{port}"
        self.client = boto3.client(
            "s3",
            endpoint_url=self.endpoint,
            aws_access_key_id="merrow",
            aws_secret_access_key="lock",
            region_name="us-east-1",
        )
        self.bucket = ""
        self.new_bucket()

    def new_bucket(self) -> None:
        """Go on with an empty bucket of another name."""
        self.bucket = f"merrow-{uuid.uuid4().hex}"
        self.client.create_bucket(Bucket=self.bucket)

    def names(self) -> list[str]:
        """Return the names of the objects."""
        return [one["Key"] for one in self.client.list_objects_v2(Bucket=self.bucket).get("Contents", [])]

    def there(self) -> dict[str, bytes]:
        """Return the objects by name."""
        found = {key: self.client.get_object(Bucket=self.bucket, Key=key)["Body"].read() for key in self.names()}
        return {key.removeprefix("in/"): body for key, body in found.items()}

    def clear(self) -> None:
        """Remove all objects."""
        for key in self.there():
            self.client.delete_object(Bucket=self.bucket, Key=f"in/{key}")

    def stop(self) -> None:
        """Close the port."""
        self.client.close()
        self._server.stop()
