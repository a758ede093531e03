"""The address for the first person, made where nobody is there yet."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

#: Beside the other secrets of a data folder.
FIRST = "first"


def first_path(data: Path) -> str:
    """The path of the page on which the first person begins. It is another at each start, and good once."""
    token = secrets.token_urlsafe(18)
    folder = data / "secrets"
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    part = folder / f"{FIRST}.part"
    with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
        file.write(token)
    part.replace(folder / FIRST)
    return f"/first/{token}"
