"""Read a picture file into pixels as they are in the file, upright, with its profile."""

from __future__ import annotations

import io
import re
import struct
import warnings
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pillow_heif
import simplejpeg
import tifffile
from numpy.typing import NDArray
from PIL import Image, ImageCms, UnidentifiedImageError
from PIL.TiffImagePlugin import TiffImageFile

from fern_ticket.core.errors import PictureError
from fern_ticket.core.pictures.exif import loaded, written
from fern_ticket.core.pictures.metadata import packet_of
from fern_ticket.core.pictures.opening import DAMAGED, open_picture
from fern_ticket.core.pictures.profiles import ColourSpace, read_profile, srgb, srgb_icc
from fern_ticket.core.pictures.raw import develop, is_raw, raw_size
from fern_ticket.core.pictures.stated import says_srgb, stated_profile

#: Values of a file, 8 or 16 bits a channel.
Pixels = NDArray[np.unsignedinteger[Any]]

#: Refused above this, before a single pixel is decoded.
MAX_MEGAPIXELS = 300
MAX_SIDE = 50_000
#: Smaller than this on a side and there is nothing to edit.
MIN_SIDE = 16

_FORMATS = ("JPEG", "PNG", "TIFF", "WEBP", "HEIF", "AVIF")
#: How a deep TIFF may be packed: not at all, LZW, PackBits (TIFF 6.0), Deflate by both its numbers (its supplement 2),
#: LZMA and Zstandard (numbers of libtiff).
_TIFF_PACKINGS = (1, 5, 32773, 8, 32946, 34925, 50000)
#: What can be brought, in words.
READABLE = "JPEG, PNG, TIFF, WebP, HEIC, AVIF or raw file"


@dataclass(frozen=True)
class Decoded:
    """A picture in memory.

    Attributes
    ----------
    pixels
        Shape (rows, columns, 3), uint8 or uint16, values as in the file, turned upright by the EXIF orientation.
    space
        What the values mean.
    format
        "JPEG", "PNG", "TIFF", "WEBP", "HEIF" (also of HEIC files), "AVIF" or "RAW".
    exif
        The EXIF block without orientation, for writing back. May be empty.
    notes
        What was done that a person should know, e.g. "converted from CMYK".
    """

    pixels: Pixels
    space: ColourSpace
    format: str
    exif: bytes
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Header:
    format: str
    width: int
    height: int
    mode: str
    frames: int
    icc: bytes
    orientation: int
    exif: bytes
    bits: int
    ppi: float | None = None
    xmp: bytes = b""
    says_srgb: bool = False
    stated: bool = False


def read_header(data: bytes) -> Header:
    """What the file says of itself. Nothing is decoded, so this is safe on files from anywhere.

    Raises
    ------
    PictureError
        Not a picture, a kind we do not read, or a size beyond the limits.
    """
    if is_raw(data):
        return _raw_header(data)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            image = open_picture(data)
            width, height = image.size
            exif = _exif_of(image)
            header = Header(
                format=image.format or "",
                width=width,
                height=height,
                mode=image.mode,
                frames=getattr(image, "n_frames", 1),
                icc=image.info.get("icc_profile") or stated_profile(image, exif),
                orientation=_orientation(exif),
                exif=_upright(exif),
                bits=_bits(image),
                ppi=_ppi(image),
                xmp=packet_of(image),
                says_srgb=says_srgb(image, exif),
                stated="icc_profile" not in image.info,
            )
    except UnidentifiedImageError as error:
        known = re.match(r"\w+ files are not read here", str(error))
        sentence = f"{known[0]}." if known else "This file is not a picture that can be read."
        raise PictureError(sentence, f"Bring a {READABLE}.") from error
    except Image.DecompressionBombError as error:
        raise _too_large("more pixels than are read here") from error
    except DAMAGED as error:
        _check_kind_of_tiff(data)
        raise PictureError("The picture's header is damaged.", "Export it again and bring the new file.") from error
    _check_header(header)
    return header


def _raw_header(data: bytes) -> Header:
    width, height = raw_size(data)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            exif = _upright(_exif_of(open_picture(data)))
    except (OSError, ValueError, SyntaxError, TypeError, KeyError, IndexError, EOFError, struct.error):
        exif = b""  # many cameras' raw files are no TIFF that Pillow opens; the picture itself is read all the same
    header = Header("RAW", width, height, "RGB", 1, b"", 1, exif, 16)
    _check_size(header)
    return header


