"""A desk's own look at a file: what it asks for and what it finds, with nothing but Pillow and the bytes."""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass

from PIL import Image, ImageChops, ImageCms, JpegImagePlugin, PngImagePlugin, TiffImagePlugin


@dataclass(frozen=True)
class Asks:
    """What a desk takes. Its own list, written down apart from any slip.

    Attributes
    ----------
    receipts
        How its receipts begin.
    ratios
        Any one of these; none named, any ratio.
    coarsest_quantisation
        The largest number in a JPEG's quantisation tables.
    blown_percent
        Largest share of pixels with a channel at 255, in per cent.
    projection
        Whether the file must say that it is a whole flat panorama (Photo Sphere XMP Metadata).
    """

    name: str
    receipts: str
    long_side: int
    format: str
    ratios: tuple[tuple[int, int], ...] = ()
    coarsest_quantisation: int = 2
    profile: str = "sRGB"
    blown_percent: float = 1.0
    projection: bool = False


DESKS = {
    "valley-homes": Asks("Valley Homes desk", "VH", 2400, "JPEG", ((4, 5), (5, 4))),
    "tidewrack": Asks("Tidewrack stock desk", "TW", 3600, "JPEG", ((3, 2), (2, 3)), 12, blown_percent=0.5),
    "sedge-press": Asks("Sedge Press print room", "SP", 4000, "TIFF", blown_percent=20.0),
    "valley-tours": Asks("Valley Tours desk", "VT", 6144, "JPEG", ((2, 1),), 12, blown_percent=20.0, projection=True),
}


def _opened(data: bytes) -> Image.Image:
    """By the readers of what the desks take, whatever its size."""
    if data.startswith(b"\xff\xd8"):
        return JpegImagePlugin.JpegImageFile(io.BytesIO(data))
    reader = PngImagePlugin.PngImageFile if data.startswith(b"\x89PNG") else TiffImagePlugin.TiffImageFile
    return reader(io.BytesIO(data))


def reasons_against(data: bytes, asks: Asks) -> list[str]:
    """Why the desk would return a file; empty when it takes it."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            image = _opened(data)
            image.load()
    except Exception:
        return ["The file does not open as a picture."]
    found = []
    if image.format != asks.format:
        found.append(f"The file is {image.format}; we take {asks.format}.")
    width, height = image.size
    fits = any(abs(width * down - height * across) <= max(across, down) for across, down in asks.ratios)
    if asks.ratios and not fits:
        names = " or ".join(f"{a}:{d}" for a, d in asks.ratios)
        found.append(f"The ratio is {width}:{height}; we take {names}.")
    if max(width, height) != asks.long_side:
        found.append(f"The long side is {max(width, height)} px; we take exactly {asks.long_side} px.")
    tables = getattr(image, "quantization", None) or {}
    if image.format == "JPEG" and max((max(t) for t in tables.values()), default=99) > asks.coarsest_quantisation:
        found.append("The JPEG is compressed too strongly; save it at a higher quality.")
    if asks.projection and b"ProjectionType" not in _packet(image):
        found.append("There is no projection data in the file; a tour cannot place it.")
    found += _profile(image, asks)
    blown = _blown_percent(image.convert("RGB"))
    if blown > asks.blown_percent:
        found.append(f"{blown:.1f} % of the picture is blown out; we take at most {asks.blown_percent:g} %.")
    return found


def _packet(image: Image.Image) -> bytes:
    packet = image.info.get("xmp", b"")
    return packet if isinstance(packet, bytes) else str(packet).encode()


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
