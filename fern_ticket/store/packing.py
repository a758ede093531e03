"""ZIP files to be taken away, put together in a folder that keeps itself empty."""

from __future__ import annotations

import tempfile
import time
import zipfile
from collections.abc import Callable
from pathlib import Path

#: Seconds after which nobody takes a file any more; what a server that was killed left behind goes with it.
_STALE = 24 * 3600


def packed(folder: Path, fill: Callable[[zipfile.ZipFile], None]) -> Path:
    """A new ZIP file of what `fill` writes into it, stored: pictures do not shrink. The caller removes it."""
    folder.mkdir(parents=True, exist_ok=True)
    for old in folder.iterdir():
        if time.time() - old.stat().st_mtime > _STALE:
            old.unlink(missing_ok=True)
    with tempfile.NamedTemporaryFile(dir=folder, suffix=".zip", delete=False) as out:
        path = Path(out.name)
        try:
            with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as zipped:
                fill(zipped)
        except BaseException:
            path.unlink(missing_ok=True)
            raise
    return path
