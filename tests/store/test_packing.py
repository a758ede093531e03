"""What is packed to be taken away leaves nothing behind."""

import os
import time
import zipfile

import pytest

from fern_ticket.core.threads import goes_on, stoppable
from fern_ticket.store.packing import packed


class _Gone(Exception):
    pass


def test_what_is_packed_is_whole_and_what_nobody_took_for_a_day_is_gone(tmp_path):
    kept, forgotten = tmp_path / "kept.zip", tmp_path / "forgotten.zip"
    for old in (kept, forgotten):
        old.write_bytes(b"old")
    os.utime(forgotten, (time.time() - 25 * 3600,) * 2)
    path = packed(tmp_path, lambda zipped: zipped.writestr("a.txt", "said"))
    with zipfile.ZipFile(path) as zipped:
        assert zipped.testzip() is None
        assert zipped.read("a.txt") == b"said"
    assert kept.exists()
    assert not forgotten.exists()


def test_what_is_stopped_leaves_no_half_a_file(tmp_path):
    def gone():
        raise _Gone

    def fill(zipped):
        zipped.writestr("a.txt", "said")
        goes_on()

    with pytest.raises(_Gone), stoppable(gone):
        packed(tmp_path, fill)
    assert not list(tmp_path.iterdir())
