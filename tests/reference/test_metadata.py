"""What we write is read back by exiftool, which did not write it: IPTC Photo Metadata Standard (as XMP), EXIF (CIPA
DC-008), Photo Sphere XMP Metadata. And what other programs write is read by us."""

from __future__ import annotations

import json
import subprocess
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.pictures.decode import decode, read_header
from fern_ticket.core.pictures.encode import Encoding, encode
from fern_ticket.core.pictures.iim import iim_block
from fern_ticket.core.pictures.metadata import (
    AS_TAKEN,
    EDITED,
    Metadata,
    Panorama,
    exif_saying,
    read_metadata,
    xmp_packet,
)
from fern_ticket.core.pictures.profiles import srgb_icc
from fern_ticket.core.slips.declaring import declared
from tests import pictures

SAID = Metadata(
    title="Mühle & <Wehr>",
    caption="The race, at dusk\nfrom the bridge",
    creator="M. Holt",
    credit="Race Mill",
    copyright="© Race Mill 2026",
    terms="Letting page only, until 2027",
    contact="office@race-mill.example",
    keywords=("mill", "wet stone", "ファン"),
)
#: What IPTC-IIM has a place for.
IN_IIM = replace(SAID, terms="", contact="")
ENDINGS = {"JPEG": ".jpg", "PNG": ".png", "TIFF": ".tif"}


def exiftool(file: Path, *options: str) -> dict[str, object]:
    told = subprocess.run(
        ["exiftool", "-json", "-n", "-struct", "-G1", *options, str(file)], check=True, capture_output=True
    )
    return json.loads(told.stdout)[0]


@pytest.mark.parametrize("kind", list(ENDINGS))
def test_exiftool_reads_a_part_of_a_sphere_its_pose_and_its_start(kind, tmp_path):
    """Each field of the Photo Sphere XMP Metadata that a delivery may carry."""
    sphere = Panorama((400, 200), (60, 20, 200, 100), 75.25, -3.5, 1.25, (-90.0, 12.0, 75.0))
    full = declared(SAID, [], sphere)
    file = tmp_path / f"p{ENDINGS[kind]}"
    pixels = np.full((100, 200, 3), 120, np.uint8)
    file.write_bytes(encode(pixels, Encoding(kind, 95, srgb_icc(), b"", xmp_packet(full), iim_block(full), 240)))
    told = {name.removeprefix("XMP-GPano:"): value for name, value in exiftool(file).items() if "GPano" in name}
    assert told == {
        "ProjectionType": "equirectangular",
        "FullPanoWidthPixels": 400,
        "FullPanoHeightPixels": 200,
        "CroppedAreaLeftPixels": 60,
        "CroppedAreaTopPixels": 20,
        "CroppedAreaImageWidthPixels": 200,
        "CroppedAreaImageHeightPixels": 100,
        "PoseHeadingDegrees": 75.25,
        "PosePitchDegrees": -3.5,
        "PoseRollDegrees": 1.25,
        # from north, as the document has it: 90 degrees to the left of the middle
        "InitialViewHeadingDegrees": 345,
        "InitialViewPitchDegrees": 12,
        "InitialHorizontalFOVDegrees": 75,
    }


@pytest.mark.parametrize("kind", list(ENDINGS))
def test_exiftool_reads_every_word_back(kind, tmp_path):
    full = declared(SAID, [Step(op="heal"), Step(op="heal"), Step(op="exposure")], Panorama.of((200, 100)))
    pixels = np.full((100, 200, 3), 120, np.uint8)
    exif = exif_saying(pictures.exif_with_place(), full, place=False)
    file = tmp_path / f"p{ENDINGS[kind]}"
    file.write_bytes(encode(pixels, Encoding(kind, 95, srgb_icc(), exif, xmp_packet(full), iim_block(full), 240)))
    told = exiftool(file)
    assert told["XMP-dc:Title"] == SAID.title
    assert told["XMP-dc:Description"] == SAID.caption
    assert told["XMP-dc:Subject"] == list(SAID.keywords)
    assert told["XMP-dc:Creator"] in (SAID.creator, [SAID.creator])
    assert told["XMP-dc:Rights"] == SAID.copyright
    assert told["XMP-photoshop:Credit"] == SAID.credit
    assert told["XMP-xmpRights:UsageTerms"] == SAID.terms
    assert told["XMP-iptcCore:CreatorContactInfo"] == {"CiEmailWork": SAID.contact}
    assert told["XMP-iptcExt:DigitalSourceType"] == EDITED
    assert [one["Parameters"] for one in told["XMP-xmpMM:History"]] == ["Heal, 2 places", "Exposure"]
    assert (told["XMP-GPano:ProjectionType"], told["XMP-GPano:FullPanoWidthPixels"]) == ("equirectangular", 200)
    assert told["ICC_Profile:ProfileDescription"].startswith("sRGB")
    assert not any("GPS" in name for name in told)
    assert told["IFD0:Artist"] == SAID.creator
    if kind != "PNG":  # it has no place for IIM
        assert told["IPTC:ObjectName"] == SAID.title
        assert told["IPTC:Caption-Abstract"] == SAID.caption
        assert told["IPTC:Keywords"] == list(SAID.keywords)
        assert told["IPTC:By-line"] == SAID.creator
        assert told["IPTC:Credit"] == SAID.credit
        assert told["IPTC:CopyrightNotice"] == SAID.copyright
        assert told["IPTC:CodedCharacterSet"] in ("UTF8", "\x1b%G")
    assert read_metadata(file.read_bytes()) == full