def _orientation(exif: Image.Exif) -> int:
    """1 to 8 (CIPA DC-008); 1 for what is no orientation."""
    said = exif.get(0x0112, 1)
    return said if isinstance(said, int) and 1 <= said <= 8 else 1


def _bits(image: Image.Image) -> int:
    """Bits a channel that a TIFF or HEIC says of itself; 8 for others, whose depth shows in their mode or later."""
    if image.format == "HEIF":
        return int(image.info.get("bit_depth", 8))
    if not isinstance(image, TiffImageFile):
        return 8
    said = image.tag_v2.get(258, (1,))
    return int(max(said)) if isinstance(said, tuple) else int(said)


def _ppi(image: Image.Image) -> float | None:
    """Pixels per inch that the file says, to a tenth."""
    dpi = image.info.get("dpi")
    return round(float(dpi[0]), 1) if dpi else None


def _exif_of(image: Image.Image) -> Image.Exif:
    """The EXIF block that stands before the pixels. Pillow's `getexif` would decode a PNG to look behind them too."""
    if image.format == "TIFF":
        return image.getexif()
    return loaded(image.info.get("exif") or _spelled(image.info.get("Raw profile type exif", "")))


def _spelled(profile: str) -> bytes:
    """The EXIF block that older programs spelled out as a PNG's text: a name, a length, and hexadecimal digits."""
    try:
        return bytes.fromhex("".join(profile.split("\n")[3:]))
    except ValueError:
        return b""


def _upright(exif: Image.Exif) -> bytes:
    if not exif:
        return b""
    exif[0x0112] = 1
    try:
        return written(exif)
    except Exception:  # a maker's block that Pillow cannot write back is not worth losing the photo for
        return b""


def _check_header(header: Header) -> None:
    if header.format == "MPO":  # a JPEG with a preview behind it, as many cameras write
        return _check_size(header)
    if header.format not in _FORMATS:
        raise PictureError(f"{header.format or 'This kind of'} files are not read here.", f"Bring a {READABLE}.")
    return _check_size(header)


def _check_size(header: Header) -> None:
    size = f"{header.width} × {header.height} pixels"
    if header.width < MIN_SIDE or header.height < MIN_SIDE:
        raise PictureError(f"The picture is only {size}.", f"It needs at least {MIN_SIDE} on each side.")
    if max(header.width, header.height) > MAX_SIDE or header.width * header.height > MAX_MEGAPIXELS * 1e6:
        raise _too_large(size)


def _too_large(size: str) -> PictureError:
    return PictureError(
        f"The picture's header says {size}.",
        f"The limit is {MAX_MEGAPIXELS} megapixels and {MAX_SIDE} pixels a side; bring a smaller version.",
    )


def decode_file(path: Path) -> Decoded:
    """Read a picture from disk. See `decode`."""
    try:
        data = path.read_bytes()
    except OSError as error:
        raise PictureError(f"{path} cannot be read.", f"{error.strerror}.") from error
    return decode(data)


def too_much_memory() -> PictureError:
    """What is said of a picture that decoding asks for more memory than there is."""
    return PictureError("The picture is too large for this machine's memory.", "Bring a smaller version.")


def decode(data: bytes) -> Decoded:
    """Decode a whole JPEG, PNG, TIFF, WebP, HEIC or AVIF, 8 or 16 bits a channel; develop a raw file.

    Grey becomes three equal channels. Transparency is laid on white. CMYK and profiles that need tables are
    converted to sRGB by lcms2, and a note says so.

    Raises
    ------
    PictureError
        Damaged, cut short, not a picture, or beyond the limits of size.
    """
    header = read_header(data)
    if header.format == "RAW":
        developed, own_space, note = develop(data)
        return Decoded(developed, own_space, "RAW", header.exif, (note,))
    notes: list[str] = []
    if header.frames > 1 and header.format == "TIFF":
        notes.append("only the first page was taken")
    orientation = header.orientation
    try:
        if header.format in ("JPEG", "MPO") and header.mode == "RGB":
            pixels: Pixels = _decode_jpeg(data)
        elif header.mode == "CMYK":
            return _decode_cmyk(data, header)
        elif header.format == "HEIF" and header.bits > 8:
            pixels = _decode_deep_heif(data)
        elif _is_deep(header):
            pixels = _decode_deep(data, header)
        else:
            pixels = _decode_with_pillow(data, notes)
            orientation = _left_by_pillow(header)
    except PictureError:
        raise
    except MemoryError as error:
        raise too_much_memory() from error
    except DAMAGED as error:
        if isinstance(error, cv2.error) and error.code == cv2.Error.StsNoMem:
            raise too_much_memory() from error
        raise PictureError(
            "The picture is damaged or was cut short.",
            "Copy it again from the camera or card, and bring that.",
        ) from error
    icc = header.icc if header.mode != "LAB" and (not _is_grey(header) or _speaks_of_grey(header)) else b""
    if header.icc and not icc and header.mode != "LAB":
        notes.append("its profile is not a grey profile: read as sRGB grey")
    space = read_profile(icc)
    if space is None:
        if pixels.dtype == np.uint16:
            notes.append("8 of its 16 bits are left by a profile with tables")
        pixels, space = _convert(pixels, icc), srgb()
        notes.append("converted to sRGB from a profile with tables")
    return Decoded(
        np.ascontiguousarray(turn_upright(pixels, orientation)),
        space,
        "JPEG" if header.format == "MPO" else header.format,
        header.exif,
        tuple(notes),
    )


