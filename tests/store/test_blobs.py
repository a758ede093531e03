"""Files by their content, on one machine and in a store that several machines reach."""

from __future__ import annotations

import errno
import os
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from fern_ticket.core.errors import FernError
from fern_ticket.core.pictures.profiles import srgb_icc
from fern_ticket.core.pictures.regions import Box
from fern_ticket.settings import Settings
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.prepared import Prepared
from tests import pictures
from tests.far_stores import S3_SECRET, S3_USER, s3_client, s3_store


@pytest.fixture(scope="module")
def endpoint() -> Iterator[str]:
    with s3_store("fern") as address:
        yield address


def machine(folder: Path, endpoint: str) -> Blobs:
    """A machine with a folder of its own, told of the store as the environment tells it."""
    options = {"endpoint_url": endpoint, "key": S3_USER, "secret": S3_SECRET}
    settings = Settings(data=folder, blob_store="s3://fern/blobs", blob_options=options)
    return Blobs(settings.blobs, settings.blob_store, settings.blob_options)


def keys(endpoint: str) -> set[str]:
    client = s3_client(endpoint)
    return {found["Key"] for found in client.list_objects_v2(Bucket="fern").get("Contents", [])}


def test_what_one_machine_stores_another_reads_and_keeps(tmp_path, endpoint):
    here, there = machine(tmp_path / "here", endpoint), machine(tmp_path / "there", endpoint)
    name = here.add(b"light on reeds")
    assert f"blobs/{name[:2]}/{name}" in keys(endpoint)
    assert there.read(name) == b"light on reeds"
    kept = tmp_path / "there" / "blobs" / name[:2] / name
    assert kept.read_bytes() == b"light on reeds"
    assert oct(kept.stat().st_mode)[-3:] == "444"


def test_a_file_goes_to_the_shared_store_even_when_this_machine_has_it_already(tmp_path, endpoint):
    name = Blobs(tmp_path / "blobs").add(b"kept before there was a store")
    assert f"blobs/{name[:2]}/{name}" not in keys(endpoint)
    assert machine(tmp_path, endpoint).add(b"kept before there was a store") == name
    assert f"blobs/{name[:2]}/{name}" in keys(endpoint)


def test_a_worker_elsewhere_prepares_a_photo_from_the_shared_store(tmp_path, endpoint):
    pixels = pictures.noise(300, 400)
    name = machine(tmp_path / "server", endpoint).add(pictures.file(pixels, "PNG", icc_profile=srgb_icc()))
    prepared = Prepared(tmp_path / "worker" / "pyramids", machine(tmp_path / "worker", endpoint))
    assert np.array_equal(prepared.open(name).read(0, Box(0, 0, 400, 300)), pixels)


def test_what_is_missing_or_damaged_in_the_store_is_said_and_never_kept(tmp_path, endpoint):
    here = machine(tmp_path / "here", endpoint)
    with pytest.raises(FernError, match="missing"):
        here.read("0" * 64)
    name = machine(tmp_path / "other", endpoint).add(b"whole")
    client = s3_client(endpoint)
    client.put_object(Bucket="fern", Key=f"blobs/{name[:2]}/{name}", Body=b"half")
    with pytest.raises(FernError, match="missing"):
        here.read(name)
    assert not list((tmp_path / "here").rglob(name))


def test_a_store_that_does_not_answer_refuses_the_file_in_words(tmp_path):
    away = Blobs(
        tmp_path,
        "s3://fern/blobs",
        {
            "endpoint_url": "http://127.0.0.1:9",
            "key": "a",
            "secret": "b",
            "config_kwargs": {"retries": {"max_attempts": 0}, "connect_timeout": 1},
        },
    )
    with pytest.raises(FernError, match="does not answer"):
        away.add(b"light")
    with pytest.raises(FernError, match="does not answer"):
        away.read("0" * 64)


def test_the_environment_tells_of_the_store(monkeypatch):
    monkeypatch.setenv("FERN_BLOB_STORE", "s3://fern/blobs")
    monkeypatch.setenv("FERN_BLOB_OPTIONS", '{"endpoint_url": "http://store:9000"}')
    told = Settings()
    assert told.blob_store == "s3://fern/blobs"
    assert told.blob_options == {"endpoint_url": "http://store:9000"}


@pytest.mark.parametrize("nameless", [True, False])
def test_a_file_appears_whole_and_nothing_else_does(tmp_path, monkeypatch, nameless):
    """On file systems that have files without a name, and on those that do not."""
    opened, synced = os.open, os.fsync
    seen = []

    def refusing(path, flags, *more, **named):
        if not nameless and flags & os.O_TMPFILE == os.O_TMPFILE:
            raise OSError(errno.EOPNOTSUPP, "not here")
        return opened(path, flags, *more, **named)

    def looked(handle):
        seen.append([one.name for one in tmp_path.rglob("*") if one.is_file()])
        synced(handle)

    monkeypatch.setattr(os, "open", refusing)
    monkeypatch.setattr(os, "fsync", looked)
    blobs = Blobs(tmp_path)
    name = blobs.add(b"a picture")
    assert blobs.read(name) == b"a picture"
    assert blobs.path(name).stat().st_mode & 0o777 == 0o444
    assert [one.name for one in tmp_path.rglob("*") if one.is_file()] == [name]
    # before its bytes are on disk it cannot be seen
    assert name not in seen[0]
    assert len(seen[0]) == (0 if nameless else 1)


def test_a_full_disk_leaves_nothing_behind(tmp_path, monkeypatch):
    def full(_):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(FernError, match="could not be stored"):
        Blobs(tmp_path).add(b"a picture")
    assert not [one for one in tmp_path.rglob("*") if one.is_file()]


def test_a_mounted_share_is_a_store_too_and_holds_whole_files_only(tmp_path, monkeypatch):
    here = Blobs(tmp_path / "one", f"file://{tmp_path / 'share'}")
    name = here.add(b"seen by all")
    assert Blobs(tmp_path / "other", f"file://{tmp_path / 'share'}").read(name) == b"seen by all"
    # what breaks off on its way is not there for anybody

    def torn(*_):
        raise OSError(errno.EIO, "the share is gone")

    monkeypatch.setattr(os, "replace", torn)
    with pytest.raises(FernError, match="store"):
        here.add(b"half of it")
    assert [path.name for path in (tmp_path / "share").glob("??/*") if path.suffix != ".part"] == [name]
