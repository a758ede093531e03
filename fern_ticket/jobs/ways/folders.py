"""A folder of this machine, of a mounted share, or any store that fsspec knows.

A file appears under its own name only when it is whole, and never takes the place of another.
"""

from __future__ import annotations

import errno
import hashlib
import os
from pathlib import Path
from typing import Any

from fsspec.implementations.local import LocalFileSystem

from fern_ticket.jobs.ways.giving import Answer, File, NotNow, Parcel, Refused
from fern_ticket.jobs.ways.stores import in_time, opened_store
from fern_ticket.store.ways import ToFolder

#: Seconds that a store has for one parcel.
_PATIENCE = 300.0


class FolderWay:
    """Writes `TICKET/file`, its further sizes and its manifest into a store."""

    def __init__(self, settings: ToFolder, secret: str, keep_out: Path) -> None:
        self._settings = settings
        self._secret = secret
        self._keep_out = keep_out

    async def give(self, parcel: Parcel) -> str:
        files = [parcel.file, *parcel.further, parcel.manifest]

        def work() -> str:
            store, root = opened_store(self._settings, self._secret, self._keep_out)
            folder = f"{root}/{parcel.ticket}"
            _make_folder(store, folder)
            for file in files:
                self._put(store, folder, file, parcel.key)
            return f"{folder}/{parcel.file.name}"

        return await in_time(self._settings.address, work, _PATIENCE)

    async def answer(self, _: str) -> Answer:
        """A folder says nothing of what lies in it."""
        return Answer(None, [])

    async def tried(self) -> str:
        def work() -> str:
            store, root = opened_store(self._settings, self._secret, self._keep_out)
            if isinstance(store, LocalFileSystem) and not Path(root).is_dir():
                raise Refused(f"There is no folder {root}.", "Make it first, or mount the share.")
            mark = File(f".fern-ticket-{os.urandom(6).hex()}", b"tried")
            _make_folder(store, root)
            self._put(store, root, mark, "trial")
            store.rm_file(f"{root}/{mark.name}")
            return "A file could be written there, read again and taken away."

        return await in_time(self._settings.address, work, _PATIENCE)

    def _put(self, store: Any, folder: str, file: File, key: str) -> None:
        """Whole or not at all, and never over another file; the same file twice is one."""
        target = f"{folder}/{file.name}"
        if store.exists(target):
            if hashlib.sha256(store.cat_file(target)).digest() != hashlib.sha256(file.data).digest():
                raise Refused(f"Another file is called {target}.", "Nothing was written over it. Hand over again.")
            return
        part = f"{folder}/.{file.name}.{hashlib.sha256(key.encode()).hexdigest()[:12]}.part"
        if isinstance(store, LocalFileSystem):
            _put_here(Path(part), Path(target), file.data)
        elif _keeps_objects(store):
            store.pipe_file(target, file.data)
        else:
            store.pipe_file(part, file.data)
            store.mv(part, target)
        if store.size(target) != len(file.data):
            raise NotNow(f"{target} arrived with another length.")


def _keeps_objects(store: Any) -> bool:
    """Whether it has no folders, and an object is there whole or not at all."""
    return "s3" in str(store.protocol)


def _make_folder(store: Any, folder: str) -> None:
    if not _keeps_objects(store):  # where asking for a folder would make a bucket, even of a mistyped name
        store.makedirs(folder, exist_ok=True)


def _put_here(part: Path, target: Path, data: bytes) -> None:
    try:
        with part.open("wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        try:
            os.link(part, target)  # unlike a rename it never takes another's place
        except FileExistsError:
            raise
        except OSError:  # a share that knows no links
            if target.exists():
                raise FileExistsError(errno.EEXIST, "exists", str(target)) from None
            part.rename(target)
    finally:
        part.unlink(missing_ok=True)
