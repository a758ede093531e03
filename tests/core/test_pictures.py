"""Files in and out: what is read is what was written, and what is broken is refused in words."""

from __future__ import annotations

import io
import struct
import zlib

import cv2
import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms, PngImagePlugin

from fern_ticket.core.errors import FernError, PictureError
from fern_ticket.core.inspect.files import read_linear
from fern_ticket.core.pictures.decode import decode, decode_file, read_header
from fern_ticket.core.pictures.encode import Encoding, encode, format_of
from fern_ticket.core.pictures.profiles import matrix_icc, read_profile, srgb_icc
from tests import pictures


def tiff(pixels, **how):
    """A file as tifffile writes it."""
    out = io.BytesIO()
    tifffile.imwrite(out, pixels, **how)
    return out.getvalue()


@pytest.mark.parametrize("depth", [np.uint8, np.uint16])
@pytest.mark.parametrize("kind", ["PNG", "TIFF"])
def test_lossless_formats_give_back_every_value(kind, depth):
    pixels = pictures.noise(37, 53, depth=depth)
    decoded = decode(encode(pixels, Encoding(kind, icc=srgb_icc())))
    assert decoded.pixels.dtype == depth
    assert np.array_equal(decoded.pixels, pixels)
    assert decoded.space.is_srgb
    assert decoded.format == kind


def test_a_jpeg_of_quality_100_is_within_rounding():
    pixels = pictures.ramp(120, 160)
    decoded = decode(encode(pixels, Encoding("JPEG", 100, icc=srgb_icc())))
    assert np.abs(decoded.pixels.astype(int) - pixels).max() <= 3


def test_files_carry_profile_and_density_that_another_reader_finds():
    for kind in ("JPEG", "PNG", "TIFF"):
        data = encode(pictures.ramp(40, 50), Encoding(kind, 95, icc=srgb_icc(), ppi=300))
        image = Image.open(io.BytesIO(data))
        image.load()
        assert image.info["icc_profile"] == srgb_icc()
        assert image.info["dpi"][0] == pytest.approx(300, abs=0.1)


def test_long_profiles_are_split_into_numbered_chunks():
    icc = srgb_icc() + bytes(150_000)
    data = encode(pictures.ramp(20, 20), Encoding("JPEG", 90, icc=icc))
    assert Image.open(io.BytesIO(data)).info["icc_profile"] == icc


def test_exif_is_kept_and_says_upright():
    exif = Image.Exif()
    exif[0x0110], exif[0x0112] = "Orrery M3", 6
    data = pictures.file(pictures.ramp(40, 60), "JPEG", exif=exif)
    decoded = decode(data)
    assert decoded.pixels.shape == (60, 40, 3)
    for kind in ("JPEG", "PNG"):
        again = Image.open(io.BytesIO(encode(decoded.pixels, Encoding(kind, exif=decoded.exif))))
        assert again.getexif()[0x0110] == "Orrery M3"
        assert again.getexif()[0x0112] == 1


@pytest.mark.parametrize("orientation", range(1, 9))
def test_orientation_is_applied_as_pillow_does(orientation):
    from PIL import ImageOps

    exif = Image.Exif()
    exif[0x0112] = orientation
    data = pictures.file(pictures.noise(24, 36), "PNG", exif=exif)
    expected = np.asarray(ImageOps.exif_transpose(Image.open(io.BytesIO(data))))
    assert np.array_equal(decode(data).pixels, expected)


def test_grey_palette_and_transparent_pictures_become_rgb():
    grey16 = np.arange(40 * 50, dtype=np.uint16).reshape(40, 50) * 30
    done, data = cv2.imencode(".png", grey16)
    assert done
    decoded = decode(data.tobytes())
    assert decoded.pixels.dtype == np.uint16
    assert np.array_equal(decoded.pixels[..., 1], grey16)

    assert np.array_equal(decode(tiff(grey16, photometric="minisblack")).pixels[..., 0], grey16)

    clear = np.zeros((30, 30, 4), np.uint8)
    clear[:15] = (10, 200, 30, 255)
    out = io.BytesIO()
    Image.fromarray(clear).save(out, "PNG")
    pixels = decode(out.getvalue()).pixels
    assert (pixels[:15] == (10, 200, 30)).all()
    assert (pixels[15:] == 255).all()

    out = io.BytesIO()
    Image.fromarray(pictures.ramp(30, 30)).quantize(16).save(out, "PNG")
    assert decode(out.getvalue()).pixels.shape == (30, 30, 3)


