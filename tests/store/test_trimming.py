"""Prepared copies keep to their budget on disk, and come again when they are asked for."""

from __future__ import annotations

import os
import shutil
from types import SimpleNamespace

import numpy as np
import pytest

from fern_ticket.core.pictures.profiles import srgb_icc
from fern_ticket.core.pictures.regions import Box
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.prepared import Prepared
from fern_ticket.store.shelves import Shelves
from fern_ticket.store.trimming import held, little_left, trim
from tests import pictures

WHOLE = Box(0, 0, 320, 240)


@pytest.fixture
def three(tmp_path):
    """Three photos prepared, the first used longest ago, each with a patch on its shelf."""
    blobs = Blobs(tmp_path / "blobs")
    prepared, shelves = Prepared(tmp_path / "pyramids", blobs), Shelves(tmp_path / "patches")
    names = []
    for seed in range(3):
        name = blobs.add(pictures.file(pictures.noise(240, 320, seed), "PNG", icc_profile=srgb_icc()))
        prepared.prepare(name)
        shelves.of(name).put("key", b"x" * 5000)
        shelves.of(name).close()
        os.utime(tmp_path / "pyramids" / name / "pyramid.json", (1000 + seed, 1000 + seed))
        names.append(name)
    return tmp_path / "pyramids", tmp_path / "patches", prepared, names


def there(three):
    pyramids, patches, _, names = three
    return [(pyramids / name / "pyramid.json").exists() and any(patches.glob(f"{name}*")) for name in names]


def test_within_the_budget_nothing_goes(three):
    pyramids, patches, *_ = three
    assert trim(pyramids, patches, held(pyramids, patches), []) == 0
    assert there(three) == [True, True, True]


def test_what_was_used_least_goes_until_the_rest_fits_and_thumbnails_stay(three):
    pyramids, patches, prepared, names = three
    before = held(pyramids, patches)
    freed = trim(pyramids, patches, before - 1, [])
    assert there(three) == [False, True, True]
    assert held(pyramids, patches) == before - freed
    assert prepared.thumbnail(names[0]).read_bytes()[:2] == b"\xff\xd8"
    assert there(three) == [False, True, True]


def test_opening_counts_as_use_and_what_went_comes_again_as_it_was(three):
    pyramids, patches, prepared, names = three
    pixels = np.array(prepared.open(names[0]).read(0, WHOLE))
    trim(pyramids, patches, held(pyramids, patches) - 1, [])
    assert there(three) == [True, False, True]
    trim(pyramids, patches, 0, [])
    assert there(three) == [False, False, False]
    assert np.array_equal(prepared.open(names[0]).read(0, WHOLE), pixels)


def test_what_lies_on_a_bench_stays_and_what_is_open_is_read_on(three):
    pyramids, patches, prepared, names = three
    opened = prepared.open(names[1])
    pixels = np.array(opened.read(0, WHOLE))
    trim(pyramids, patches, 0, [names[2]])
    assert there(three) == [False, False, True]
    assert np.array_equal(opened.read(0, WHOLE), pixels)


def test_a_folder_that_is_not_there_or_half_written_holds_nothing(tmp_path):
    assert held(tmp_path / "none", tmp_path / "none") == 0
    (tmp_path / "pyramids" / "half").mkdir(parents=True)
    (tmp_path / "pyramids" / "half" / "level-0.tiles").write_bytes(b"x" * 100)
    assert trim(tmp_path / "pyramids", tmp_path / "patches", 0, []) == 0
    assert (tmp_path / "pyramids" / "half" / "level-0.tiles").exists()


def test_a_disk_that_fills_up_is_told_in_time(tmp_path, monkeypatch):
    for free, told in ((200, None), (50, None), (49, 49), (0, 0)):
        monkeypatch.setattr(shutil, "disk_usage", lambda _, free=free: SimpleNamespace(total=1000, free=free))
        assert little_left(tmp_path) == told
