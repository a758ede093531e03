"""Files by their content. What is stored is never written to again."""

from __future__ import annotations

import hashlib
import os
import re
import tempfile
from pathlib import Path

from fern_ticket.core.errors import FernError

_NAME = re.compile(r"[0-9a-f]{64}")


class Blobs:
    """A folder of files named by the SHA-256 of their bytes."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def path(self, name: str) -> Path:
        if not _NAME.fullmatch(name):
            raise ValueError(f"not a blob: {name!r}")
        return self._folder / name[:2] / name

    def read(self, name: str) -> bytes:
        try:
            return self.path(name).read_bytes()
        except OSError as error:
            raise FernError(
                "A stored file is missing from the data folder.", f"Restore {name[:12]}… from your backup."
            ) from error

    def add(self, data: bytes) -> str:
        """Store bytes, whole or not at all, and return their name. They are on disk when this returns."""
        name = hashlib.sha256(data).hexdigest()
        place = self.path(name)
        if place.exists():
            return name
        place.parent.mkdir(parents=True, exist_ok=True)
        handle, part = tempfile.mkstemp(dir=place.parent, suffix=".part")
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
            os.chmod(part, 0o444)
            os.replace(part, place)
        except OSError as error:
            Path(part).unlink(missing_ok=True)
            raise FernError("The file could not be stored.", f"{error.strerror}: make room and try again.") from error
        _sync_folder(place.parent)
        return name


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
