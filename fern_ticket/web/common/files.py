"""Answers that are files, for the interface's description."""

from __future__ import annotations

from typing import Any

from fern_ticket.core.pictures.encode import Format

#: What pictures are handed over as.
PICTURES: dict[Format, str] = {"JPEG": "image/jpeg", "PNG": "image/png", "TIFF": "image/tiff"}


def a_file(*media_types: str) -> dict[int | str, dict[str, Any]]:
    """That a route answers with a file of one of these media types."""
    content = {one: {"schema": {"type": "string", "format": "binary"}} for one in media_types}
    return {200: {"description": "The file.", "content": content}}
