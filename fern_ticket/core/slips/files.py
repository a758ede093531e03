"""Measure a finished file for a slip: the same lines and the same code as while the photo is made."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np

from fern_ticket.core.inspect.composition import LONG_SIDE
from fern_ticket.core.inspect.files import read_linear
from fern_ticket.core.inspect.measures import chroma, clipped_share
from fern_ticket.core.inspect.seam import sides_meet
from fern_ticket.core.inspect.specks import alone, specks_of
from fern_ticket.core.pictures.decode import decode, read_header
from fern_ticket.core.pictures.jpeg_quality import jpeg_quality
from fern_ticket.core.pictures.metadata import read_metadata
from fern_ticket.core.pictures.profiles import profile_said, srgb_encode
from fern_ticket.core.pictures.pyramid import ArraySource
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.slips.live import composition
from fern_ticket.core.slips.measures import Measures, Places
from fern_ticket.core.slips.slip import Slip

#: A JPEG that was made coarser for its size fills so much of the limit; one step of quality finer would not fit.
_NEARLY = 0.6


def measures_of_file(
    data: bytes, slip: Slip, name: str, made: Measures | None = None, original: bytes | None = None
) -> Measures:
    """What a file measures.

    Parameters
    ----------
    data
        The file.
    name
        Its name, for a line that asks for a pattern.
    made
        What was measured while the photo was made: casts at its marks, traces of its repairs, what its ledger did.
        Left out, lines that need these stay unmeasured.
    original
        The photo as it came, to compare saturation with, where nothing was measured before.

    Raises
    ------
    PictureError
        The file cannot be read.
    """
    header = read_header(data)
    decoded = decode(data)
    rows, columns = decoded.pixels.shape[:2]
    linear = np.moveaxis(read_linear(decoded), -1, 0)
    clipped = clipped_share(linear, 1.0)
    fits = slip.most_bytes is not None and _NEARLY * slip.most_bytes < len(data) <= slip.most_bytes
    scale = max(1.0, max(rows, columns) / LONG_SIDE)
    size = (max(1, round(columns / scale)), max(1, round(rows / scale)))
    small_light = cv2.resize(np.moveaxis(linear, 0, -1), size, interpolation=cv2.INTER_AREA)
    small = np.clip(srgb_encode(np.maximum(small_light, 0)) * 255 + 0.5, 0, 255).astype(np.uint8)
    found = Measures(
        width=columns,
        height=rows,
        format="JPEG" if header.format == "MPO" else header.format,
        profile=profile_said(header.icc, says_srgb=header.says_srgb),
        quality=jpeg_quality(data),
        made_to_fit=fits,
        bits=8 * decoded.pixels.dtype.itemsize,
        ppi=header.ppi,
        file_bytes=len(data),
        clipped=clipped.share,
        clipped_through=clipped.through,
        clipped_where=clipped.where,
        metadata=read_metadata(data),
        name=name,
        closes=sides_meet(decoded.pixels) if columns == 2 * rows else None,
        **composition(small, scale, slip.whole),
    )
    if "specks" in slip.close:
        spots = alone(specks_of(ArraySource(decoded)))
        first = None
        if spots:
            x, y, half = round(spots[0].x), round(spots[0].y), round(spots[0].size)
            first = Box(x - half, y - half, x + half, y + half).within(Box(0, 0, columns, rows))
        found = replace(found, specks=Places(len(spots), first))
    if made is not None:
        return replace(
            found,
            crop_long_side=made.crop_long_side,
            casts=made.casts,
            repeats=made.repeats,
            joins=made.joins,
            grain=made.grain,
            bleed=made.bleed,
            saturation_change=made.saturation_change,
            altered=made.altered,
            ticked=made.ticked,
            decided=made.decided,
            # the file was resampled: specks are counted on full-size pixels, as on the bench
            specks=found.specks if made.specks is None else made.specks,
        )
    if original is not None and slip.asks_for("saturation_change"):
        before = np.moveaxis(read_linear(decode(original)), -1, 0)
        found = replace(found, saturation_change=chroma(linear) - chroma(before))
    return found
