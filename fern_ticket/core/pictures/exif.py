"""EXIF blocks (CIPA DC-008) written with all the characters they were read with.

Texts are written as UTF-8, as most programs do, though the standard's older editions allow ASCII only. Pillow reads
every byte of a text as one character and writes what is not ASCII as a question mark; here the bytes stay.
"""

from __future__ import annotations

import struct

from PIL import Image

#: Tags that point at the directories of detail and of place.
DETAIL, PLACE = 0x8769, 0x8825


def loaded(exif: bytes) -> Image.Exif:
    """A block to read and to change; an empty one for no bytes, and for what is cut short or no EXIF."""
    block = Image.Exif()
    try:
        if exif:
            block.load(exif)
            len(block)  # reads the first directory
    except (struct.error, SyntaxError, ValueError, KeyError, TypeError, IndexError, OSError, EOFError):
        return Image.Exif()
    return block


def written(block: Image.Exif) -> bytes:
    """The block as bytes; none for an empty one."""
    if not len(block):
        return b""
    # the first directory only: of the others' tags Pillow does not know that bytes are text
    for tag, value in list(block.items()):
        if isinstance(value, str):
            block[tag] = as_read(value)
    data: bytes = block.tobytes()
    return data


def as_read(text: str) -> bytes:
    """The bytes that Pillow made a text of."""
    return text.encode("latin-1", "replace")
