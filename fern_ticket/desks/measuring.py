"""A desk's own look at a file: what it asks for and what it finds, with nothing but Pillow and the bytes."""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass

from PIL import Image, ImageChops, ImageCms


@dataclass(frozen=True)
class Asks:
    """What a desk takes. Its own list, written down apart from any slip."""

    name: str
    ratios: tuple[tuple[int, int], ...]
    long_side: int
    format: str
    coarsest_quantisation: int
    profile: str
    blown_percent: float


#: The homes desk's measure for pictures of a letting.
HOMES = Asks(
    name="Valley Homes desk",
    ratios=((4, 5), (5, 4)),
    long_side=2400,
    format="JPEG",
    coarsest_quantisation=2,
    profile="sRGB",
    blown_percent=1.0,
)

DESKS = {"valley-homes": HOMES}


def reasons_against(data: bytes, asks: Asks) -> list[str]:
    """Why the desk would return a file; empty when it takes it."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            image = Image.open(io.BytesIO(data))
            image.load()
    except Exception:
        return ["The file does not open as a picture."]
    found = []
    if image.format != asks.format:
        found.append(f"The file is {image.format}; we take {asks.format}.")
    width, height = image.size
    if not any(abs(width * down - height * across) <= max(across, down) for across, down in asks.ratios):
        names = " or ".join(f"{a}:{d}" for a, d in asks.ratios)
        found.append(f"The ratio is {width}:{height}; we take {names}.")
    if max(width, height) != asks.long_side:
        found.append(f"The long side is {max(width, height)} px; we take exactly {asks.long_side} px.")
    tables = getattr(image, "quantization", None) or {}
    if image.format == "JPEG" and max((max(t) for t in tables.values()), default=99) > asks.coarsest_quantisation:
        found.append("The JPEG is compressed too strongly; save it at quality 100.")
    found += _profile(image, asks)
    blown = _blown_percent(image.convert("RGB"))
    if blown > asks.blown_percent:
        found.append(f"{blown:.1f} % of the picture is blown out; we take at most {asks.blown_percent:g} %.")
    return found


def _profile(image: Image.Image, asks: Asks) -> list[str]:
    icc = image.info.get("icc_profile")
    if not icc:
        return [f"There is no colour profile in the file; embed {asks.profile}."]
    name = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(icc))).strip()
    return [] if name.startswith(asks.profile) else [f"The profile is {name}; we take {asks.profile}."]


def _blown_percent(image: Image.Image) -> float:
    """Share of pixels with any channel at 255."""
    red, green, blue = (band.point(lambda v: 255 if v == 255 else 0) for band in image.split())
    blown = ImageChops.lighter(ImageChops.lighter(red, green), blue)
    return 100 * blown.histogram()[255] / (image.width * image.height)
