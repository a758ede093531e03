"""Files that nobody came back for."""

from __future__ import annotations

import time
from contextlib import suppress
from pathlib import Path


def throw_away_stale(folder: Path, seconds: float) -> None:
    """Remove what in a folder was not written to for so long; what somebody else removes meanwhile is gone anyway."""
    for path in folder.iterdir():
        with suppress(FileNotFoundError):
            if time.time() - path.stat().st_mtime > seconds:
                path.unlink()