@pytest.mark.parametrize("kind", list(ENDINGS))
@pytest.mark.parametrize("depth", [np.uint8, np.uint16])
def test_the_cameras_words_and_place_are_kept_in_every_format(kind, depth, tmp_path):
    if (kind, depth) == ("JPEG", np.uint16):
        pytest.skip("JPEG has 8 bits")
    pixels = pictures.noise(90, 120).astype(depth)
    file = tmp_path / f"p{ENDINGS[kind]}"
    exif = exif_saying(pictures.exif_with_place(), SAID, place=True)
    file.write_bytes(encode(pixels, Encoding(kind, 100, srgb_icc(), exif)))
    told = exiftool(file)
    assert told["IFD0:Model"] == "Test camera"
    assert told["IFD0:Copyright"] == SAID.copyright
    assert (told["ExifIFD:ExifImageWidth"], told["ExifIFD:ExifImageHeight"]) == (120, 90)
    assert told["ExifIFD:DateTimeOriginal"] == "2026:10:06 16:40:02"
    assert (told["ExifIFD:LensModel"], told["ExifIFD:ExposureTime"]) == ("Test lens", 0.125)
    assert (told["GPS:GPSLatitude"], told["GPS:GPSLongitudeRef"]) == (52.5, "E")
    warnings = exiftool(file, "-validate", "-warning")
    assert not any("rror" in str(value) for name, value in warnings.items() if "Warning" in name or "Error" in name)
    if kind != "JPEG":
        assert np.array_equal(decode(file.read_bytes()).pixels, pixels)


@pytest.mark.parametrize("kind", ["JPEG", "TIFF"])
def test_what_is_said_in_the_older_form_alone_is_read_back(kind):
    data = encode(np.zeros((32, 32, 3), np.uint8), Encoding(kind, iim=iim_block(SAID)))
    assert read_metadata(data) == IN_IIM


def test_older_files_texts_that_are_no_utf_8_are_read_as_latin_1():
    block = Image.Exif()
    block[0x8298] = "© Mühle".encode("latin-1")
    data = encode(np.zeros((32, 32, 3), np.uint8), Encoding("JPEG", exif=block.tobytes()))
    assert read_metadata(data).copyright == "© Mühle"


def test_texts_too_long_for_the_older_form_are_cut_between_characters(tmp_path):
    file = tmp_path / "p.jpg"
    long = Metadata(title="ü" * 50, keywords=("k" * 80,))
    file.write_bytes(encode(np.zeros((32, 32, 3), np.uint8), Encoding("JPEG", iim=iim_block(long))))
    told = exiftool(file)
    assert told["IPTC:ObjectName"] == "ü" * 32
    assert told["IPTC:Keywords"] == "k" * 64
    assert iim_block(Metadata(alterations=("Heal",))) == b""


@pytest.mark.parametrize("shorthand", ["", "Shorthand"])
@pytest.mark.parametrize("place", [True, False])
def test_what_else_an_original_says_of_the_photo_is_kept(place, shorthand, tmp_path):
    """Contact, terms and rating, as exiftool writes them in both forms of XMP; not what was said of the old file."""
    original = tmp_path / "o.jpg"
    original.write_bytes(pictures.file(np.full((64, 64, 3), 90, np.uint8)))
    says = ["XMP-iptcCore:CreatorWorkEmail=holt@mill.example", "XMP-iptcExt:PersonInImage=Ida", "XMP-xmp:Rating=4"]
    says += ["XMP-xmpRights:UsageTerms=One year", "XMP-photoshop:Headline=Dusk", "XMP-plus:ImageSupplierName=RM"]
    says += ["XMP-photoshop:City=Race", "XMP-iptcCore:Location=Weir", "XMP-dc:Title=Old", "XMP-tiff:ImageWidth=64"]
    form = ["-api", f"Compact={shorthand}"] if shorthand else []
    subprocess.run(
        ["exiftool", "-q", "-overwrite_original", *form, *(f"-{one}" for one in says), str(original)], check=True
    )
    packet = read_header(original.read_bytes()).xmp
    file = tmp_path / "p.jpg"
    said = Metadata(title="New")
    file.write_bytes(
        encode(np.zeros((32, 32, 3), np.uint8), Encoding("JPEG", xmp=xmp_packet(said, packet, place=place)))
    )
    told = exiftool(file)
    assert told["XMP-dc:Title"] == "New"
    assert told["XMP-iptcCore:CreatorContactInfo"] == {"CiEmailWork": "holt@mill.example"}
    assert told["XMP-iptcExt:PersonInImage"] in ("Ida", ["Ida"])
    assert told["XMP-xmp:Rating"] == 4
    assert told["XMP-xmpRights:UsageTerms"] == "One year"
    assert told["XMP-photoshop:Headline"] == "Dusk"
    assert told["XMP-plus:ImageSupplier"] == [{"ImageSupplierName": "RM"}]
    assert ("XMP-photoshop:City" in told, "XMP-iptcCore:Location" in told) == (place, place)
    assert "XMP-tiff:ImageWidth" not in told
    assert read_metadata(file.read_bytes()).located == place


