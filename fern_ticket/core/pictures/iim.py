"""The older form of the IPTC's metadata, which many receivers still read: IPTC-IIM 4.2, record 2.

A dataset is a byte 0x1C, record, number, the length in two bytes, and the text. JPEG carries the block as image
resource 0x0404 in its segment APP13, TIFF in tag 33723.
"""

from __future__ import annotations

import struct

from fern_ticket.core.pictures.metadata import Metadata

#: Coded character set 1:90, as ISO 2022 has it for UTF-8.
_UTF_8 = b"\x1b%G"
#: Numbers of record 2 and the most bytes that the standard gives them.
_TITLE, _KEYWORD, _CREATOR, _CREDIT, _COPYRIGHT, _CAPTION = (
    (5, 64),
    (25, 64),
    (80, 32),
    (110, 32),
    (116, 128),
    (120, 2000),
)


def iim_block(said: Metadata) -> bytes:
    """What can be said of it in this form, longer texts cut short; empty where there is nothing to say."""
    texts = [
        (_TITLE, said.title),
        *((_KEYWORD, word) for word in said.keywords),
        (_CREATOR, said.creator),
        (_CREDIT, said.credit),
        (_COPYRIGHT, said.copyright),
        (_CAPTION, said.caption),
    ]
    body = b"".join(_dataset(2, number, _cut(text, most)) for (number, most), text in texts if text)
    return _dataset(1, 90, _UTF_8) + _dataset(2, 0, struct.pack(">H", 4)) + body if body else b""


def as_image_resource(block: bytes) -> bytes:
    """The block as the content of a JPEG's segment APP13."""
    return b"Photoshop 3.0\x008BIM" + struct.pack(">HHI", 0x0404, 0, len(block)) + block + b"\x00" * (len(block) % 2)


def _dataset(record: int, number: int, content: bytes) -> bytes:
    return struct.pack(">BBBH", 0x1C, record, number, len(content)) + content


def _cut(text: str, most: int) -> bytes:
    return text.encode("utf-8", "ignore")[:most].decode("utf-8", "ignore").encode()
