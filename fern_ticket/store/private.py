"""The data folder is nobody's but the application's: clients' pictures, and the keys that sign and lock."""

from __future__ import annotations

import os
from pathlib import Path

#: What lies in the data folder, but for what devices leave (`arrivals`) and the database's own.
_OWN = ("blobs", "pyramids", "patches", "uploads", "parcels", "secrets", "desks")


def keep_private(data: Path) -> None:
    """Make the folders of the data folder, and close them to other users of this machine, whatever lies in them yet.

    Those that belong to somebody else are left as they are.
    """
    for name in _OWN:
        folder = data / name
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        if folder.stat().st_uid == os.geteuid():
            folder.chmod(0o700)
