"""Bracketed series and panoramas are recognised by what files say of themselves."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image
from PIL.TiffImagePlugin import IFDRational

from fern_ticket.core.inspect.series import Taken, _stops, panorama_of, series, taken
from fern_ticket.core.pictures.encode import Encoding, encode
from fern_ticket.core.pictures.metadata import Metadata, Panorama, xmp_packet


def shot(at=0.0, exposure=0.0, model="M", size=(600, 400)):
    return Taken(at, exposure, model, *size)


def photo(when="2026:10:01 15:20:45", time=(1, 25), aperture=8.0, iso=400, bias=None):
    exif = Image.Exif()
    exif[0x0110] = "M"
    detail = exif.get_ifd(0x8769)
    if when:
        detail[0x9003] = when
    if time:
        detail[0x829A], detail[0x829D], detail[0x8827] = IFDRational(*time), aperture, iso
    if bias is not None:
        detail[0x9204] = bias
    out = io.BytesIO()
    Image.new("RGB", (60, 40)).save(out, "JPEG", exif=exif)
    return out.getvalue()


def test_what_follows_a_nul_in_a_text_is_no_part_of_it():
    said = Image.Exif()
    said[0x0110], said[0x010F] = "N9\0\0", "Maker\0 2"
    detail = said.get_ifd(0x8769)
    detail[0x9003], detail[0x9291], detail[0x829A] = "2026:10:01 15:20:45\0\0", "25\0\0", IFDRational(1, 25)
    out = io.BytesIO()
    Image.new("RGB", (60, 40)).save(out, "JPEG", exif=said)
    found, plain = taken(out.getvalue()), taken(photo())
    assert found.model == "N9"
    assert found.at == plain.at + 0.25


@pytest.mark.parametrize(
    ("time", "aperture", "iso"),
    [
        ((0, 0), 8.0, 400),
        ((0, 1), 8.0, 400),
        ((1, 25), 0.0, ()),
        ((1, 25), IFDRational(0, 0), 400),
        ((-1, 25), 8.0, 400),
    ],
)
def test_light_that_is_no_number_is_not_told(time, aperture, iso):
    odd = {0x829A: IFDRational(*time), 0x829D: aperture, 0x8827: iso}
    assert _stops(odd) is None
    assert _stops(odd | {0x9204: -1.0}) == -1
    assert _stops(odd | {0x9204: IFDRational(0, 0)}) is None


def test_light_is_counted_in_stops_from_time_aperture_and_sensitivity():
    base, longer, wider = taken(photo()), taken(photo(time=(4, 25))), taken(photo(aperture=4.0))
    assert longer.exposure - base.exposure == pytest.approx(2)
    # twice the diameter lets in four times the light
    assert wider.exposure - base.exposure == pytest.approx(2)
    assert taken(photo(time=None, bias=-1.5)).exposure == pytest.approx(-1.5)
    silent = taken(photo(when=None, time=None))
    assert (silent.at, silent.exposure) == (None, None)
    assert taken(b"no picture") is None
    assert taken(photo(when="yesterday")).at is None


def test_frames_of_one_moment_and_different_light_are_a_series_from_dark_to_light():
    photos = [("mid", shot(0)), ("over", shot(2, 2)), ("under", shot(1, -2)), ("later", shot(60, 1))]
    assert series(photos) == [["under", "mid", "over"]]


@pytest.mark.parametrize(
    "photos",
    [
        [("a", shot(0)), ("b", shot(1)), ("c", shot(2))],  # one exposure: a burst
        [("a", shot(0)), ("b", shot(1, 0.6))],  # two, less than a stop apart
        [("a", shot(0)), ("b", shot(9, 2)), ("c", shot(20, -2))],  # too far apart
        [("a", shot(0)), ("b", shot(1, 2, "N"))],  # another camera
        [("a", shot(0)), ("b", shot(1, 2, size=(400, 600)))],  # turned
        [("a", shot(None)), ("b", shot(1, None))],
    ],
)
def test_what_is_no_series_is_not_taken_for_one(photos):
    assert series(photos) == []


def test_two_series_after_each_other_stay_two():
    photos = [(f"{n}{m}", shot(3 * n + m, 2 * (m - 1))) for n in range(2) for m in range(3)]
    assert series(photos) == [["00", "01", "02"], ["10", "11", "12"]]


def test_what_of_a_sphere_a_picture_shows_is_told_in_its_own_pixels():
    part = Panorama((8000, 4000), (1000, 500, 4000, 2000))
    assert part.sphere_of((4000, 2000)) == (8000, 4000, 1000, 500)
    assert part.sphere_of((2000, 1000)) == (4000, 2000, 500, 250)
    assert part.sphere_of((2000, 2000)) is None
    assert Panorama((8000, 4000), (6000, 0, 4000, 4000)).sphere_of((4000, 4000)) is None
    assert Panorama((8000, 5000), (0, 0, 8000, 5000)).sphere_of((8000, 5000)) is None


def test_panoramas_by_metadata_or_by_size():
    pixels = np.zeros((32, 64, 3), np.uint8)
    said = encode(pixels, Encoding("JPEG", xmp=xmp_packet(Metadata(panorama=Panorama.of((64, 32))))))
    assert panorama_of(said, 64, 32) == "its metadata says so"
    plain = encode(pixels, Encoding("JPEG"))
    assert panorama_of(plain, 64, 32) is None
    assert panorama_of(plain, 8192, 4096) == "it is 2:1"
    assert panorama_of(plain, 8192, 4000) is None
