"""The working picture lent to another program, and what came back of it.

A lent file is the repaired photo with its pieces, before light and frame, 16 bits, in the photo's own profile; its XMP
packet says of which photo and which state of it. What comes back is laid over as a piece that covers what was changed.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.errors import PictureError
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.encode import Encoding, encode
from fern_ticket.core.pictures.profiles import srgb_icc
from fern_ticket.core.pictures.pyramid import Source
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import over_channels
from fern_ticket.core.render.resample import widened

#: Rows that are compared at once.
_BAND = 512
#: Difference, of 65535, below which a pixel counts as unchanged: half a level of 255, so that a program that kept but
#: 8 bits changed nothing.
LIMIT = 200
#: What changed is taken a little wider, with a soft edge, pixels.
_WIDER, _SOFT = 3, 1.5

_NAMESPACE = "urn:fern-ticket:lent"


@dataclass(frozen=True)
class Mark:
    """Which photo a lent file is of, and which revision of its ledger."""

    photo: str
    revision: int


def marked(mark: Mark) -> bytes:
    """An XMP packet (ISO 16684-1) that carries a mark."""
    return (
        '<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>'
        '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        f'<rdf:Description rdf:about="" xmlns:lent="{_NAMESPACE}" lent:photo="{mark.photo}" '
        f'lent:revision="{mark.revision}"/></rdf:RDF></x:xmpmeta><?xpacket end="w"?>'
    ).encode()


def mark_of(xmp: bytes) -> Mark | None:
    """The mark that a packet carries, as attributes or as elements; None for any other."""
    if _NAMESPACE.encode() not in xmp:
        return None
    flat = re.sub(rb"<(lent:\w+)>([^<]*)</\1>", rb' \1="\2"', xmp)
    photo = re.search(rb'lent:photo\s*=\s*["\']([0-9a-f-]{36})["\']', flat)
    revision = re.search(rb'lent:revision\s*=\s*["\'](\d{1,18})["\']', flat)
    return None if photo is None or revision is None else Mark(photo[1].decode(), int(revision[1]))


def lent_file(picture: Source, mark: Mark) -> bytes:
    """A 16-bit TIFF of a picture, with its profile and a mark."""
    width, height = picture.size
    pixels = np.empty((height, width, 3), np.uint16)
    for top in range(0, height, _BAND):
        band = Box(0, top, width, min(top + _BAND, height))
        pixels[band.rows] = widened(picture.read(0, band))
    return encode(pixels, Encoding("TIFF", icc=picture.space.icc or srgb_icc(), xmp=marked(mark)))


def changed(before: Source, after: Source) -> NDArray[np.uint8] | None:
    """Where a picture that came back differs from the one that was lent: white, with a soft edge; None for nowhere.

    Raises
    ------
    PictureError
        It has another size, or other colours mean the same values.
    """
    if after.size != before.size:
        came, lent = (" × ".join(map(str, one.size)) for one in (after, before))
        raise PictureError(f"What came back is {came} pixels; {lent} were lent.", "Keep the size, without cropping.")
    if not after.space.means_the_same(before.space):
        raise PictureError("What came back has another colour profile.", "Save it with the one that it was lent with.")
    width, height = before.size
    off = np.empty((height, width), np.uint8)
    for top in range(0, height, _BAND):
        band = Box(0, top, width, min(top + _BAND, height))
        one, other = (widened(source.read(0, band)).astype(np.int32) for source in (before, after))
        off[band.rows] = (over_channels(np.maximum, np.abs(one - other)) > LIMIT) * np.uint8(255)
    if not off.any():
        return None
    wide = cv2.dilate(off, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * _WIDER + 1,) * 2))
    return np.asarray(cv2.GaussianBlur(wide, (0, 0), _SOFT), np.uint8)


def mask_file(share: NDArray[np.uint8]) -> bytes:
    """A mask as a PNG that is opened like any picture."""
    pixels: Pixels = np.repeat(share[..., None], 3, axis=2)
    return encode(pixels, Encoding("PNG"))
