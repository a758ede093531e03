"""What a finished file measures, read back from its bytes."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import cv2
import numpy as np

from fern_ticket.core.errors import PictureError
from fern_ticket.core.inspect.colour_difference import ciede2000
from fern_ticket.core.inspect.measures import CLIPPED, chroma, densest
from fern_ticket.core.inspect.specks import alone, specks_of
from fern_ticket.core.pictures.decode import Decoded, decode, read_header
from fern_ticket.core.pictures.lab import linear_to_lab
from fern_ticket.core.pictures.profiles import Matrix
from fern_ticket.core.pictures.pyramid import ArraySource
from fern_ticket.core.pictures.values import over_channels

Measurement = dict[str, Any]


def inspect_file(path: Path, against: Path | None = None) -> dict[str, Measurement]:
    """All measurements of a file: name to {value, unit, where?}.

    Parameters
    ----------
    path
        The file.
    against
        The original, to measure what was changed. Of the same pixel size for the differences; saturation is compared at
        any size.
    """
    data = read_file(path)
    decoded = decode(data)
    rows, columns = decoded.pixels.shape[:2]
    found: dict[str, Measurement] = {
        "format": _value(decoded.format, ""),
        "width": _value(columns, "px"),
        "height": _value(rows, "px"),
        "long_side": _value(max(rows, columns), "px"),
        "megapixels": _value(round(rows * columns / 1e6, 3), "MP"),
        "ratio": _value(round(columns / rows, 4), "width/height"),
        "bit_depth": _value(decoded.pixels.dtype.itemsize * 8, "bits/channel"),
        "profile": _value(decoded.space.name, ""),
        "file_size": _value(len(data), "bytes"),
        "pixels_per_inch": _value(read_header(data).ppi, "ppi"),
    }
    linear = read_linear(decoded)
    clipped = over_channels(np.logical_or, linear >= CLIPPED)
    black = over_channels(np.logical_and, linear <= 0.5 / 255 / 12.92)
    for name, mask in (("clipped_whites", clipped), ("clipped_blacks", black)):
        found[name] = _value(round(100 * float(mask.mean()), 4), "%")
        box = densest(mask, 1.0)
        if box is not None:
            found[name]["where"] = {
                "left": box.left,
                "top": box.top,
                "width": box.width,
                "height": box.height,
            }
    every = specks_of(ArraySource(decoded))
    specks = alone(every)
    found["specks"] = _value(len(specks), "on smooth ground")
    found["specks"]["part_of_things"] = len(every) - len(specks)
    if specks:
        x, y, half = round(specks[0].x), round(specks[0].y), round(specks[0].size)
        found["specks"]["where"] = {"left": x - half, "top": y - half, "width": 2 * half, "height": 2 * half}
    found["saturation"] = _value(round(_chroma(linear), 3), "points")
    if against is not None:
        found.update(_compare(linear, decode(read_file(against))))
    return found


def read_file(path: Path) -> bytes:
    """A file's bytes, or words why not."""
    try:
        return path.read_bytes()
    except OSError as error:
        raise PictureError(f"{path} cannot be read: {error.strerror}.", "Check the name.") from error


def _value(value: object, unit: str) -> Measurement:
    return {"value": value, "unit": unit}


def read_linear(decoded: Decoded) -> Matrix:
    """Linear sRGB of a decoded file, shape (rows, columns, 3)."""
    curves = decoded.space.curves
    if decoded.pixels.dtype == np.uint8:
        linear = cv2.LUT(np.ascontiguousarray(decoded.pixels), np.ascontiguousarray(curves[:, ::257].T[None]))
    else:
        linear = cv2.merge([np.take(curves[c], decoded.pixels[..., c]) for c in range(3)])
    return np.asarray(cv2.transform(linear, decoded.space.to_srgb), np.float32)


def _chroma(linear: Matrix) -> float:
    return chroma(np.moveaxis(linear, -1, 0))


def _compare(linear: Matrix, original: Decoded) -> dict[str, Measurement]:
    before = read_linear(original)
    found = {"saturation_change": _value(round(_chroma(linear) - _chroma(before), 3), "points")}
    if before.shape == linear.shape:
        changed = over_channels(np.maximum, np.abs(linear - before)) > 1e-6
        found["changed"] = _value(round(100 * float(changed.mean()), 4), "%")
        step = max(1, round((changed.size / 1e6) ** 0.5))
        pair = [linear_to_lab(np.clip(p[::step, ::step], 0, 1).astype(np.float64)) for p in (linear, before)]
        found["mean_difference"] = _value(round(float(ciede2000(*pair).mean()), 4), "ΔE2000")
    return found
