"""Ways out to stores elsewhere, and to folders that are full, slow or can only be read."""

from __future__ import annotations

import errno
import os
import threading
from dataclasses import replace

import fsspec
import paramiko
import pytest

from fern_ticket.jobs.ways import folders
from fern_ticket.jobs.ways.folders import FolderWay
from fern_ticket.jobs.ways.giving import File, NotNow, Refused
from fern_ticket.store.ways import ToFolder
from tests.far_stores import S3_SECRET, S3_USER, s3_store, sftp_store
from tests.web.test_ways import PARCEL, do, folder, give, names

OTHER = replace(PARCEL, key="another", file=File("a.jpg", b"other pixels"))


def test_a_bucket_gets_it_whole_and_once_and_nothing_is_written_over(tmp_path):
    with s3_store("orders") as endpoint:
        settings = ToFolder(address="s3://orders/in", user=S3_USER, endpoint=endpoint)
        way = FolderWay(settings, S3_SECRET, tmp_path)
        assert "could be written" in do(way.tried())
        for _ in range(2):
            assert give(way) == "orders/in/2027-0001/a.jpg"
        with pytest.raises(Refused, match="Another file"):
            give(way, OTHER)
        store = fsspec.filesystem("s3", key=S3_USER, secret=S3_SECRET, endpoint_url=endpoint, skip_instance_cache=True)
        assert {path: store.cat_file(path) for path in store.find("orders")} == {
            "orders/in/2027-0001/a.jpg": b"pixels",
            "orders/in/2027-0001/a.jpg.manifest.json": b"{}",
            "orders/in/2027-0001/a_web.jpg": b"few",
        }
        elsewhere = FolderWay(settings.model_copy(update={"address": "s3://nobody-s/in"}), S3_SECRET, tmp_path)
        with pytest.raises(NotNow, match="cannot be written"):
            give(elsewhere)


def test_a_machine_reached_by_sftp_gets_it_whole_and_once_and_its_key_is_remembered(tmp_path):
    root, data = tmp_path / "far", tmp_path / "data"
    root.mkdir()
    key = paramiko.ECDSAKey.generate()

    def way(port, password="three odd words"):
        return FolderWay(ToFolder(address=f"sftp://127.0.0.1:{port}/in", user="editor"), password, data)

    with sftp_store(root, key) as port:
        assert "could be written" in do(way(port).tried())
        for _ in range(2):
            give(way(port))
        with pytest.raises(Refused, match="Another file"):
            give(way(port), OTHER)
        with pytest.raises(NotNow, match="cannot be written"):
            give(way(port, "another password"))
    assert names(root) == ["in/2027-0001/a.jpg", "in/2027-0001/a.jpg.manifest.json", "in/2027-0001/a_web.jpg"]
    assert (root / "in/2027-0001/a.jpg").read_bytes() == b"pixels"
    with sftp_store(root, paramiko.ECDSAKey.generate(), port), pytest.raises(Refused, match="another key than before"):
        give(way(port))
    with sftp_store(root, key, port):
        assert "could be written" in do(way(port).tried())
    with pytest.raises(NotNow, match="cannot be written"):
        give(way(port))


@pytest.mark.parametrize(
    ("number", "says"),
    [(errno.ENOSPC, "no room left"), (errno.EROFS, "can only be read"), (errno.EACCES, "may not write")],
)
def test_a_folder_that_takes_nothing_is_asked_again_and_holds_nothing_half_written(tmp_path, monkeypatch, number, says):
    with monkeypatch.context() as for_now:
        for_now.setattr(os, "fsync", lambda _: (_ for _ in ()).throw(OSError(number, os.strerror(number))))
        with pytest.raises(NotNow, match=says):
            give(folder(tmp_path))
        assert names(tmp_path) == []
    give(folder(tmp_path))
    assert len(names(tmp_path)) == 3


def test_a_folder_that_is_slow_is_left_and_what_it_did_in_the_end_is_found(tmp_path, monkeypatch):
    """The write that was given up goes on by itself: the next one finds the file, and there is one of it."""
    monkeypatch.setattr(folders, "_PATIENCE", 0.05)
    awake, written = threading.Event(), threading.Event()
    real = folders._put_here

    def slowly(part, target, data):
        awake.wait()
        real(part, target, data)
        written.set()

    with monkeypatch.context() as for_now:
        for_now.setattr(folders, "_put_here", slowly)

        async def given_up():
            try:
                await folder(tmp_path).give(PARCEL)
            except NotNow as error:
                awake.set()
                return str(error)

        assert "does not answer in time" in do(given_up())
        assert written.wait(30)
    monkeypatch.setattr(folders, "_PATIENCE", 60)
    give(folder(tmp_path))
    assert names(tmp_path) == ["2027-0001/a.jpg", "2027-0001/a.jpg.manifest.json", "2027-0001/a_web.jpg"]