def test_an_originals_words_that_would_not_fit_are_left_out():
    packet = xmp_packet(Metadata(caption="x" * 59_000))
    assert read_metadata(encode(np.zeros((32, 32, 3), np.uint8), Encoding("JPEG", xmp=packet))).caption
    both = xmp_packet(Metadata(title="y" * 3_000), packet)
    found = read_metadata(encode(np.zeros((32, 32, 3), np.uint8), Encoding("JPEG", xmp=both)))
    assert (len(found.title), found.caption) == (3_000, "")


def test_nothing_said_writes_nothing_and_untouched_photos_are_as_taken():
    assert xmp_packet(Metadata()) == b""
    assert exif_saying(b"", Metadata(), place=True) == b""
    assert declared(Metadata(), [], None).source_type == AS_TAKEN
    sky = Step(op="piece", params={"picture": "sky:fair-day", "title": "sky"})
    other = Step(op="piece", params={"picture": "other", "title": "barn"})
    own = Step(op="piece", params={"picture": ""})
    assert declared(Metadata(), [own], None).source_type == EDITED
    assert declared(Metadata(), [other], None).source_type.endswith("/compositeCapture")
    assert declared(Metadata(), [other, sky], None).source_type.endswith("/compositeSynthetic")
    assert declared(Metadata(), [other, sky], None).alterations == ("Piece: barn", "Piece: sky")


def test_the_place_stays_unless_it_is_to_go():
    said = Metadata()
    kept = encode(
        np.zeros((32, 32, 3), np.uint8),
        Encoding("JPEG", exif=exif_saying(pictures.exif_with_place(), said, place=True)),
    )
    assert read_metadata(kept).located
    gone = encode(
        np.zeros((32, 32, 3), np.uint8),
        Encoding("JPEG", exif=exif_saying(pictures.exif_with_place(), said, place=False)),
    )
    assert not read_metadata(gone).located
    assert b"Test camera" in read_header(gone).exif


def test_what_exiftool_wrote_as_iptc_iim_is_read(tmp_path):
    file = tmp_path / "p.jpg"
    file.write_bytes(pictures.file(np.full((64, 64, 3), 90, np.uint8)))
    says = ["IPTC:ObjectName=Mill", "IPTC:Caption-Abstract=Dusk", "IPTC:Keywords=mill", "IPTC:Keywords=race"]
    says += ["IPTC:By-line=M. Holt", "IPTC:Credit=Race Mill", "IPTC:CopyrightNotice=RM", "XMP-iptcCore:Location=Race"]
    subprocess.run(["exiftool", "-q", "-overwrite_original", *(f"-{one}" for one in says), str(file)], check=True)
    found = read_metadata(file.read_bytes())
    assert found == Metadata("Mill", "Dusk", "M. Holt", "Race Mill", "RM", ("mill", "race"), located=True)


@pytest.mark.parametrize(
    "packet",
    [
        b"<x:xmpmeta",
        b"<x:xmpmeta xmlns:x='adobe:ns:meta/'><broken></x:xmpmeta>",
        b"<!DOCTYPE a [<!ENTITY b 'bbbb'>]><x:xmpmeta xmlns:x='adobe:ns:meta/'>&b;</x:xmpmeta>",
    ],
)
def test_a_damaged_packet_counts_as_silence(packet):
    data = encode(np.zeros((32, 32, 3), np.uint8), Encoding("JPEG", xmp=packet))
    assert read_metadata(data) == Metadata()
    assert read_metadata(b"no picture") == Metadata()


def test_characters_without_a_place_in_xml_are_left_out():
    packet = xmp_packet(Metadata(title="a\x00b\x0bc\ud800d"))
    data = encode(np.zeros((32, 32, 3), np.uint8), Encoding("PNG", xmp=packet))
    assert read_metadata(data).title == "abcd"


@pytest.mark.parametrize(
    ("contact", "part"),
    [
        ("office@race-mill.example", "CiEmailWork"),
        ("https://race-mill.example/office", "CiUrlWork"),
        ("Race Mill, Mill Lane 3, Reedham", "CiAdrExtadr"),
    ],
)
def test_a_contact_goes_where_the_iptc_has_a_place_for_it_and_is_read_again(contact, part, tmp_path):
    """IPTC Photo Metadata Standard, Creator's Contact Info."""
    file = tmp_path / "p.jpg"
    packet = xmp_packet(Metadata(contact=contact))
    file.write_bytes(encode(np.full((20, 30, 3), 120, np.uint8), Encoding("JPEG", 95, xmp=packet)))
    assert exiftool(file)["XMP-iptcCore:CreatorContactInfo"] == {part: contact}
    assert read_metadata(file.read_bytes()).contact == contact
