"""Patches of repairs kept on disk, so that opening a photo again does not compute them again.

One SQLite file for each photo's blob. All of it can be made again: a shelf that is damaged, too large, or filled by
another version of the computation is thrown away; one that cannot be written is done without.
"""

from __future__ import annotations

import hashlib
import logging
import sqlite3
import threading
from collections import OrderedDict
from functools import lru_cache
from pathlib import Path

from fern_ticket import core

log = logging.getLogger("fern.store")

#: Bytes of one photo's shelf before it is emptied, and how many shelves are kept open.
_MOST_BYTES, _OPEN = 256 << 20, 12
#: What is larger than this is computed again rather than kept.
_LARGEST = 32 << 20


@lru_cache(maxsize=1)
def computed_by() -> str:
    """A digest of the computation: what another version of it made is not what this one would make."""
    digest = hashlib.sha256()
    for path in sorted(Path(core.__file__).parent.rglob("*.py")):
        digest.update(path.read_bytes())
    return digest.hexdigest()


class FileShelf:
    """The shelf of one photo."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._lock = threading.Lock()
        self._connection = self._opened()

    def get(self, key: str) -> bytes | None:
        with self._lock:
            if self._connection is None:
                return None
            try:
                row = self._connection.execute("select value from kept where key = ?", (key,)).fetchone()
            except sqlite3.Error as error:
                self._give_up(error)
                return None
        return None if row is None else bytes(row[0])

    def put(self, key: str, value: bytes) -> None:
        if len(value) > _LARGEST:
            return
        with self._lock:
            if self._connection is None:
                return
            try:
                self._connection.execute("insert or replace into kept values (?, ?)", (key, value))
            except sqlite3.Error as error:
                self._give_up(error)

    def close(self) -> None:
        with self._lock:
            if self._connection is not None:
                self._connection.close()
                self._connection = None

    def _opened(self) -> sqlite3.Connection | None:
        for _ in range(2):
            try:
                self._path.parent.mkdir(parents=True, exist_ok=True)
                if self._path.exists() and self._path.stat().st_size > _MOST_BYTES:
                    self._thrown_away()
                connection = sqlite3.connect(self._path, timeout=2, isolation_level=None, check_same_thread=False)
                # what is lost in a power cut is computed again
                connection.execute("pragma journal_mode = wal")
                connection.execute("pragma synchronous = off")
                connection.execute("create table if not exists kept (key text primary key, value blob) without rowid")
                connection.execute("create table if not exists made (by text)")
                made = connection.execute("select by from made").fetchone()
                if made is None:
                    connection.execute("insert into made values (?)", (computed_by(),))
                elif made[0] != computed_by():
                    connection.execute("delete from kept")
                    connection.execute("update made set by = ?", (computed_by(),))
                return connection
            except (sqlite3.Error, OSError) as error:
                log.warning("the shelf %s is begun anew: %s", self._path.name, error)
                self._thrown_away()
        return None

    def _thrown_away(self) -> None:
        for name in (self._path.name, f"{self._path.name}-wal", f"{self._path.name}-shm"):
            try:
                (self._path.parent / name).unlink(missing_ok=True)
            except OSError:
                log.warning("the shelf %s cannot be removed", name)

    def _give_up(self, error: sqlite3.Error) -> None:
        log.warning("the shelf %s is left alone from here on: %s", self._path.name, error)
        self._connection = None


class Shelves:
    """The shelves of all photos, in a folder; those used last stay open."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._open: OrderedDict[str, FileShelf] = OrderedDict()
        self._lock = threading.Lock()

    def of(self, blob: str) -> FileShelf:
        with self._lock:
            if blob not in self._open:
                self._open[blob] = FileShelf(self._folder / f"{blob}.sqlite")
                while len(self._open) > _OPEN:
                    self._open.popitem(last=False)[1].close()
            self._open.move_to_end(blob)
            return self._open[blob]
