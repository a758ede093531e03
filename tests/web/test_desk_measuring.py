"""The desk measures in its own way: every rule of it, on files made by Pillow."""

from __future__ import annotations

import numpy as np
import pytest
from fastapi import HTTPException

from fern_ticket.core.pictures.profiles import srgb_icc
from fern_ticket.desks.measuring import DESKS, reasons_against
from fern_ticket.desks.router import _take
from tests import pictures

HOMES = DESKS["valley-homes"]

GOOD = np.full((1920, 2400, 3), (120, 130, 140), np.uint8)


def made(pixels=GOOD, kind="JPEG", **options):
    options.setdefault("quality", 100)
    options.setdefault("icc_profile", srgb_icc())
    return pictures.file(pixels, kind, **options)


def blown(share):
    pixels = GOOD.copy()
    pixels[: round(1920 * share)] = 255
    return pixels


def test_a_file_to_measure_is_taken():
    assert reasons_against(made(), HOMES) == []
    assert reasons_against(made(np.swapaxes(GOOD, 0, 1).copy()), HOMES) == []


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"no picture", "does not open"),
        (made()[:5000], "does not open"),
        (made(GOOD[:1800]), "ratio"),
        (made(GOOD[:1600, :2000]), "long side is 2000"),
        (made(kind="PNG"), "we take JPEG"),
        (made(quality=80), "compressed"),
        (made(icc_profile=None), "no colour profile"),
        (made(blown(0.02)), "blown out"),
    ],
    ids=["text", "cut short", "ratio", "long side", "format", "quality", "profile", "blown"],
)
def test_each_fault_is_returned_with_its_reason(data, said):
    assert any(said in reason for reason in reasons_against(data, HOMES))


def test_a_little_white_is_taken():
    assert reasons_against(made(blown(0.009)), HOMES) == []


def test_the_same_file_twice_is_one_delivery_and_another_under_its_key_is_refused(tmp_path):
    first = _take(tmp_path, HOMES, "key", "FT-1", "a.jpg", b"pixels")
    assert _take(tmp_path, HOMES, "key", "FT-1", "a.jpg", b"pixels") == first
    with pytest.raises(HTTPException, match="Another file") as refused:
        _take(tmp_path, HOMES, "key", "FT-1", "a.jpg", b"other pixels")
    assert refused.value.status_code == 422
    assert [path.read_bytes() for path in tmp_path.glob("*.bin")] == [b"pixels"]
    assert _take(tmp_path, HOMES, "another", "FT-1", "a.jpg", b"other pixels") != first