@pytest.mark.parametrize("compression", ["raw", "tiff_lzw", "tiff_adobe_deflate", "packbits", "jpeg"])
def test_tiffs_of_every_usual_compression_are_read(compression):
    """Written by Pillow's libtiff; only JPEG inside a TIFF may round."""
    pixels = pictures.ramp(60, 90)
    decoded = decode(pictures.file(pixels, "TIFF", compression=compression))
    assert np.abs(decoded.pixels.astype(int) - pixels).max() <= (6 if compression == "jpeg" else 0)


@pytest.mark.parametrize("compression", [cv2.IMWRITE_TIFF_COMPRESSION_NONE, cv2.IMWRITE_TIFF_COMPRESSION_LZW])
def test_deep_tiffs_are_read_compressed_too(compression):
    """Written by OpenCV, 16 bits a channel."""
    pixels = pictures.noise(40, 60, depth=np.uint16)
    done, data = cv2.imencode(".tif", pixels[..., ::-1], [cv2.IMWRITE_TIFF_COMPRESSION, compression])
    assert done
    assert np.array_equal(decode(data.tobytes()).pixels, pixels)


@pytest.mark.parametrize("packing", [None, "lzw", "zlib", "packbits", "zstd", "lzma"])
@pytest.mark.parametrize("order", ["contig", "separate"])
def test_deep_tiffs_are_read_however_their_channels_lie(packing, order):
    """TIFF 6.0, PlanarConfiguration; written by tifffile."""
    pixels = pictures.texture(40, 60, 4).astype(np.uint16) * 257
    stored = np.moveaxis(pixels, -1, 0) if order == "separate" else pixels
    data = tiff(stored, photometric="rgb", planarconfig=order, compression=packing, rowsperstrip=16)
    assert np.array_equal(decode(data).pixels, pixels)


def test_twelve_bits_of_a_scanner_reach_from_black_to_white():
    grey = np.linspace(0, 4095, 40 * 60).reshape(40, 60).astype(np.uint16)
    found = decode(tiff(grey, photometric="minisblack", bitspersample=12)).pixels
    assert (found[0, 0] == 0).all()
    assert (found[-1, -1] == 65535).all()
    assert np.allclose(found[..., 0] / 65535, grey / 4095, atol=1e-5)


@pytest.mark.parametrize(
    ("kind", "packing", "says"), [("f4", None, "float32"), ("i2", None, "int16"), ("u2", "jpegxl", "JPEGXL")]
)
def test_a_tiff_that_no_reader_takes_is_not_called_damaged(kind, packing, says):
    data = tiff(np.ones((40, 60, 3), kind), photometric="rgb", compression=packing)
    with pytest.raises(PictureError, match=says):
        decode(data)


def test_an_orientation_that_is_spelled_out_in_a_png_counts():
    """As older programs wrote EXIF into a text of its own: its name, its length and hexadecimal digits."""
    exif = Image.Exif()
    exif[0x0112] = 6
    block = exif.tobytes()
    text = PngImagePlugin.PngInfo()
    text.add_text("Raw profile type exif", f"\nexif\n{len(block):8}\n{block.hex()}\n", zip=True)
    out = io.BytesIO()
    Image.fromarray(pictures.texture(40, 60, 5)).save(out, "PNG", pnginfo=text)
    assert decode(out.getvalue()).pixels.shape == (60, 40, 3)


def test_one_bit_tiffs_are_black_and_white():
    lab = pictures.file(pictures.ramp(40, 40), "TIFF")
    out = io.BytesIO()
    Image.open(io.BytesIO(lab)).convert("L").point(lambda v: 255 * (v > 100)).convert("1").save(out, "TIFF")
    assert set(np.unique(decode(out.getvalue()).pixels)) == {0, 255}