def _is_grey(header: Header) -> bool:
    return header.mode in ("L", "LA", "I;16", "I;16B", "1", "I")


def _speaks_of_grey(header: Header) -> bool:
    """Whether what a grey picture says of its values can be followed: a curve of its own, or a PNG's numbers."""
    return header.stated or header.icc[16:20] == b"GRAY"


def _decode_jpeg(data: bytes) -> NDArray[np.uint8]:
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        try:
            pixels: NDArray[np.uint8] = simplejpeg.decode_jpeg(data, "RGB", strict=True)
        except (ValueError, Warning) as error:
            raise PictureError(
                "The JPEG is damaged or was cut short.",
                "Copy it again from the camera or card, and bring that.",
            ) from error
    return pixels


def _is_deep(header: Header) -> bool:
    """May hold 16 bits a channel: Pillow narrows RGB to 8, so those go through other readers."""
    if header.format == "TIFF":
        return header.bits > 8
    return header.format == "PNG" and header.mode in ("RGB", "RGBA", "I;16", "I;16B", "I", "LA", "L")


def _decode_deep(data: bytes, header: Header) -> Pixels:
    if header.format == "TIFF":
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            page = file.pages.first
            if page.photometric not in (0, 1, 2):
                raise PictureError("This kind of TIFF is not read here.", "Save it as RGB or grey, 8 or 16 bits.")
            _check_samples(page)
            raw = _widened(page.asarray(), page.bitspersample)
            if page.planarconfig == 2 and raw.ndim == 3:
                raw = np.moveaxis(raw, 0, -1)
            if page.photometric == 0:
                raw = np.iinfo(raw.dtype).max - raw
            associated = 1 in tuple(int(one) for one in page.extrasamples)
            return _three_channels(raw, has_alpha=bool(page.extrasamples), premultiplied=associated)
    return _decode_with_opencv(data)


def _check_kind_of_tiff(data: bytes) -> None:
    """Refuse a TIFF that Pillow has no mode for by what it is; what is no TIFF at all passes."""
    with suppress(*DAMAGED), tifffile.TiffFile(io.BytesIO(data)) as file:
        _check_samples(file.pages.first)


def _check_samples(page: tifffile.TiffPage) -> None:
    """Refuse what no reader here takes, by its own name: it is not damaged."""
    if page.dtype is not None and (page.bitspersample > 16 or page.sampleformat not in (1, None)):
        raise _unread_samples(page.dtype)
    if page.compression not in _TIFF_PACKINGS and isinstance(page.compression, tifffile.COMPRESSION):
        raise PictureError(
            f"This TIFF is packed by {page.compression.name}, which is not read here.",
            "Save it with LZW, ZIP or no packing, and bring that.",
        )


def _unread_samples(kind: np.dtype[Any]) -> PictureError:
    return PictureError(f"The picture has {kind} samples.", "Save it with 8 or 16 bits a channel and bring that.")


