"""Develop raw files at 16 bits in a wide space, with the highlights that the sensor holds.

LibRaw does the demosaicing (adaptive homogeneity-directed, Hirakawa and Parks 2005) and the camera's white. Highlights
in which one channel clipped are rebuilt from the others, and all of them are kept below white: the picture comes out
darker by what the camera's white needs as headroom, and the exposure ruler gives that back where it is wanted.
"""

from __future__ import annotations

import io
import math
from functools import lru_cache

import numpy as np
import rawpy
import tifffile

from fern_ticket.core.errors import PictureError
from fern_ticket.core.pictures.opening import DAMAGED
from fern_ticket.core.pictures.profiles import D50_XYZ, D65_XYZ, ColourSpace, adaptation, matrix_icc, read_profile

#: Exponent with which the 16 bits are stored, so that shadows have steps enough.
_GAMMA = 2.2
#: Linear ITU-R BT.2020 to XYZ, D65 (BT.2020 primaries; values of colour-science 0.4.7, checked in a test).
BT2020_TO_XYZ = np.array(
    [[0.636958, 0.144617, 0.168881], [0.262700, 0.677998, 0.059302], [0.0, 0.028073, 1.060985]], np.float64
)
_DNG_VERSION, _CFA = 50706, 32803
#: What raw files of cameras begin with, beside those that are TIFFs with a camera's tags.
_BEGINNINGS = (b"FUJIFILMCCD-RAW", b"IIRO", b"IIRS", b"MMOR", b"IIU\0")


@lru_cache(maxsize=1)
def developed_space() -> ColourSpace:
    icc = matrix_icc("BT.2020 primaries, gamma 2.2", adaptation(D65_XYZ, D50_XYZ) @ BT2020_TO_XYZ, _GAMMA)
    space = read_profile(icc)
    if space is None:
        raise AssertionError("our own profile is not read")
    return space


def is_raw(data: bytes) -> bool:
    """Whether the bytes are a sensor's, to be developed; told from the file's beginning and its tags."""
    if data.startswith(_BEGINNINGS) or data[4:12] == b"ftypcrx ":
        return True
    if data[:4] not in (b"II*\0", b"MM\0*"):
        return False
    if data[8:10] == b"CR":
        return True
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            pages = [page.aspage() for page in list(file.pages)[:4]]
            inner = [page.aspage() for one in pages for page in (one.pages or [])]
            return any(_DNG_VERSION in page.tags or int(page.photometric or 0) == _CFA for page in [*pages, *inner])
    except DAMAGED:
        return False


def raw_size(data: bytes) -> tuple[int, int]:
    """Width and height as developed. Only the header is read.

    Raises
    ------
    PictureError
        The file is damaged or of a camera that LibRaw does not know.
    """
    try:
        with rawpy.imread(io.BytesIO(data)) as raw:
            sizes = raw.sizes
    except (rawpy.LibRawError, ValueError) as error:
        raise _damaged() from error
    return (sizes.iheight, sizes.iwidth) if sizes.flip in (5, 6) else (sizes.iwidth, sizes.iheight)


def develop(data: bytes) -> tuple[np.ndarray[tuple[int, ...], np.dtype[np.uint16]], ColourSpace, str]:
    """Pixels, upright, shape (rows, columns, 3); their space; and a note on the headroom."""
    try:
        with rawpy.imread(io.BytesIO(data)) as raw:
            gains = np.array(raw.camera_whitebalance[:3], float)
            pixels = raw.postprocess(
                demosaic_algorithm=rawpy.DemosaicAlgorithm.AHD,
                use_camera_wb=bool((gains > 0).all()),
                no_auto_bright=True,
                output_bps=16,
                output_color=rawpy.ColorSpace.Rec2020,
                highlight_mode=rawpy.HighlightMode.Blend,
                gamma=(_GAMMA, 0),
            )
    except (rawpy.LibRawError, ValueError) as error:
        raise _damaged() from error
    headroom = math.log2(gains.max() / gains.min()) if (gains > 0).all() else 0.0
    note = f"developed from raw at 16 bits, {headroom:.1f} EV below its white, so that highlights are kept"
    return np.asarray(pixels, np.uint16), developed_space(), note


def _damaged() -> PictureError:
    return PictureError(
        "This raw file is damaged, or of a camera that is not known here.", "Bring it as DNG, or as a 16-bit TIFF."
    )
