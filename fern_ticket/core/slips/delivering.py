"""Write a photo as its slip asks: size, depth, format, density, file size, metadata."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np

from fern_ticket.core.errors import SlipError
from fern_ticket.core.frame.geometry import FrameState, part_of_sphere
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import operation_of
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.encode import Encoding, encode
from fern_ticket.core.pictures.iim import iim_block
from fern_ticket.core.pictures.metadata import Metadata, Panorama, exif_saying, panorama_in, xmp_packet
from fern_ticket.core.pictures.profiles import srgb_icc
from fern_ticket.core.pictures.sphere import Sphere
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.render.plan import make_plan
from fern_ticket.core.slips.declaring import declared, panorama_of
from fern_ticket.core.slips.lines import ProjectionLine
from fern_ticket.core.slips.slip import Slip

#: A JPEG is made coarser down to this quality to keep within a file size; below, blocks show (common practice, no
#: source).
_COARSEST = 70


@dataclass(frozen=True)
class Rendition:
    """A further size of a delivery.

    Attributes
    ----------
    name
        What it is called on the page and, behind the photo's name, in the file's.
    long_side
        Pixels of its long side; a square one is cut from the middle.
    """

    name: str
    long_side: int
    square: bool = False


#: Sizes for the web and for a profile (common practice, no source).
RENDITIONS = {one.name: one for one in (Rendition("web", 900), Rendition("profile", 180, square=True))}


def delivery_steps(steps: Sequence[Step], slip: Slip) -> list[Step]:
    """The ledger as it is delivered: with the slip's size as the last frame step, and the sphere as it takes that."""
    steps = _as_told(steps, slip)
    size = slip.exact_size
    long_side = max(size) if size is not None else slip.long_side
    if long_side is None:
        return list(steps)
    kept = [step for step in steps if not operation_of(step).delivered_size]
    params: dict[str, Any] = {"long_side": long_side, "exactly": size}
    return [*kept, Step(id="slip-size", op="output_size", params=params)]


def _as_told(steps: Sequence[Step], slip: Slip) -> Sequence[Step]:
    """Without what the file's data will tell of a panorama; with the start in the middle where it is to be made."""
    line = slip.line(ProjectionLine)
    if line is None:
        return steps
    if line.pose == "data":
        return [step for step in steps if not operation_of(step).tellable]
    start = framed(steps).start
    if start is None or not start[0]:
        return steps
    return [*steps, Step(id="start-heading", op="horizon", params={"pitch": 0, "roll": 0, "heading": start[0]})]


def framed(steps: Sequence[Step]) -> FrameState:
    """What the frame steps of a ledger say, of a picture of any size, as far as its size does not matter."""
    return make_plan([step for step in steps if operation_of(step).tellable], (4096, 2048)).frame.state


def written(
    picture: LedgerPicture,
    steps: Sequence[Step],
    slip: Slip,
    said: Metadata,
    exif: bytes,
    progress: Callable[[float], None] = lambda _: None,
    xmp: bytes = b"",
    sphere: Sphere | None = None,
) -> tuple[bytes, Pixels, Metadata]:
    """The delivered file, its pixels, and what it says of itself.

    Parameters
    ----------
    picture
        With `delivery_steps`.
    steps
        The photo's ledger, to declare.
    said
        What is said of the photo.
    exif, xmp
        The original's blocks.
    sphere
        What of a whole panorama the photo shows; None where it is none.

    Raises
    ------
    SlipError
        The slip's file size cannot be kept.
    """
    deep = picture.depth == np.uint16 if slip.bits is None else slip.bits == 16
    pixels: Pixels = picture.deliver(np.uint16 if deep else np.uint8, progress)
    panorama = panorama_of(picture.plan.frame, framed(steps), slip, sphere, panorama_in(xmp))
    full = declared(replace(said, located=False), steps, panorama)
    how = Encoding(
        slip.file.format,
        slip.file.quality,
        icc=srgb_icc(),
        exif=exif_saying(exif, full, place=not slip.without_location),
        xmp=xmp_packet(full, xmp, place=not slip.without_location),
        iim=iim_block(full),
        ppi=slip.ppi,
    )
    return _within(pixels, how, slip.most_bytes), pixels, full


def around_file(picture: LedgerPicture, steps: Sequence[Step], sphere: Sphere) -> bytes | None:
    """A flat panorama as an 8-bit JPEG with its projection data, to look at from inside; None for what is none."""
    found = part_of_sphere(picture.plan.frame, sphere)
    if found is None:
        return None
    own, size = found
    shown = (round(own.left), round(own.top), *size)
    said = Metadata(panorama=Panorama(own.size, shown, start=framed(steps).start))
    return encode(picture.deliver(np.uint8), Encoding("JPEG", 88, icc=srgb_icc(), xmp=xmp_packet(said)))


def rendition_of(pixels: Pixels, rendition: Rendition, slip: Slip, said: Metadata) -> bytes:
    """A further size of what was delivered, as an 8-bit JPEG; never enlarged."""
    rows, columns = pixels.shape[:2]
    if rendition.square:
        side = min(rows, columns)
        top, left = (rows - side) // 2, (columns - side) // 2
        pixels = pixels[top : top + side, left : left + side]
        rows = columns = side
    scale = min(1.0, rendition.long_side / max(rows, columns))
    size = (max(1, round(columns * scale)), max(1, round(rows * scale)))
    small = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    if small.dtype == np.uint16:
        small = ((small.astype(np.uint32) + 128) // 257).astype(np.uint8)
    how = Encoding(
        "JPEG", min(slip.file.quality, 92), icc=srgb_icc(), xmp=xmp_packet(replace(said, panorama=None)), ppi=slip.ppi
    )
    return encode(np.asarray(small, np.uint8), how)


def _within(pixels: Pixels, how: Encoding, most: int | None) -> bytes:
    """Encoded within `most` bytes: a JPEG at the best quality that fits, by bisection."""
    data = encode(pixels, how)
    if most is None or len(data) <= most:
        return data
    if how.format != "JPEG":
        raise SlipError(
            f"The {how.format} has {len(data) / 1e6:.1f} MB; the slip allows {most / 1e6:g} MB.",
            "Ask for a larger limit or for JPEG.",
        )
    low, high, best = _COARSEST, how.quality - 1, b""
    while low <= high:
        middle = (low + high) // 2
        data = encode(pixels, replace(how, quality=middle))
        if len(data) <= most:
            best, low = data, middle + 1
        else:
            high = middle - 1
    if not best:
        raise SlipError(
            f"Even at quality {_COARSEST} the JPEG is larger than the slip's {most / 1e6:g} MB.",
            "Ask for a larger limit or a smaller size.",
        )
    return best
