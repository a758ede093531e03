"""Write pixels to an open format with their profile, EXIF, XMP and IPTC-IIM."""

from __future__ import annotations

import io
import struct
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Literal

import cv2
import numpy as np
import simplejpeg
import tifffile
from PIL import TiffImagePlugin

from fern_ticket.core.errors import FernError
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.exif import DETAIL, PLACE, as_read, loaded, written
from fern_ticket.core.pictures.iim import as_image_resource
from fern_ticket.core.pictures.profiles import srgb_icc
from fern_ticket.core.pictures.stated import COLOUR_SPACE, INTEROPERABILITY

Format = Literal["JPEG", "PNG", "TIFF"]

#: EXIF's texts that stand in a TIFF's first directory: description, maker, model, artist, copyright.
_TEXTS = (0x010E, 0x010F, 0x0110, 0x013B, 0x8298)

_BY_ENDING: dict[str, Format] = {
    ".jpg": "JPEG",
    ".jpeg": "JPEG",
    ".png": "PNG",
    ".tif": "TIFF",
    ".tiff": "TIFF",
}


#: EXIF tags of the first directory: size, density and its unit, of which 2 is inches.
_WIDTH, _HEIGHT, _ACROSS, _DOWN, _UNIT = 0x0100, 0x0101, 0x011A, 0x011B, 0x0128


@dataclass(frozen=True)
class Encoding:
    """How a file is written: its format, JPEG quality 1-100, profile, EXIF, XMP packet, IPTC-IIM block (for which PNG
    has no place) and pixels per inch."""

    format: Format
    quality: int = 100
    icc: bytes = b""
    exif: bytes = b""
    xmp: bytes = b""
    iim: bytes = b""
    ppi: float = 300


def format_of(path: Path) -> Format:
    """The format that a file's ending asks for."""
    try:
        return _BY_ENDING[path.suffix.lower()]
    except KeyError:
        raise FernError(
            f"A file ending in {path.suffix or 'nothing'} cannot be written.", "Use .jpg, .png or .tif."
        ) from None


def encode(pixels: Pixels, how: Encoding) -> bytes:
    """Encode pixels of shape (rows, columns, 3).

    JPEG takes uint8 only and, from quality 90, keeps full colour resolution. PNG and TIFF take uint8 or uint16.
    """
    how = replace(how, exif=_agreeing(how, pixels.shape[1], pixels.shape[0]))
    if how.format == "JPEG":
        return _jpeg(pixels, how)
    if how.format == "PNG":
        return _png(pixels, how)
    return _tiff(pixels, how)


def _agreeing(how: Encoding, width: int, height: int) -> bytes:
    """The EXIF block with the size, density and colours of this file, without the preview of another (CIPA DC-008)."""
    if not how.exif:
        return b""
    block = loaded(how.exif)
    for tag, value in ((_WIDTH, width), (_HEIGHT, height)):
        if tag in block:
            block[tag] = value
    block[_ACROSS] = block[_DOWN] = float(how.ppi)
    block[_UNIT] = 2
    detail = block.get_ifd(DETAIL)
    detail[0xA002], detail[0xA003] = width, height
    is_srgb = how.icc == srgb_icc()
    detail[COLOUR_SPACE] = 1 if is_srgb else 0xFFFF
    if INTEROPERABILITY in detail:
        del detail[INTEROPERABILITY]
        if is_srgb:
            detail[INTEROPERABILITY] = {1: "R98", 2: b"0100"}
    return written(block)


def _jpeg(pixels: Pixels, how: Encoding) -> bytes:
    sampling = "444" if how.quality >= 90 else "420"
    plain: bytes = simplejpeg.encode_jpeg(
        np.ascontiguousarray(pixels), how.quality, "RGB", colorsubsampling=sampling, fastdct=False
    )
    density = struct.pack(">BHHBB", 1, round(how.ppi), round(how.ppi), 0, 0)
    jfif = b"\xff\xe0" + struct.pack(">H", 16) + b"JFIF\x00\x01\x01" + density
    body = plain[2:]
    if body[:2] == b"\xff\xe0":
        body = body[2 + struct.unpack(">H", body[2:4])[0] :]
    said = _exif_segment(how.exif) + _xmp_segment(how.xmp) + _iim_segment(how.iim)
    return b"\xff\xd8" + jfif + said + _icc_segments(how.icc) + body


