"""Pictures are prepared in a process of their own, whose memory is limited."""

from __future__ import annotations

import errno
import os
import signal

import numpy as np
import pytest

from fern_ticket.core.errors import PictureError
from fern_ticket.core.pictures import preparing
from fern_ticket.core.pictures.preparing import prepare
from fern_ticket.core.pictures.profiles import srgb_icc
from fern_ticket.core.pictures.pyramid import TiledSource
from fern_ticket.core.pictures.regions import Box
from tests import pictures

#: Enough for the libraries and a small picture.
LITTLE = 700 << 20


@pytest.fixture
def small(tmp_path):
    path = tmp_path / "small.png"
    path.write_bytes(pictures.file(pictures.noise(200, 300), "PNG", icc_profile=srgb_icc()))
    return path


def test_one_process_prepares_one_picture_after_the_other(tmp_path, small):
    assert prepare(small, tmp_path / "one").width == 300
    first = preparing._process(preparing.MEMORY)._running.pid
    assert prepare(small, tmp_path / "two").height == 200
    assert preparing._process(preparing.MEMORY)._running.pid == first
    assert np.array_equal(TiledSource(tmp_path / "two").read(0, Box(0, 0, 300, 200)), pictures.noise(200, 300))


def test_a_picture_that_takes_more_memory_than_allowed_is_refused_and_the_next_one_prepared(tmp_path, small):
    large = tmp_path / "large.png"
    large.write_bytes(pictures.file(np.zeros((15_000, 16_000, 3), np.uint8), "PNG", compress_level=1))
    with pytest.raises(PictureError, match="too large for this machine's memory"):
        prepare(large, tmp_path / "refused", LITTLE)
    assert not (tmp_path / "refused").exists()
    assert prepare(small, tmp_path / "next", LITTLE).width == 300


def test_a_picture_that_kills_its_reader_is_refused_and_the_next_one_prepared(tmp_path, small, monkeypatch):
    prepare(small, tmp_path / "first", LITTLE)
    running = preparing._process(LITTLE)._running
    os.kill(running.pid, signal.SIGSTOP)  # it has not answered yet
    monkeypatch.setattr(running.stdout, "readline", lambda: os.kill(running.pid, signal.SIGKILL) or "", raising=False)
    with pytest.raises(PictureError, match="too large"):
        prepare(small, tmp_path / "refused", LITTLE)
    assert prepare(small, tmp_path / "next", LITTLE).width == 300


def test_what_is_wrong_with_a_file_is_said_as_its_reader_says_it(tmp_path):
    picture = tmp_path / "cut.jpg"
    whole = pictures.file(pictures.texture(600, 800), "JPEG")
    picture.write_bytes(whole[: len(whole) // 2])
    with pytest.raises(PictureError, match="cut short") as caught:
        prepare(picture, tmp_path / "pyramid")
    assert "Copy it again" in caught.value.hint
    assert not (tmp_path / "pyramid").exists()


def test_after_a_large_picture_the_process_ends_and_the_next_one_gets_another(tmp_path, small, monkeypatch):
    monkeypatch.setattr(preparing, "_LARGE", 0)
    prepare(small, tmp_path / "one")
    assert preparing._process(preparing.MEMORY)._running is None
    assert prepare(small, tmp_path / "two").width == 300


@pytest.mark.parametrize("number", [errno.ENOSPC, errno.EROFS, errno.EACCES])
def test_a_disk_that_takes_nothing_is_said_and_is_no_fault_of_the_file(tmp_path, small, monkeypatch, number):
    def full(*_):
        raise OSError(number, os.strerror(number))

    monkeypatch.setattr(preparing, "write_pyramid", full)
    said = preparing._answer(small, tmp_path / "none")
    assert "data folder" in said["sentence"]
    assert "try again" in said["hint"]


def test_another_trouble_with_the_disk_is_not_taken_for_one_of_those(tmp_path, small, monkeypatch):
    def broken(*_):
        raise OSError(errno.EIO, "broken")

    monkeypatch.setattr(preparing, "write_pyramid", broken)
    with pytest.raises(OSError, match="broken"):
        preparing._answer(small, tmp_path / "none")
