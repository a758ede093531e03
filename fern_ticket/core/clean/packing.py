"""Patches as bytes, for the shelf."""

from __future__ import annotations

import struct
from collections.abc import Sequence
from typing import Any

import numpy as np

from fern_ticket.core.clean.repair import Difference, Patch
from fern_ticket.core.pictures.regions import Box

_HEAD = struct.Struct("<cciiii")
_KINDS: dict[bytes, np.dtype[Any]] = {b"1": np.dtype(np.uint8), b"2": np.dtype(np.uint16), b"4": np.dtype(np.float32)}
#: First byte of what is packed, changed when patches of the same step change from one version to the next.
_VERSION = b"1"


def packed(patches: Sequence[Patch | Difference]) -> bytes:
    """Patches as bytes that `unpacked` reads."""
    parts = [_VERSION]
    for patch in patches:
        values = patch.pixels if isinstance(patch, Patch) else patch.change
        kind = b"p" if isinstance(patch, Patch) else b"d"
        box = patch.box
        parts.append(_HEAD.pack(kind, str(values.itemsize).encode(), box.left, box.top, box.right, box.bottom))
        parts += [np.ascontiguousarray(values).tobytes(), np.ascontiguousarray(patch.alpha).tobytes()]
    return b"".join(parts)


def unpacked(data: bytes) -> list[Patch | Difference] | None:
    """What `packed` was given; None for bytes of another version, or damaged ones."""
    if data[:1] != _VERSION:
        return None
    found: list[Patch | Difference] = []
    at = 1
    while at < len(data):
        if len(data) - at < _HEAD.size:
            return None
        kind, size, left, top, right, bottom = _HEAD.unpack_from(data, at)
        at += _HEAD.size
        box, depth = Box(left, top, right, bottom), _KINDS.get(size)
        count = box.width * box.height
        if depth is None or count < 0 or len(data) - at < count * (3 * depth.itemsize + 4):
            return None
        values = np.frombuffer(data, depth, 3 * count, at).reshape(box.height, box.width, 3)
        at += values.nbytes
        alpha = np.frombuffer(data, np.float32, count, at).reshape(box.height, box.width)
        at += alpha.nbytes
        found.append(Patch(box, values, alpha) if kind == b"p" else Difference(box, values, alpha))
    return found
