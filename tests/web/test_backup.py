"""Everything as one file, taken while the application runs, and brought back elsewhere."""

from __future__ import annotations

import io
import json
import tarfile

import pytest

from fern_ticket.core.errors import FernError
from fern_ticket.store.moving.backup import back_up, bring_back, check_backup
from tests.application import Application, Cluster


def told(client, number="FT-0201"):
    """What the page is told of a ticket, with its photos' ledgers and files."""
    page = client.get(f"/api/tickets/{number}").json()
    ledgers = [client.get(f"/api/photos/{photo['id']}/ledger").json() for photo in page["photos"]]
    return page, ledgers


def test_a_running_application_is_backed_up_and_stands_elsewhere(application, client, tmp_path):
    file = tmp_path / "all.tar"
    count = back_up(application.data, application.cluster.url, file)
    assert len(check_backup(file)) == count
    with pytest.raises(FernError, match="there already"):
        back_up(application.data, application.cluster.url, file)
    elsewhere = Cluster()
    data = elsewhere.folder / "data"
    data.mkdir()
    try:
        assert bring_back(file, data, elsewhere.url) == count
        with pytest.raises(FernError, match="has files already"):
            bring_back(file, data, elsewhere.url)
        moved = Application(elsewhere, data)
        try:
            moved.start_server()
            with moved.client() as there:
                assert told(there) == told(client)
                photo = there.get("/api/tickets/FT-0201").json()["photos"][0]
                blob = data / "blobs" / photo["blob"][:2] / photo["blob"]
                assert (
                    blob.read_bytes() == (application.data / "blobs" / photo["blob"][:2] / photo["blob"]).read_bytes()
                )
                # prepared copies are no part of it: they are made again
                assert there.get(f"/api/photos/{photo['id']}/thumbnail").status_code == 200
        finally:
            moved.stop()
    finally:
        elsewhere.remove()


def rewritten(file, out, change):
    with tarfile.open(file) as tar:
        entries = {member.name: tar.extractfile(member).read() for member in tar}
    with tarfile.open(out, "w") as tar:
        for name, data in change(entries).items():
            info = tarfile.TarInfo(name)
            info.size = len(data)
            tar.addfile(info, io.BytesIO(data))
    return out


def linked(file, out):
    with tarfile.open(out, "w") as tar:
        info = tarfile.TarInfo("secrets/desk")
        info.type, info.linkname = tarfile.SYMTYPE, "/etc/passwd"
        tar.addfile(info)
    return out


def refused(file, data, cluster):
    try:
        bring_back(file, data, cluster.url)
    except FernError as error:
        return str(error)
    return None


def test_a_damaged_backup_is_refused_before_anything_is_written(application, tmp_path, cluster):
    file, wrong, data = tmp_path / "all.tar", tmp_path / "wrong.tar", tmp_path / "data"
    back_up(application.data, application.cluster.url, file)
    data.mkdir()
    blob = next(name for name in check_backup(file) if name.startswith("blobs/"))

    def changed(entries):
        return entries | {blob: entries[blob][:-1] + b"x"}

    def told_anew(entries):
        sums = json.loads(entries["contents.json"])
        sums.pop(blob)
        return {k: v for k, v in entries.items() if k != blob} | {
            "contents.json": json.dumps(sums | {"blobs/zz": "0"}).encode()
        }

    cases = {
        "a changed file": lambda: rewritten(file, wrong, changed),
        "a file outside": lambda: rewritten(file, wrong, lambda e: e | {"../../x": b"x"}),
        "an absolute path": lambda: rewritten(file, wrong, lambda e: {"/etc/x": b"x"} | e),
        "no database": lambda: rewritten(file, wrong, lambda e: {k: v for k, v in e.items() if k != "database.dump"}),
        "other contents": lambda: rewritten(file, wrong, told_anew),
        "a link": lambda: linked(file, wrong),
    }
    for what, case in cases.items():
        assert "refused" in (refused(case(), data, cluster) or f"{what} was taken")
        assert list(data.iterdir()) == []
    wrong.write_bytes(file.read_bytes()[: file.stat().st_size // 2])
    assert refused(wrong, data, cluster)
    assert refused(tmp_path / "nothing.tar", data, cluster)
    assert list(data.iterdir()) == []
