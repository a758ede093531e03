"""Stores elsewhere, as small stand-ins on this machine: one that speaks S3, one that speaks SFTP."""

from __future__ import annotations

import os
import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import boto3
import paramiko
from moto.server import ThreadedMotoServer

S3_USER, S3_SECRET = "key", "secret"


def s3_client(endpoint: str) -> Any:
    """Speaks with the stand-in as its own tools do."""
    keys = {"aws_access_key_id": S3_USER, "aws_secret_access_key": S3_SECRET}
    return boto3.client("s3", endpoint_url=endpoint, region_name="us-east-1", **keys)


@contextmanager
def s3_store(bucket: str) -> Iterator[str]:
    """A store with an empty bucket. Gives its address."""
    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    server.start()
    try:
        host, port = server.get_host_and_port()
        address = f"http://{host}:{port}"
        s3_client(address).create_bucket(Bucket=bucket)
        yield address
    finally:
        server.stop()


class _Door(paramiko.ServerInterface):
    def check_auth_password(self, username: str, password: str) -> int:
        right = (username, password) == ("editor", "three odd words")
        return paramiko.AUTH_SUCCESSFUL if right else paramiko.AUTH_FAILED

    def check_channel_request(self, _kind: str, _channel: int) -> int:
        return paramiko.OPEN_SUCCEEDED


def _served(root: Path) -> type[paramiko.SFTPServerInterface]:
    """What is done with the files under `root`."""

    class Served(paramiko.SFTPServerInterface):
        def _at(self, path: str) -> Path:
            return root / path.lstrip("/")

        def _done(self, work: Any, *arguments: object) -> int:
            try:
                work(*arguments)
            except OSError as error:
                return int(paramiko.SFTPServer.convert_errno(error.errno or 0))
            return paramiko.SFTP_OK

        def stat(self, path: str) -> Any:
            try:
                return paramiko.SFTPAttributes.from_stat(self._at(path).stat())
            except OSError as error:
                return paramiko.SFTPServer.convert_errno(error.errno or 0)

        lstat = stat

        def list_folder(self, path: str) -> Any:
            return [paramiko.SFTPAttributes.from_stat(one.stat(), one.name) for one in sorted(self._at(path).iterdir())]

        def open(self, path: str, flags: int, _: Any) -> Any:
            try:
                number = os.open(self._at(path), flags, 0o644)
            except OSError as error:
                return paramiko.SFTPServer.convert_errno(error.errno or 0)
            handle = paramiko.SFTPHandle(flags)
            handle.readfile = handle.writefile = os.fdopen(number, "wb" if flags & os.O_WRONLY else "rb")
            return handle

        def mkdir(self, path: str, _: Any) -> int:
            return self._done(self._at(path).mkdir)

        def remove(self, path: str) -> int:
            return self._done(self._at(path).unlink)

        def rename(self, oldpath: str, newpath: str) -> int:
            if self._at(newpath).exists():
                return paramiko.SFTP_FAILURE
            return self.posix_rename(oldpath, newpath)

        def posix_rename(self, oldpath: str, newpath: str) -> int:
            return self._done(self._at(oldpath).rename, self._at(newpath))

    return Served


@contextmanager
def sftp_store(root: Path, key: paramiko.PKey, port: int = 0) -> Iterator[int]:
    """A store on the files of a folder, known by its key. Gives its port."""
    listening = socket.create_server(("127.0.0.1", port))
    open_now: list[paramiko.Transport] = []

    def serve() -> None:
        while True:
            try:
                connection, _ = listening.accept()
            except OSError:
                return
            transport = paramiko.Transport(connection)
            transport.add_server_key(key)
            transport.set_subsystem_handler("sftp", paramiko.SFTPServer, _served(root))
            transport.start_server(server=_Door(), event=threading.Event())
            open_now.append(transport)

    threading.Thread(target=serve, daemon=True).start()
    try:
        yield listening.getsockname()[1]
    finally:
        listening.shutdown(socket.SHUT_RDWR)
        listening.close()
        for transport in open_now:
            transport.close()