def _widened(raw: NDArray[Any], bits: int) -> NDArray[Any]:
    """Samples of 9 to 15 bits, as scanners write them, over the range of 16."""
    if not 8 < bits < 16:
        return raw
    return np.asarray((raw.astype(np.uint32) * 65535 + (1 << (bits - 1))) // ((1 << bits) - 1), np.uint16)


def _decode_deep_heif(data: bytes) -> Pixels:
    """10 and 12 bits a channel, widened to 16."""
    image = pillow_heif.open_heif(data, convert_hdr_to_8bit=False)
    raw = np.asarray(image)
    return _three_channels(raw, has_alpha=raw.shape[2] == 4)


def _decode_with_opencv(data: bytes) -> Pixels:
    raw = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if raw is None:
        raise ValueError("not decoded")
    pixels = np.asarray(raw)
    if pixels.ndim == 3 and pixels.shape[2] >= 3:
        pixels = pixels[..., [2, 1, 0, 3][: pixels.shape[2]]]
    return _three_channels(pixels, has_alpha=pixels.ndim == 3 and pixels.shape[2] in (2, 4))


def _three_channels(raw: NDArray[Any], *, has_alpha: bool, premultiplied: bool = False) -> Pixels:
    if raw.dtype not in (np.uint8, np.uint16):
        raise _unread_samples(raw.dtype)
    if raw.ndim == 2:
        raw = raw[..., None]
    colours = raw[..., :3] if raw.shape[2] >= 3 else raw[..., :1]
    if has_alpha and raw.shape[2] in (2, 4):
        top = float(np.iinfo(raw.dtype).max)
        alpha = raw[..., -1:].astype(np.float32) / top
        own = colours.astype(np.float32) if premultiplied else colours * alpha
        colours = np.minimum(own + top * (1 - alpha) + 0.5, top).astype(raw.dtype)
    if colours.shape[2] == 1:
        colours = np.repeat(colours, 3, axis=2)
    return np.ascontiguousarray(colours)


def _decode_with_pillow(data: bytes, notes: list[str]) -> Pixels:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        image: Image.Image = open_picture(data)
        image.load()
    if image.mode in ("P", "PA", "LA", "RGBA", "RGBa") or "transparency" in image.info:
        image = image.convert("RGBA")
        ground = Image.new("RGBA", image.size, (255, 255, 255, 255))
        image = Image.alpha_composite(ground, image)
        notes.append("transparency laid on white")
    return np.asarray(image.convert("RGB"))


def _left_by_pillow(header: Header) -> int:
    """The orientation that is still to be applied: Pillow turns a TIFF upright as it loads it."""
    return 1 if header.format == "TIFF" else header.orientation


def _decode_cmyk(data: bytes, header: Header) -> Decoded:
    image: Image.Image = open_picture(data)
    image.load()
    if header.icc:
        image = _through_lcms(image, header.icc)
        note = "converted from CMYK through its profile"
    else:
        image = image.convert("RGB")
        note = "converted from CMYK without a profile: check the colours"
    pixels = turn_upright(np.asarray(image), _left_by_pillow(header))
    return Decoded(np.ascontiguousarray(pixels), srgb(), header.format, header.exif, (note,))


def _through_lcms(image: Image.Image, icc: bytes) -> Image.Image:
    """To sRGB, relative colorimetric, by lcms2. Raises PictureError when the profile is not for these pixels."""
    target = ImageCms.ImageCmsProfile(io.BytesIO(srgb_icc()))
    try:
        source = ImageCms.ImageCmsProfile(io.BytesIO(icc))
        converted = ImageCms.profileToProfile(
            image, source, target, renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC, outputMode="RGB"
        )
    except (ImageCms.PyCMSError, OSError, ValueError) as error:
        raise PictureError(
            "The picture's colour profile is damaged or not made for it.", "Save it again with a valid profile."
        ) from error
    if converted is None:
        raise PictureError("The picture's colours cannot be converted.", "Save it again as sRGB.")
    return converted


def _convert(pixels: Pixels, icc: bytes) -> Pixels:
    narrow = pixels if pixels.dtype == np.uint8 else (pixels >> 8).astype(np.uint8)
    return np.asarray(_through_lcms(Image.fromarray(narrow), icc))


def turn_upright(pixels: Pixels, orientation: int) -> Pixels:
    """Apply an EXIF orientation 1-8 (CIPA DC-008, tag 0x0112). Unknown values leave the picture as it is."""
    if orientation in (5, 6, 7, 8):
        pixels = np.swapaxes(pixels, 0, 1)
    flip_rows = orientation in (3, 4, 7, 8)
    flip_columns = orientation in (2, 3, 6, 7)
    if flip_rows:
        pixels = pixels[::-1]
    if flip_columns:
        pixels = pixels[:, ::-1]
    return pixels