def test_cmyk_is_converted_and_says_so():
    image = Image.new("CMYK", (40, 30), (255, 0, 0, 0))
    out = io.BytesIO()
    image.save(out, "JPEG")
    decoded = decode(out.getvalue())
    red, green, blue = decoded.pixels[15, 20]
    assert red < 60 < green
    assert blue > 150
    assert "CMYK" in decoded.notes[0]


def png_header(width: int, height: int) -> bytes:
    def chunk(kind, body):
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    ihdr = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + ihdr + chunk(b"IDAT", zlib.compress(b"\0" * 100)) + chunk(b"IEND", b"")


JPEG = pictures.file(pictures.noise(200, 300), "JPEG", quality=90)


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "not a picture"),
        (b"dear diary" * 50, "not a picture"),
        (JPEG[: len(JPEG) // 2], "cut short"),
        (JPEG[:300] + bytes(200) + JPEG[700:], "damaged"),
        (pictures.file(np.zeros((1, 1, 3), np.uint8), "PNG"), "only 1 × 1"),
        (png_header(60000, 60000), "60000 × 60000"),
        (png_header(20000, 20000), "20000 × 20000"),
        (png_header(400, 400), "damaged"),
        (pictures.file(pictures.ramp(40, 40), "GIF"), "GIF files are not read"),
        (pictures.file(pictures.ramp(40, 40), "BMP"), "BMP files are not read"),
    ],
    ids=["empty", "text", "truncated", "holed", "1x1", "huge", "400MP", "short png", "gif", "bmp"],
)
def test_bad_files_are_refused_with_what_to_do(data, said):
    with pytest.raises(PictureError, match=said) as refused:
        decode(data)
    assert refused.value.hint


def test_a_damaged_profile_is_refused():
    with pytest.raises(PictureError, match="profile"):
        decode(pictures.file(pictures.ramp(40, 40), "PNG", icc_profile=b"not a profile" * 30))


def test_unreadable_files_and_endings_are_named(tmp_path):
    with pytest.raises(PictureError, match=r"none\.jpg"):
        decode_file(tmp_path / "none.jpg")
    with pytest.raises(FernError, match=r"\.gif"):
        format_of(tmp_path / "x.gif")
    assert format_of(tmp_path / "x.TIFF") == "TIFF"


def test_a_header_alone_is_read_without_decoding():
    header = read_header(JPEG[:1500])
    assert (header.width, header.height, header.format) == (300, 200, "JPEG")


def test_a_grey_profile_is_not_taken_for_a_colour_one():
    grey = pictures.file(pictures.ramp(40, 40)[..., 0], "PNG", icc_profile=srgb_icc())
    assert "grey profile" in decode(grey).notes[0]


def test_a_profile_for_other_colours_is_refused():
    """A LAB profile on RGB pixels."""
    lab = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()
    with pytest.raises(PictureError, match="not made for it"):
        decode(pictures.file(pictures.ramp(40, 40), "PNG", icc_profile=lab))


def test_lab_pictures_become_rgb():
    out = io.BytesIO()
    lab = ImageCms.profileToProfile(
        Image.fromarray(pictures.ramp(40, 40)),
        ImageCms.createProfile("sRGB"),
        ImageCms.createProfile("LAB"),
        outputMode="LAB",
    )
    assert lab is not None
    lab.save(out, "TIFF")
    back = decode(out.getvalue()).pixels.astype(int)
    assert np.abs(back - pictures.ramp(40, 40)).max() <= 8  # LAB of 8 bits is that coarse


# ------------------------------------------------------------------------------------ colours stated without a profile


