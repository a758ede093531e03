"""Opening a file's header with Pillow, by the readers that are wanted and no others.

`Image.open` keeps its readers and its limit of size in the module, for the whole process. Here the readers are named,
and limits of size are the caller's.
"""

from __future__ import annotations

import io
import struct
from collections.abc import Callable

import cv2
import tifffile
from PIL import (
    AvifImagePlugin,
    Image,
    ImageFile,
    JpegImagePlugin,
    PngImagePlugin,
    TiffImagePlugin,
    UnidentifiedImageError,
)
from PIL import WebPImagePlugin as WebP
from pillow_heif import HeifImageFile

#: What the libraries that read pictures raise over a damaged one.
DAMAGED = (
    OSError,
    ValueError,
    SyntaxError,
    TypeError,
    AttributeError,
    LookupError,
    EOFError,
    RuntimeError,
    struct.error,
    cv2.error,
    tifffile.TiffFileError,
)

_HEIF_BRANDS = (b"heic", b"heix", b"hevc", b"hevx", b"heim", b"heis", b"mif1", b"msf1")
_TIFF_STARTS = (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")

Factory = Callable[[io.BytesIO], ImageFile.ImageFile]


def _jpeg(file: io.BytesIO) -> ImageFile.ImageFile:
    return JpegImagePlugin.jpeg_factory(file, None)


#: By the first bytes of a file.
_READERS: tuple[tuple[Callable[[bytes], bool], Factory], ...] = (
    (lambda start: start.startswith(b"\xff\xd8\xff"), _jpeg),
    (lambda start: start.startswith(b"\x89PNG\r\n\x1a\n"), PngImagePlugin.PngImageFile),
    (lambda start: start.startswith(_TIFF_STARTS), TiffImagePlugin.TiffImageFile),
    (lambda start: start.startswith(b"RIFF") and start[8:12] == b"WEBP", WebP.WebPImageFile),
    (lambda start: start[4:8] == b"ftyp" and b"avif" in start[8:32], AvifImagePlugin.AvifImageFile),
    (lambda start: start[4:8] == b"ftyp" and start[8:12] in _HEIF_BRANDS, HeifImageFile),
)


def open_picture(data: bytes) -> ImageFile.ImageFile:
    """A picture whose header is read and whose pixels are not.

    Raises
    ------
    UnidentifiedImageError
        No reader knows the file. Others than these come from damaged headers, as Pillow raises them.
    """
    start = data[:64]
    for accepts, reader in _READERS:
        if accepts(start):
            return reader(io.BytesIO(data))
    # of another kind: Pillow may know what to call it
    with Image.open(io.BytesIO(data)) as other:
        raise UnidentifiedImageError(f"{other.format} files are not read here")
