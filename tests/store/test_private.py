"""What lies in the data folder is for the application's own user only."""

import os
import stat

import pytest

from fern_ticket.store.private import keep_private


def mode(path):
    return stat.S_IMODE(path.stat().st_mode)


def test_its_folders_are_closed_to_others_also_those_that_were_open(tmp_path):
    (tmp_path / "blobs").mkdir(mode=0o755)
    (tmp_path / "blobs" / "file").write_bytes(b"kept")
    (tmp_path / "arrivals").mkdir(mode=0o755)
    for _ in range(2):
        keep_private(tmp_path)
    for name in ("blobs", "pyramids", "patches", "uploads", "parcels", "secrets", "desks"):
        assert mode(tmp_path / name) == 0o700, name
    assert mode(tmp_path / "arrivals") == 0o755  # devices leave files there
    assert (tmp_path / "blobs" / "file").read_bytes() == b"kept"


@pytest.mark.skipif(os.geteuid() != 0, reason="only root can give a folder to somebody else")
def test_a_folder_of_somebody_else_is_left_as_it_is(tmp_path):
    (tmp_path / "desks").mkdir(mode=0o750)
    os.chown(tmp_path / "desks", 65534, 65534)
    keep_private(tmp_path)
    assert mode(tmp_path / "desks") == 0o750
