"""Answers that are files, for the interface's description."""

from __future__ import annotations

from typing import Any

#: What pictures are handed over as.
PICTURES = ("image/jpeg", "image/png", "image/tiff")


def a_file(*media_types: str) -> dict[int | str, dict[str, Any]]:
    """That a route answers with a file of one of these media types."""
    content = {one: {"schema": {"type": "string", "format": "binary"}} for one in media_types}
    return {200: {"description": "The file.", "content": content}}
