"""EXIF blocks (CIPA DC-008) written with all the characters they were read with.

Texts are written as UTF-8, as most programs do, though the standard's older editions allow ASCII only. Pillow reads
every byte of a text as one character and writes what is not ASCII as a question mark; here the bytes stay.
"""

from __future__ import annotations

import math
import struct

from PIL import Image

#: Tags that point at the directories of detail and of place.
DETAIL, PLACE = 0x8769, 0x8825
_FOCAL_LENGTH, _FOCAL_ON_FULL_FRAME, _SENSOR_ACROSS, _SENSOR_UNIT, _PIXELS_ACROSS = (
    0x920A,
    0xA405,
    0xA20E,
    0xA210,
    0xA002,
)
#: Diagonal of 36 × 24 mm.
FULL_FRAME = 43.267
#: Millimetres of the units that a sensor's pixels are counted in: inch, centimetre.
_MILLIMETRES = {2: 25.4, 3: 10.0}


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


def text_of(value: object) -> str:
    """A tag's text, which ends at its first NUL: cameras fill its place with more of them, or with what was there."""
    return texts_of(value)[0]


def texts_of(value: object) -> list[str]:
    """The texts of a tag that holds several, with a NUL between them; at least one, if empty.

    UTF-8 if one is that, else each byte a character.
    """
    data = as_read(value) if isinstance(value, str) else value if isinstance(value, bytes) else b""
    return [_decoded(part).strip() for part in data.split(b"\0")]


def _decoded(data: bytes) -> str:
    try:
        return data.decode()
    except UnicodeDecodeError:
        return data.decode("latin-1")


def focal_of(exif: bytes, size: tuple[int, int]) -> float | None:
    """Focal length in pixels of a picture of that width and height, as the camera says; None where it does not.

    From the length on full frame (CIPA DC-008: FocalLengthIn35mmFilm, by the diagonal), else from the length and the
    sensor's pixels. A picture of another shape than the camera's was cropped: what it says no longer holds.
    """
    try:
        said = loaded(exif).get_ifd(DETAIL)
        taken, long = float(said.get(_PIXELS_ACROSS, 0)), float(max(size))
        if taken and min(abs(taken / one - 1) for one in size) > 0.01:
            return None
        on_full_frame = float(said.get(_FOCAL_ON_FULL_FRAME, 0))
        if on_full_frame > 0:
            focal = on_full_frame / FULL_FRAME * math.hypot(*size)
        else:
            unit = _MILLIMETRES.get(int(said.get(_SENSOR_UNIT, 2)), 0.0)
            focal = float(said.get(_FOCAL_LENGTH, 0)) * float(said.get(_SENSOR_ACROSS, 0)) / unit
    except (TypeError, ValueError, ZeroDivisionError, OverflowError, struct.error, SyntaxError, KeyError, IndexError):
        return None
    return focal if 0.2 * long < focal < 50 * long else None


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
