"""A simulated card reader and a scanner: they fill a folder, one file after another, as the real ones do."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from pathlib import Path

#: Seconds from file to file.
PACE = {"card": 1.5, "scanner": 6.0}


async def fill(folder: Path, pictures: Sequence[Path], pace: float) -> None:
    """Copy `pictures` into `folder`: each grows under another name, and gets its own when it is whole."""
    folder.mkdir(parents=True, exist_ok=True)
    for picture in pictures:
        await asyncio.to_thread(_copy, picture, folder)
        await asyncio.sleep(pace)


def _copy(picture: Path, folder: Path) -> None:
    part = folder / f"{picture.name}.part"
    part.write_bytes(picture.read_bytes())
    part.replace(folder / picture.name)
