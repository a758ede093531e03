"""Preparing large pictures in a process of their own."""

from __future__ import annotations

import numpy as np
import pytest

from fern_ticket.core.errors import PictureError
from fern_ticket.core.pictures import preparing
from fern_ticket.core.pictures.pyramid import TiledSource, level_box
from tests import pictures


@pytest.fixture(params=[False, True], ids=["here", "in a child"])
def where(request, monkeypatch):
    if request.param:
        monkeypatch.setattr(preparing, "_LARGE", 0)


@pytest.mark.usefixtures("where")
def test_a_picture_is_prepared_the_same_wherever_it_is_done(tmp_path):
    pixels = pictures.texture(700, 1100)
    picture = tmp_path / "a.png"
    picture.write_bytes(pictures.file(pixels, "PNG"))
    made = preparing.prepare(picture, tmp_path / "pyramid")
    assert (made.width, made.height) == (1100, 700)
    source = TiledSource(tmp_path / "pyramid")
    assert np.array_equal(source.read(0, level_box(source.size, 0)), pixels)


@pytest.mark.usefixtures("where")
def test_what_is_wrong_is_said_the_same_way(tmp_path):
    picture = tmp_path / "cut.jpg"
    whole = pictures.file(pictures.texture(600, 800), "JPEG")
    picture.write_bytes(whole[: len(whole) // 2])
    with pytest.raises(PictureError, match="cut short") as caught:
        preparing.prepare(picture, tmp_path / "pyramid")
    assert "Copy it again" in caught.value.hint
    assert not (tmp_path / "pyramid").exists()