def _exif_segment(exif: bytes) -> bytes:
    if not exif:
        return b""
    return _segment(0xE1, exif if exif.startswith(b"Exif\x00\x00") else b"Exif\x00\x00" + exif)


def _xmp_segment(packet: bytes) -> bytes:
    """ISO 16684-3: one segment; we write no packet that would need more."""
    return _segment(0xE1, b"http://ns.adobe.com/xap/1.0/\x00" + packet) if packet else b""


def _iim_segment(block: bytes) -> bytes:
    return _segment(0xED, as_image_resource(block)) if block else b""


def _icc_segments(icc: bytes) -> bytes:
    """ICC.1 Annex B.4: the profile in numbered chunks."""
    size = 65519
    chunks = [icc[i : i + size] for i in range(0, len(icc), size)]
    out = b""
    for number, chunk in enumerate(chunks, 1):
        out += _segment(0xE2, b"ICC_PROFILE\x00" + bytes([number, len(chunks)]) + chunk)
    return out


def _segment(marker: int, content: bytes) -> bytes:
    """A JPEG's segment; none where the content is too long for one, as a maker's preview can make it."""
    length = len(content) + 2
    return b"" if length > 0xFFFF else struct.pack(">BBH", 0xFF, marker, length) + content


def _png(pixels: Pixels, how: Encoding) -> bytes:
    import zlib

    done, data = cv2.imencode(".png", np.ascontiguousarray(pixels[..., ::-1]), [cv2.IMWRITE_PNG_COMPRESSION, 3])
    if not done:
        raise FernError("The PNG could not be written.", "Try TIFF.")
    plain = data.tobytes()

    def chunk(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    extra = chunk(b"iCCP", b"profile\x00\x00" + zlib.compress(how.icc)) if how.icc else b""
    per_metre = round(how.ppi / 0.0254)
    extra += chunk(b"pHYs", struct.pack(">IIB", per_metre, per_metre, 1))
    if how.exif:
        extra += chunk(b"eXIf", how.exif.removeprefix(b"Exif\x00\x00"))
    if how.xmp:
        extra += chunk(b"iTXt", b"XML:com.adobe.xmp\x00\x00\x00\x00\x00" + how.xmp)
    after_header = 8 + 25
    return plain[:after_header] + extra + plain[after_header:]


def _tiff(pixels: Pixels, how: Encoding) -> bytes:
    out = io.BytesIO()
    block = loaded(how.exif)
    tags: list[tuple[int, str, int, object, bool]] = [
        (tag, "s", 0, as_read(block[tag]), True) for tag in _TEXTS if isinstance(block.get(tag), str)
    ]
    blocks = {tag: dict(block.get_ifd(tag)) for tag in (DETAIL, PLACE)}
    tags += [(tag, "B", len(data), data, True) for tag, data in ((700, how.xmp), (33723, how.iim)) if data]
    tifffile.imwrite(
        out,
        pixels,
        photometric="rgb",
        compression="deflate",
        predictor=True,
        rowsperstrip=256,
        iccprofile=how.icc or None,
        resolution=(how.ppi, how.ppi),
        resolutionunit="INCH",
        metadata=None,
        extratags=sorted(tags),
        software="Fern Ticket",
        byteorder="<",
    )
    return _with_directories(out.getvalue(), {tag: entries for tag, entries in blocks.items() if entries})


def _with_directories(file: bytes, more: dict[int, dict[int, Any]]) -> bytes:
    """A little-endian TIFF of one page with more directories (TIFF 6.0, section 2), by the tags that point at them."""
    if not more:
        return file
    out = bytearray(file)
    (first,) = struct.unpack_from("<I", out, 4)
    (count,) = struct.unpack_from("<H", out, first)
    tags = [bytes(out[first + 2 + 12 * i : first + 14 + 12 * i]) for i in range(count)]
    for tag, entries in more.items():
        out += b"\x00" * (len(out) % 2)  # directories begin on a word boundary
        tags.append(struct.pack("<HHII", tag, 4, 1, len(out)))
        directory = TiffImagePlugin.ImageFileDirectory_v2(b"II*\x00\x00\x00\x00\x00")
        directory.update(entries)
        out += directory.tobytes(len(out))
    out += b"\x00" * (len(out) % 2)
    struct.pack_into("<I", out, 4, len(out))
    tags.sort(key=lambda tag: struct.unpack_from("<H", tag)[0])
    return bytes(out + struct.pack("<H", len(tags)) + b"".join(tags) + b"\x00\x00\x00\x00")
