"""ZIP files to be taken away, put together in a folder that keeps itself empty."""

from __future__ import annotations

import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path

from fern_ticket.store.stale import throw_away_stale

#: Seconds after which nobody takes a file any more; what a server that was killed left behind goes with it.
_STALE = 24 * 3600


def packed(folder: Path, fill: Callable[[zipfile.ZipFile], None]) -> Path:
    """A new ZIP file of what `fill` writes into it, stored: pictures do not shrink. The caller removes it."""
    folder.mkdir(parents=True, exist_ok=True)
    throw_away_stale(folder, _STALE)
    with tempfile.NamedTemporaryFile(dir=folder, suffix=".zip", delete=False) as out:
        path = Path(out.name)
        try:
            with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as zipped:
                fill(zipped)
        except BaseException:
            path.unlink(missing_ok=True)
            raise
    return path
