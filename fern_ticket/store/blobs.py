"""Files by their content. What is stored is never written to again.

They lie in a folder of this machine. Where several machines take part, they also lie in a store that all of these reach
(anything that fsspec knows, such as an S3-compatible one); then the folder only keeps copies of what was asked for.
"""

from __future__ import annotations

import contextlib
import errno
import hashlib
import os
import re
import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any
from uuid import uuid4

import fsspec
from fsspec.implementations.local import LocalFileSystem

from fern_ticket.core.errors import FernError

_NAME = re.compile(r"[0-9a-f]{64}")


class Blobs:
    """Files named by the SHA-256 of their bytes.

    Parameters
    ----------
    folder
        Where they lie on this machine.
    shared
        Address of the store that all machines reach, such as `s3://bucket/prefix`; empty where there is one machine.
    options
        What fsspec's file system for that address wants to know, such as the endpoint and the key.
    """

    def __init__(self, folder: Path, shared: str = "", options: Mapping[str, Any] | None = None) -> None:
        self._folder = folder
        self._shared: fsspec.AbstractFileSystem | None = None
        if shared:
            # no listing is kept: what another machine stored a moment ago is there
            self._shared, self._root = fsspec.core.url_to_fs(shared, use_listings_cache=False, **(options or {}))

    def path(self, name: str) -> Path:
        """The file on this machine, fetched first when only the shared store has it.

        Raises
        ------
        FernError
            It is nowhere, or the store does not answer.
        """
        place = self._place(name)
        if not place.exists():
            if self._shared is None:
                raise _missing(name)
            try:
                data = self._shared.cat_file(self._far(name))
            except FileNotFoundError as error:
                raise _missing(name) from error
            except Exception as error:
                raise _silent() from error
            if hashlib.sha256(data).hexdigest() != name:
                raise _missing(name)
            self._keep(place, data)
        return place

    def read(self, name: str) -> bytes:
        try:
            return self.path(name).read_bytes()
        except OSError as error:
            raise _missing(name) from error

    def add(self, data: bytes) -> str:
        """Store bytes, whole or not at all, and return their name. They are safe when this returns."""
        name = hashlib.sha256(data).hexdigest()
        place = self._place(name)
        if not place.exists():
            self._keep(place, data)
        if self._shared is not None:
            try:
                self._share(self._shared, self._far(name), data)
            except Exception as error:
                raise _silent() from error
        return name

    def remove(self, name: str) -> None:
        """Delete a file for good, here and in the shared store; one that is not there is fine."""
        self._place(name).unlink(missing_ok=True)
        if self._shared is not None:
            try:
                self._shared.rm_file(self._far(name))
            except FileNotFoundError:
                return
            except Exception as error:
                raise _silent() from error

    @staticmethod
    def _share(shared: fsspec.AbstractFileSystem, far: str, data: bytes) -> None:
        """Store bytes where all machines reach them, unless they are there; none of these finds half of them."""
        if shared.exists(far):
            return
        if not isinstance(shared, LocalFileSystem):  # a bucket takes all of it or nothing
            shared.pipe_file(far, data)
            return
        shared.makedirs(os.path.dirname(far), exist_ok=True)
        part = f"{far}.{uuid4().hex}.part"
        shared.pipe_file(part, data)
        os.replace(part, far)

    def _place(self, name: str) -> Path:
        if not _NAME.fullmatch(name):
            raise ValueError(f"not a blob: {name!r}")
        return self._folder / name[:2] / name

    def _far(self, name: str) -> str:
        return f"{self._root}/{name[:2]}/{name}"

    def _keep(self, place: Path, data: bytes) -> None:
        place.parent.mkdir(parents=True, exist_ok=True)
        folder = os.open(place.parent, os.O_RDONLY)
        try:
            _write_whole(folder, place.name, data)
            os.fsync(folder)
        except OSError as error:
            raise FernError("The file could not be stored.", f"{error.strerror}: make room and try again.") from error
        finally:
            os.close(folder)


def _write_whole(folder: int, name: str, data: bytes) -> None:
    """A file that appears in an open folder when all of it is on disk; a process that is killed leaves nothing."""
    here = f"/proc/self/fd/{folder}"
    try:
        handle, part = os.open(here, os.O_TMPFILE | os.O_WRONLY, 0o444), None
    except OSError as error:
        if error.errno not in (errno.EOPNOTSUPP, errno.EISDIR, errno.EINVAL):
            raise
        # not every file system has files without a name
        handle, part = tempfile.mkstemp(dir=here, suffix=".part")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fchmod(handle, 0o444)
            os.fsync(handle)
            with contextlib.suppress(FileExistsError):  # another has stored the same meanwhile
                os.link(part or f"/proc/self/fd/{handle}", name, dst_dir_fd=folder)
    finally:
        if part:
            os.unlink(part)


def _missing(name: str) -> FernError:
    return FernError("A stored file is missing.", f"Restore {name[:12]}… from your backup.")


def _silent() -> FernError:
    hint = "Try again; if it stays so, the store or its settings (FERN_BLOB_STORE) want a look."
    return FernError("The shared store of files does not answer.", hint)
