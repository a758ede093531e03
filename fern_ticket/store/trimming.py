"""What can be made again takes so much of the disk and no more: what was used least goes first."""

from __future__ import annotations

import contextlib
import os
import shutil
from collections.abc import Collection
from dataclasses import dataclass
from pathlib import Path

#: Share of the disk that is free when it is said that it fills up.
_LITTLE = 0.05


@dataclass(frozen=True)
class _Copy:
    """What was made of one blob: the tiles of its pyramid, and its shelf of patches."""

    blob: str
    files: tuple[Path, ...]
    used: float
    size: int


def little_left(data: Path) -> int | None:
    """Bytes that are free on a folder's disk, when that is little; else None."""
    disk = shutil.disk_usage(data)
    return disk.free if disk.free < _LITTLE * disk.total else None


def held(pyramids: Path, patches: Path) -> int:
    """Bytes on disk of all that was made of photos and can be made again."""
    return sum(copy.size for copy in _copies(pyramids, patches))


def trim(pyramids: Path, patches: Path, budget: int, in_use: Collection[str]) -> int:
    """Take away what was used least until the rest is within `budget` bytes; returns how many bytes that were.

    Thumbnails stay, as boards show them. What is made of the blobs `in_use` stays in any case. A process that has such
    a file open still reads it; whoever opens it later makes it again.
    """
    copies = sorted(_copies(pyramids, patches), key=lambda copy: copy.used)
    over, freed = sum(copy.size for copy in copies) - budget, 0
    for copy in copies:
        if freed >= over:
            break
        if copy.blob in in_use:
            continue
        for file in copy.files:
            file.unlink(missing_ok=True)
        freed += copy.size
    return freed


def touch(about: Path) -> None:
    """Note that a pyramid is used now."""
    with contextlib.suppress(OSError):  # on a disk that can only be read nothing is trimmed either
        os.utime(about)


def _copies(pyramids: Path, patches: Path) -> list[_Copy]:
    found = []
    for folder in pyramids.iterdir() if pyramids.is_dir() else ():
        about = folder / "pyramid.json"
        # what is being written has another name yet; the index goes first, so that half a pyramid is none
        files = [about, *folder.glob("level-*.tiles"), *patches.glob(f"{folder.name}.sqlite*")]
        with contextlib.suppress(OSError):
            stats = [file.stat() for file in files]
            found.append(_Copy(folder.name, tuple(files), stats[0].st_mtime, sum(stat.st_size for stat in stats)))
    return found