def test_a_pngs_gamma_counts_and_that_of_srgb_changes_nothing():
    """PNG specification, third edition, 11.3.2: the sample to the power of 1 / gAMA is light."""
    for grey in (np.full((16, 16), 128, np.uint8), np.full((16, 16, 3), 128, np.uint8)):
        linear = decode(pictures.png_saying(grey, (b"gAMA", struct.pack(">I", 100_000))))
        assert read_linear(linear)[0, 0] == pytest.approx(128 / 255, abs=2e-3)
        assert decode(pictures.png_saying(grey, (b"gAMA", struct.pack(">I", 45_455)))).space.is_srgb
        above = decode(pictures.png_saying(grey, (b"gAMA", struct.pack(">I", 100_000)), (b"sRGB", b"\0")))
        assert above.space.is_srgb


def test_numbers_that_no_colours_have_say_nothing():
    pixels = np.full((16, 16, 3), 90, np.uint8)
    for chunk in ((b"cHRM", bytes(32)), (b"gAMA", bytes(4)), (b"gAMA", struct.pack(">I", 1))):
        assert decode(pictures.png_saying(pixels, chunk)).pixels[0, 0, 0] == 90


def test_exifs_optional_colours_count():
    exif = Image.Exif()
    exif.get_ifd(0x8769).update({0xA001: 0xFFFF, 0xA005: {1: "R03"}})
    out = io.BytesIO()
    Image.fromarray(np.full((16, 16, 3), (60, 200, 60), np.uint8)).save(out, "JPEG", quality=100, exif=exif.tobytes())
    space = decode(out.getvalue()).space
    assert (space.name, space.is_srgb) == ("optional RGB (EXIF R03)", False)


@pytest.mark.parametrize("depth", [np.uint8, np.uint16])
def test_a_grey_profiles_curve_counts_at_every_depth(depth):
    icc = bytearray(matrix_icc("Grey 1.0", np.eye(3), 1.0))
    icc[16:20] = b"GRAY"
    grey = np.full((16, 16), np.iinfo(depth).max // 2, depth)
    found = decode(tiff(grey, photometric="minisblack", iccprofile=bytes(icc).replace(b"rTRC", b"kTRC")))
    assert read_linear(found)[0, 0] == pytest.approx(0.5, abs=3e-3)
    assert read_profile(found.space.icc).means_the_same(found.space)


@pytest.mark.parametrize("packing", [None, "lzw"])
def test_alpha_that_is_in_the_colours_already_counts_once(packing):
    """Half covered mid-grey on white: TIFF 6.0, ExtraSamples 1 is premultiplied, 2 is not."""
    for kind, value in (("assocalpha", 0.25), ("unassalpha", 0.5)):
        pixels = np.full((16, 16, 4), round(65535 * value), np.uint16)
        pixels[..., 3] = 32768
        data = tiff(pixels, photometric="rgb", extrasamples=[kind], compression=packing)
        assert decode(data).pixels[0, 0, 0] == pytest.approx(0.75 * 65535, abs=40)


@pytest.mark.parametrize("kind", ["JPEG", "PNG", "TIFF"])
def test_a_written_files_exif_agrees_with_what_it_is(kind):
    """CIPA DC-008: size, density, colour space and interoperability of the file, not of the one that it came from."""
    camera = Image.Exif()
    camera.update({0x010F: "Maker", 0x0100: 6000, 0x0101: 4000, 0x011A: 72.0, 0x011B: 72.0, 0x0128: 3})
    camera.get_ifd(0x8769).update({0xA001: 0xFFFF, 0xA002: 6000, 0xA003: 4000, 0xA005: {1: "R03"}})
    for icc, space in ((srgb_icc(), 1), (matrix_icc("Wide", np.eye(3), 2.2), 0xFFFF)):
        data = encode(pictures.ramp(40, 60), Encoding(kind, exif=camera.tobytes(), icc=icc, ppi=240))
        said = Image.open(io.BytesIO(data)).getexif()
        detail = said.get_ifd(0x8769)
        assert [said.get(tag) for tag in (0x010F, 0x0100, 0x0101, 0x011A, 0x011B, 0x0128)] == [
            "Maker",
            60,
            40,
            240,
            240,
            2,
        ]
        assert [detail[tag] for tag in (0xA001, 0xA002, 0xA003)] == [space, 60, 40]
        if kind != "TIFF":
            assert said.get_ifd(0xA005).get(1) == ("R98" if space == 1 else None)
